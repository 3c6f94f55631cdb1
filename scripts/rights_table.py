"""Writes docs/rights.md: which role each address needs, from the routes themselves."""

import sys
from collections.abc import Iterator
from pathlib import Path

from fastapi.routing import APIRoute

from zero_easel.library.store.people import ROLES
from zero_easel.web.app import SCREENS
from zero_easel.web.guards.rights import needed_for

PAGE = Path(__file__).resolve().parent.parent / "docs/rights.md"
_HEAD = """# Who may do what

Each address of the pages, and the role that it needs: a *viewer* {viewer}, a *maker* {maker}, an *owner* {owner}.
Each may what the one before may, too. Without accounts whoever is at the machine is an owner. Those that need *all* are
open without an account: signing in, invitations, links to approve (by their own text), and what tells whether the
application runs. Other programs show tokens ([API](api.md)); whoever is signed in to the pages is not by that let in to
the API. This page is written by `make docs`; a test asks each address as each of them, and as nobody.

| | address | needs | no session |
| --- | --- | --- | --- |
"""


def routes() -> Iterator[tuple[str, str]]:
    """All addresses of the pages, with their methods."""
    for screen in SCREENS:
        for route in screen.router.routes:
            assert isinstance(route, APIRoute)
            for method in sorted(route.methods):
                yield method, route.path


def page() -> str:
    """The text of docs/rights.md."""
    rows = []
    for method, path in routes():
        needed = needed_for(method, path)
        refused = "-" if needed is None else "303 to sign in" if method == "GET" else "401"
        rows.append(f"| {method} | `{path}` | {needed or 'all'} | {refused} |\n")
    words = {str(role): text for role, text in ROLES.items()}
    return _HEAD.format(**words) + "".join(rows)


if __name__ == "__main__":
    PAGE.write_text(page())
    sys.stdout.write(f"{PAGE.name}: {page().count('| `/')} addresses\n")
