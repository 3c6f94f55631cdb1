"""Shoots, their photos and what these show, from the command line: here or at an application elsewhere."""

import time
from typing import Annotated, Any

import typer

from zero_easel.cli.asking import Api, Server, Token, asking
from zero_easel.cli.given import console, some, tell
from zero_easel.cli.options import AsJson, Data
from zero_easel.cli.stopping import insist

shoots = typer.Typer(no_args_is_help=True, help="The shoots of an application: list them, make one, delete one.")
photos = typer.Typer(no_args_is_help=True, help="The photos of a shoot: list them, look at one, leave some out.")
match = typer.Typer(no_args_is_help=True, help="What photos show: list what needs a person, and say it.")
ShootName = Annotated[str, typer.Option("--shoot", help="Name of the shoot; the newest of that name.")]
PhotoNumbers = Annotated[list[int], typer.Argument(metavar="PHOTO...", help="Their numbers; see photos list.")]
_LOOK = 0.5


@shoots.command("list")
def list_shoots(data: Data = None, server: Server = "", token: Token = "", as_json: AsJson = False) -> None:
    """All shoots, the newest first."""
    with asking(data, server, token) as asked:
        for one in asked.all("/shoots"):
            at = one["counts"]
            words = f"{at['photos']} photos, {at['to_clear']} to clear, {at['to_match'] + at['to_look_at']} to look at"
            tell(one, f"{one['id']}\t{one['name']}\t{words}", as_json=as_json)


@shoots.command("add")
def add_shoot(
    name: Annotated[str, typer.Argument(metavar="NAME")],
    whole: Annotated[bool, typer.Option("--whole", help="Whole pictures; nothing is cut out.")] = False,
    data: Data = None,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """Make a new, empty shoot."""
    with asking(data, server, token) as asked:
        made = asked.ask("POST", "/shoots", json={"name": name, "whole": whole}).json()
    tell(made, f"Shoot {made['id']}, {made['name']}, is made.", as_json=as_json)


@shoots.command("remove")
def remove_shoot(
    number: Annotated[int, typer.Argument(metavar="SHOOT", help="Its number, as shoots list tells it.")],
    data: Data = None,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """Delete a shoot with its matches, marks, runs and pictures; its photos' files stay in the library."""
    with asking(data, server, token) as asked:
        asked.change("DELETE", f"/shoots/{number}")
    tell({"removed": number}, f"Shoot {number} is removed.", as_json=as_json)


@photos.command("list")
def list_photos(
    shoot: ShootName,
    only: Annotated[
        str, typer.Option(help="all, taking-part, to-match, to-look-at or broken.", metavar="WHICH")
    ] = "all",
    data: Data = None,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """The photos of a shoot: what each shows, and how its cutout is."""
    with asking(data, server, token) as asked:
        number = asked.shoot(shoot)["id"]
        for one in asked.all(f"/shoots/{number}/photos", only=only):
            tell(one, _line(one), as_json=as_json)


def _line(photo: dict[str, Any]) -> str:
    cutout = "left out" if photo["left_out"] else photo["clearing"] or "not cleared"
    why = photo["error"] or photo["problem"] or photo["doubt"]
    return "\t".join(str(photo[key]) for key in ("id", "name", "code", "view")) + f"\t{cutout}\t{why}".rstrip()


@photos.command("show")
def show_photo(
    number: Annotated[int, typer.Argument(metavar="PHOTO")],
    data: Data = None,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """All that is known of one photo, with the reasons to look at its cutout."""
    with asking(data, server, token) as asked:
        one = asked.get(f"/photos/{number}")
    tell(one, "\n".join([_line(one), *(f"  {doubt['said']}" for doubt in one["doubts"])]), as_json=as_json)


@photos.command("leave-out")
def leave_out(
    numbers: PhotoNumbers,
    again: Annotated[bool, typer.Option("--in", help="Include them again.")] = False,
    data: Data = None,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """Leave photos out of runs; their files stay."""
    with asking(data, server, token) as asked:
        for number in numbers:
            one = asked.change("PATCH", f"/photos/{number}", json={"left_out": not again})
            tell(one, f"{one['name']} is {'included' if again else 'left out'}.", as_json=as_json)


@photos.command("accept")
def accept(
    numbers: PhotoNumbers, data: Data = None, server: Server = "", token: Token = "", as_json: AsJson = False
) -> None:
    """Say that cutouts have been seen, and will do."""
    with asking(data, server, token) as asked:
        for number in numbers:
            one = asked.change("PATCH", f"/photos/{number}", json={"accepted": True})
            tell(one, f"{one['name']} is accepted.", as_json=as_json)


@match.command("list")
def list_matches(
    shoot: ShootName, data: Data = None, server: Server = "", token: Token = "", as_json: AsJson = False
) -> None:
    """Wait until all photos of a shoot are read, and list those whose product needs a person. Exit status 1 if there
    are any."""
    with asking(data, server, token, working=True) as asked:
        number = asked.shoot(shoot)["id"]
        wait_for(asked, number, "to_read")
        found = list(asked.all(f"/shoots/{number}/photos", only="to-match"))
    for one in found:
        tell(one, f"{one['id']}\t{one['name']}\t{one['code']}\t{one['doubt'] or 'no product'}", as_json=as_json)
    raise typer.Exit(1 if found else 0)


@match.command("say")
def say(
    number: Annotated[int, typer.Argument(metavar="PHOTO")],
    code: Annotated[str, typer.Argument(metavar="CODE", help='Of the product; "" for none.')],
    view: Annotated[str, typer.Option(help="Which side it shows; by its turn if not given.")] = "",
    data: Data = None,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """Say what a photo shows."""
    with asking(data, server, token) as asked:
        told = asked.change("PUT", f"/photos/{number}/match", json={"code": code, "view": view})
    if told["code"] and not told["in_catalog"]:
        console.print(f"{told['code']} is not in the catalog.")
    shown = " ".join(part for part in (told["code"] or "no product", told["view"]) if part)
    tell(told, f"Photo {number} shows {shown}.", as_json=as_json)


@match.command("unsay")
def unsay(
    number: Annotated[int, typer.Argument(metavar="PHOTO")],
    data: Data = None,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """Take back what was said of a photo by hand, and let it be matched by itself."""
    with asking(data, server, token) as asked:
        told = asked.change("DELETE", f"/photos/{number}/match")
    tell(told, f"Photo {number} shows {told['code'] or 'no product'}: {told['why']}.", as_json=as_json)


def clear(shoot: ShootName, data: Data = None, server: Server = "", token: Token = "", as_json: AsJson = False) -> None:
    """Wait until all photos of a shoot are cut out, and list those to look at. An application that is running does it;
    without one this command. Exit status 1 if there are any."""
    with asking(data, server, token, working=True) as asked:
        number = asked.shoot(shoot)["id"]
        wait_for(asked, number, "to_clear")
        found = list(asked.all(f"/shoots/{number}/photos", only="to-look-at"))
        counts = asked.get(f"/shoots/{number}")["counts"]
    for one in found:
        tell(one, _line(one), as_json=as_json)
    console.print(f"{counts['taking_part']} photos take part, {len(found)} to look at: " + some_names(found))
    raise typer.Exit(1 if found else 0)


def some_names(found: list[dict[str, Any]]) -> str:
    """The first few names of some photos."""
    return some([one["name"] for one in found]) + "." if found else "none."


def wait_for(asked: Api, shoot: int, count: str) -> None:
    """Wait until a count of a shoot is at 0."""
    while asked.get(f"/shoots/{shoot}")["counts"][count]:
        insist()
        time.sleep(_LOOK)
