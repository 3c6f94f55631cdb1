"""The first account, from the command line of the application's own machine: an owner, who invites all others."""

import sys
from getpass import getpass
from typing import Annotated

import typer

from zero_easel.cli.given import UsageError, console
from zero_easel.cli.options import Data
from zero_easel.library.people.accounts import (
    AccountError,
    add_person,
    invite,
    person_named,
    set_active,
    set_password,
    set_role,
)
from zero_easel.library.people.journal import write
from zero_easel.library.store.database import Database
from zero_easel.library.store.people import Role
from zero_easel.settings import Settings


def owner(
    name: Annotated[str, typer.Argument(metavar="NAME", help="What they sign in as.")],
    link: Annotated[
        bool, typer.Option("--link", help="Print a link, good once, by which they set the password themselves.")
    ] = False,
    data: Data = None,
) -> None:
    """Make an owner, or give one another password. From then on everybody signs in. The
    password is asked for, or read from standard input."""
    folder = (data or Settings().data).resolve()
    database = Database(folder / "zero-easel.sqlite")
    try:
        database.migrate()
        with database.acting("command line").session() as session:
            person = person_named(session, name) or add_person(session, name, Role.OWNER)
            set_role(session, person, Role.OWNER)
            set_active(session, person, True)
            write(session, f"made {person.name} owner, on the machine itself")
            if link:
                text = invite(session, person)
                console.print("Open it at the address of the application; it is good once, for seven days:")
                print(f"/invitation/{text}")
                return
            set_password(session, person, _password())
        print(f"{person.name} is an owner, and signs in from now on.")
    except AccountError as error:
        raise UsageError(str(error)) from error
    finally:
        database.close()


def _password() -> str:
    """Typed twice, where somebody types it."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    password = getpass("Password: ")
    if getpass("Once more: ") != password:
        raise UsageError("the two passwords are not alike.")
    return password
