"""Which role each address of the pages needs. Whoever may look, may ask for what shows; what changes something needs a
maker; what follows here is otherwise. docs/rights.md tells of all of them, and a test holds it to the routes."""

from typing import Annotated

from fastapi import Depends, HTTPException, Request

from zero_easel.library.store.people import ROLES, Role
from zero_easel.web.guards.who import OPEN_TO_ALL, Who

_OWNERS = ("/people", "/programs", "/tidy-up", "/journal")
_OWNERS_TOO = {
    ("POST", "/shoots/{shoot_id}/hand-over"),
    ("POST", "/shoots/{shoot_id}/hand-over/{target_id}"),
    ("POST", "/shoots/{shoot_id}/hand-over/{target_id}/remove"),
    ("POST", "/shoots/{shoot_id}/live/folder"),
    ("POST", "/runs/{run_id}/copy"),
}
_VIEWERS_TOO = ("/account", "/sign-out", "/notes/")


def needed_for(method: str, path: str) -> Role | None:
    """The role that a route needs; None for one that is open to all. path: as the route has it."""
    if path.startswith(OPEN_TO_ALL):
        return None
    if path.startswith(_OWNERS) or (method, path) in _OWNERS_TOO:
        return Role.OWNER
    if method in ("GET", "HEAD") or path.startswith(_VIEWERS_TOO):
        return Role.VIEWER
    return Role.MAKER


def who_of(request: Request) -> Who:
    """Who asks."""
    who: Who = request.state.who
    return who


def allowed(request: Request) -> None:
    """For all routes: refuse who may not. Raises HTTPException 403."""
    who, route = who_of(request), request.scope["route"]
    needed = needed_for(request.method, route.path)
    if not who.may(needed):
        assert needed is not None
        does = ROLES[who.role] if who.role else "may do nothing here"
        raise HTTPException(403, f"This needs a {needed}; whoever is a {who.role} {does}.")


Asking = Annotated[Who, Depends(who_of)]
