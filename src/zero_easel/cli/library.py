"""Shoots, their photos and what these show, from the command line: here or at an application elsewhere."""

import time
from typing import Annotated, Any

import typer

from zero_easel.cli.asking import Api, Common, asks
from zero_easel.cli.given import console, some
from zero_easel.cli.stopping import insist

shoots = typer.Typer(no_args_is_help=True, help="The shoots of an application: list them, make one, delete one.")
photos = typer.Typer(no_args_is_help=True, help="The photos of a shoot: list them, look at one, leave some out.")
match = typer.Typer(no_args_is_help=True, help="What photos show: list what needs a person, and say it.")
ShootName = Annotated[str, typer.Option("--shoot", help="Name of the shoot; the newest of that name.")]
PhotoNumbers = Annotated[list[int], typer.Argument(metavar="PHOTO...", help="Their numbers; see photos list.")]
_LOOK = 0.5


@shoots.command("list")
@asks
def list_shoots(where: Common) -> None:
    """All shoots, the newest first."""
    with where.asking() as asked:
        for one in asked.all("/shoots"):
            at = one["counts"]
            words = f"{at['photos']} photos, {at['to_clear']} to clear, {at['to_match'] + at['to_look_at']} to look at"
            where.tell(one, f"{one['id']}\t{one['name']}\t{words}")


@shoots.command("add")
@asks
def add_shoot(
    where: Common,
    name: Annotated[str, typer.Argument(metavar="NAME")],
    whole: Annotated[bool, typer.Option("--whole", help="Whole pictures; nothing is cut out.")] = False,
) -> None:
    """Make a new, empty shoot."""
    with where.asking() as asked:
        made = asked.ask("POST", "/shoots", json={"name": name, "whole": whole}).json()
    where.tell(made, f"Shoot {made['id']}, {made['name']}, is made.")


@shoots.command("remove")
@asks
def remove_shoot(
    where: Common, number: Annotated[int, typer.Argument(metavar="SHOOT", help="Its number, as shoots list tells it.")]
) -> None:
    """Delete a shoot with its matches, marks, runs and pictures. Its photos' files stay in the library."""
    with where.asking() as asked:
        asked.change("DELETE", f"/shoots/{number}")
    where.tell({"removed": number}, f"Shoot {number} is removed.")


@photos.command("list")
@asks
def list_photos(
    where: Common,
    shoot: ShootName,
    only: Annotated[
        str, typer.Option(help="all, taking-part, to-match, to-look-at or broken.", metavar="WHICH")
    ] = "all",
) -> None:
    """The photos of a shoot: what each shows, and how its cutout is."""
    with where.asking() as asked:
        number = asked.shoot(shoot)["id"]
        for one in asked.all(f"/shoots/{number}/photos", only=only):
            where.tell(one, _line(one))


def _line(photo: dict[str, Any]) -> str:
    cutout = "left out" if photo["left_out"] else photo["clearing"] or "not cleared"
    why = photo["error"] or photo["problem"] or photo["doubt"]
    return "\t".join(str(photo[key]) for key in ("id", "name", "code", "view")) + f"\t{cutout}\t{why}".rstrip()


@photos.command("show")
@asks
def show_photo(where: Common, number: Annotated[int, typer.Argument(metavar="PHOTO")]) -> None:
    """All that is known of one photo, and why to look at its cutout."""
    with where.asking() as asked:
        one = asked.get(f"/photos/{number}")
    where.tell(one, "\n".join([_line(one), *(f"  {doubt['said']}" for doubt in one["doubts"])]))


@photos.command("leave-out")
@asks
def leave_out(
    where: Common,
    numbers: PhotoNumbers,
    again: Annotated[bool, typer.Option("--in", help="Include them again.")] = False,
) -> None:
    """Leave photos out of runs; their files stay."""
    with where.asking() as asked:
        for number in numbers:
            one = asked.change("PATCH", f"/photos/{number}", json={"left_out": not again})
            where.tell(one, f"{one['name']} is {'included' if again else 'left out'}.")


@photos.command("accept")
@asks
def accept(where: Common, numbers: PhotoNumbers) -> None:
    """Say that cutouts have been seen, and will do."""
    with where.asking() as asked:
        for number in numbers:
            one = asked.change("PATCH", f"/photos/{number}", json={"accepted": True})
            where.tell(one, f"{one['name']} is accepted.")


@match.command("list")
@asks
def list_matches(where: Common, shoot: ShootName) -> None:
    """Wait until a shoot is read, and list photos that need a person. Exit status 1 if there
    are any."""
    with where.asking(working=True) as asked:
        number = asked.shoot(shoot)["id"]
        wait_for(asked, number, "to_read")
        found = list(asked.all(f"/shoots/{number}/photos", only="to-match"))
    for one in found:
        where.tell(one, f"{one['id']}\t{one['name']}\t{one['code']}\t{one['doubt'] or 'no product'}")
    raise typer.Exit(1 if found else 0)


@match.command("say")
@asks
def say(
    where: Common,
    number: Annotated[int, typer.Argument(metavar="PHOTO")],
    code: Annotated[str, typer.Argument(metavar="CODE", help='Of the product; "" for none.')],
    view: Annotated[str, typer.Option(help="Which side it shows; by its turn if not given.")] = "",
) -> None:
    """Say what a photo shows."""
    with where.asking() as asked:
        told = asked.change("PUT", f"/photos/{number}/match", json={"code": code, "view": view})
    if told["code"] and not told["in_catalog"]:
        console.print(f"{told['code']} is not in the catalog.")
    shown = " ".join(part for part in (told["code"] or "no product", told["view"]) if part)
    where.tell(told, f"Photo {number} shows {shown}.")


@match.command("unsay")
@asks
def unsay(where: Common, number: Annotated[int, typer.Argument(metavar="PHOTO")]) -> None:
    """Take back what was said of a photo by hand. It is matched by itself again."""
    with where.asking() as asked:
        told = asked.change("DELETE", f"/photos/{number}/match")
    where.tell(told, f"Photo {number} shows {told['code'] or 'no product'}: {told['why']}.")


@asks
def clear(where: Common, shoot: ShootName) -> None:
    """Wait until a shoot is cut out, and list photos to look at. An application that is running does it;
    without one this command. Exit status 1 if there are any."""
    with where.asking(working=True) as asked:
        number = asked.shoot(shoot)["id"]
        wait_for(asked, number, "to_clear")
        found = list(asked.all(f"/shoots/{number}/photos", only="to-look-at"))
        counts = asked.get(f"/shoots/{number}")["counts"]
    for one in found:
        where.tell(one, _line(one))
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
