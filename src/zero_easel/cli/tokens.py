"""Tokens by which other programs are let in, from the command line of the application's own machine alone."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer
from sqlalchemy.orm import Session

from zero_easel.cli.given import UsageError, console, tell
from zero_easel.cli.options import AsJson, Data
from zero_easel.library.store.access import MEANING, AccessToken, Right
from zero_easel.library.store.database import Database
from zero_easel.library.tokens import USUAL_DAYS, TokenError, all_tokens, is_used_up, issue, revoke
from zero_easel.settings import Settings

app = typer.Typer(no_args_is_help=True, help="Tokens by which other programs are let in: list, add, revoke.")
_SCOPES = "; ".join(f"{scope}: {meaning}" for scope, meaning in MEANING.items())


@app.command("list")
def list_tokens(data: Data = None, as_json: AsJson = False) -> None:
    """All tokens, the newest first. What each allows, until when, and when it was last used."""
    with _library(data) as session:
        for token in all_tokens(session):
            tell(_told(token), _line(token), as_json=as_json)


@app.command("add")
def add(
    name: Annotated[str, typer.Argument(metavar="NAME", help="Which program has it.")],
    scope: Annotated[list[Right], typer.Option("--scope", help=f"What it allows; once for each. {_SCOPES}.")],
    days: Annotated[int, typer.Option(help="For how many days it is good.")] = USUAL_DAYS,
    data: Data = None,
    as_json: AsJson = False,
) -> None:
    """Make a token and print it: it is shown this once."""
    with _library(data) as session:
        try:
            token, text = issue(session, name, scope, days)
        except TokenError as error:
            raise UsageError(str(error)) from error
        console.print(f"Good until {token.expires:%Y-%m-%d}; it is shown this once.")
        tell({**_told(token), "token": text}, text, as_json=as_json)


@app.command("revoke")
def revoke_token(
    number: Annotated[int, typer.Argument(metavar="TOKEN", help="Its number, as tokens list tells it.")],
    data: Data = None,
    as_json: AsJson = False,
) -> None:
    """Let nobody in by a token any more."""
    with _library(data) as session:
        token = session.get(AccessToken, number)
        if token is None:
            raise UsageError(f"there is no token {number}.")
        revoke(session, token)
        tell(_told(token), f"Nobody is let in by {token.name} any more.", as_json=as_json)


def _told(token: AccessToken) -> dict[str, object]:
    moments = {key: getattr(token, key) for key in ("created", "expires", "revoked", "used")}
    told = {key: f"{moment:%Y-%m-%dT%H:%M:%SZ}" if moment else None for key, moment in moments.items()}
    return {"id": token.id, "name": token.name, "begins": token.begins, "scopes": list(token.scopes), **told}


def _line(token: AccessToken) -> str:
    state = "no longer good" if is_used_up(token) else f"good until {token.expires:%Y-%m-%d}"
    used = f"last used {token.used:%Y-%m-%d %H:%M} UTC" if token.used else "never used"
    return f"{token.id}\t{token.name}\t{token.begins}...\t{', '.join(token.scopes)}\t{state}\t{used}"


@contextmanager
def _library(data: Path | None) -> Iterator[Session]:
    """A session on the library of a data folder, which an application may have open, too. Raises UsageError."""
    path = (Settings().data if data is None else data) / "zero-easel.sqlite"
    if not path.is_file():
        raise UsageError(f"{path.parent} holds no library.")
    database = Database(path)
    try:
        database.migrate()
        with database.acting("command line").session() as session:
            yield session
    finally:
        database.close()
