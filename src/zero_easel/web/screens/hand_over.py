"""Hand over: where the pictures of a shoot go, and each picture's way there, with the shop's own words."""

from collections import Counter
from collections.abc import Sequence
from typing import Annotated, Any, NamedTuple

from fastapi import APIRouter, BackgroundTasks, Depends, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError

from zero_easel.core.standard.checks import KINDS, Check, Kind
from zero_easel.core.standard.editing import added
from zero_easel.core.standard.model import StandardError
from zero_easel.doors.out.sealing import SealError
from zero_easel.doors.out.targets import (
    FIELDS,
    TargetError,
    Wanted,
    add_target,
    change_target,
    hand_over,
    remove_target,
    sendings_of,
    targets_of,
    try_again,
    ways_of,
)
from zero_easel.library.changes.standards import change_rules
from zero_easel.library.store.doors import HandOverTarget, Sending, SendingState, TargetKind
from zero_easel.library.store.models import Shoot
from zero_easel.runs.service import latest_run
from zero_easel.web.page import Bench, Db, Number, ShootById, found, show

router = APIRouter()
KIND_WORDS = {
    TargetKind.FOLDER: ("a folder of this machine", "/srv/shop/pictures"),
    TargetKind.SFTP: ("a machine by SFTP", "sftp://shop.example/pictures"),
    TargetKind.WEBDAV: ("a WebDAV folder", "https://shop.example/dav/pictures"),
    TargetKind.S3: ("object storage (S3)", "s3://bucket/pictures"),
    TargetKind.SHOP: ("a shop that says yes or no", "https://shop.example"),
}
_SHOWN = 500


def target_or_404(session: Db, shoot: ShootById, target_id: Number) -> HandOverTarget:
    """The target of the address, which is one of the shoot's."""
    return found(next((one for one in targets_of(session, shoot) if one.id == target_id), None), "place")


TargetById = Annotated[HandOverTarget, Depends(target_or_404)]


def asked(
    name: Annotated[str, Form()] = "",
    kind: Annotated[TargetKind, Form()] = TargetKind.FOLDER,
    address: Annotated[str, Form()] = "",
    endpoint: Annotated[str, Form()] = "",
    user: Annotated[str, Form()] = "",
    secret: Annotated[str, Form()] = "",
    deliverables: Annotated[list[str] | None, Form()] = None,
    checked: Annotated[bool, Form()] = False,
    path: Annotated[str, Form()] = "{folder}/{name}",
    by_itself: Annotated[bool, Form()] = False,
    everywhere: Annotated[bool, Form()] = False,
    approved: Annotated[bool, Form()] = False,
) -> Wanted:
    """A target as the form asks for it."""
    chosen = tuple(one for one in deliverables or () if one)
    return Wanted(name, kind, address, endpoint, user, secret, chosen, checked, path, by_itself, everywhere, approved)


Asked = Annotated[Wanted, Depends(asked)]


@router.get("/shoots/{shoot_id}/hand-over")
def hand_over_page(request: Request, session: Db, shoot: ShootById, target: Number = 0) -> HTMLResponse:
    """Where pictures go, and the way of each to one of these places."""
    return _page(request, session, shoot, target)


@router.get("/shoots/{shoot_id}/hand-over/part")
def hand_over_part(request: Request, session: Db, shoot: ShootById, target: Number = 0) -> HTMLResponse:
    """Each picture's way alone, asked for again with all that happens."""
    return show(request, "_sendings.html", **_context(session, shoot, target))


@router.post("/shoots/{shoot_id}/hand-over")
def add(request: Request, session: Db, bench: Bench, shoot: ShootById, wanted: Asked) -> Response:
    """One more place."""
    try:
        sealed = bench.seal.close(wanted.secret)
        target = add_target(session, shoot, wanted, sealed, bench.settings.out_folders)
    except (TargetError, SealError) as error:
        return _page(request, session, shoot, 0, str(error), wanted)
    return RedirectResponse(f"/shoots/{shoot.id}/hand-over?target={target.id}", 303)


@router.post("/shoots/{shoot_id}/hand-over/{target_id}")
def change(
    request: Request, session: Db, bench: Bench, shoot: ShootById, target: TargetById, wanted: Asked
) -> Response:
    """Another address, other pictures, other paths. A password that is left empty stays as it is."""
    try:
        with session.begin_nested():
            sealed = bench.seal.close(wanted.secret)
            change_target(session, target, shoot, wanted, sealed, bench.settings.out_folders)
    except (TargetError, SealError) as error:
        session.refresh(target)
        return _page(request, session, shoot, target.id, str(error), wanted)
    return RedirectResponse(f"/shoots/{shoot.id}/hand-over?target={target.id}", 303)


@router.post("/shoots/{shoot_id}/hand-over/{target_id}/remove")
def remove(session: Db, shoot: ShootById, target: TargetById) -> Response:
    """Hand nothing over there any more."""
    remove_target(session, target)
    return RedirectResponse(f"/shoots/{shoot.id}/hand-over", 303)


@router.post("/shoots/{shoot_id}/hand-over/{target_id}/send")
def send(
    request: Request, session: Db, bench: Bench, shoot: ShootById, target: TargetById, after: BackgroundTasks
) -> Response:
    """Take the pictures of the newest run there, as far as they are not there yet."""
    run = latest_run(session, shoot.id)
    try:
        if run is None:
            raise TargetError("There is no run whose pictures could be handed over.")
        hand_over(session, target, run)
    except TargetError as error:
        return _page(request, session, shoot, target.id, str(error))
    after.add_task(bench.sender.wake)
    return RedirectResponse(f"/shoots/{shoot.id}/hand-over?target={target.id}", 303)


@router.post("/shoots/{shoot_id}/hand-over/{target_id}/again")
def send_again(session: Db, bench: Bench, shoot: ShootById, target: TargetById, after: BackgroundTasks) -> Response:
    """Try what was rejected, given up, or waits for its next try, once more and now."""
    try_again(session, target)
    after.add_task(bench.sender.wake)
    return RedirectResponse(f"/shoots/{shoot.id}/hand-over?target={target.id}", 303)


@router.post("/shoots/{shoot_id}/hand-over/{target_id}/check")
def check_from_now_on(
    request: Request,
    session: Db,
    shoot: ShootById,
    target: TargetById,
    rule: Annotated[str, Form()],
    value: Annotated[str, Form()] = "",
    deliverable: Annotated[str, Form()] = "",
) -> Response:
    """Have the standard check from now on what the shop rejected."""
    try:
        check = Check.model_validate({"rule": rule, "value": value, "only": deliverable})
        change_rules(session, shoot.standard, added(shoot.standard.rules, "checks", check))
    except (ValidationError, StandardError) as error:
        return _page(request, session, shoot, target.id, f"This cannot be checked: {str(error).splitlines()[0]}.")
    return RedirectResponse(f"/shoots/{shoot.id}/hand-over?target={target.id}", 303)


def _page(
    request: Request, session: Db, shoot: Shoot, target_id: int, error: str = "", typed: Wanted | None = None
) -> HTMLResponse:
    context = _context(session, shoot, target_id)
    return show(
        request,
        "hand_over.html",
        409 if error else 200,
        error=error,
        form=typed or _as_asked(context["target"]),
        kinds=KIND_WORDS,
        fields=FIELDS,
        run=latest_run(session, shoot.id),
        **context,
    )


def _context(session: Db, shoot: Shoot, target_id: int) -> dict[str, Any]:
    session.flush()
    ways = ways_of(session, shoot)
    way = next((one for one in ways if one.target.id == target_id), None)
    rows = sendings_of(session, way.target, shoot.id, _SHOWN) if way else []
    return {
        "shoot": shoot,
        "names": [one.name for one in shoot.standard.rules.deliverables],
        "ways": ways,
        "way": way,
        "target": way.target if way else None,
        "rows": rows,
        "reasons": _reasons(rows, shoot),
    }


class Rejection(NamedTuple):
    """Why a shop rejected some pictures of a deliverable. kind: of the check that would have caught it; there: the
    standard has that check by now."""

    rule: str
    value: str
    deliverable: str
    kind: Kind
    there: bool
    pictures: int


def _reasons(rows: Sequence[Sending], shoot: Shoot) -> list[Rejection]:
    """The reasons for which pictures were rejected, those of most pictures first."""
    rejected = [row for row in rows if row.state == SendingState.REJECTED]
    counts = Counter((rule, value, row.picture.deliverable) for row in rejected for rule, value in row.rules)
    checks = shoot.standard.rules.checks
    return [
        Rejection(
            rule,
            value,
            deliverable,
            KINDS[rule],
            any((one.rule, one.value) == (rule, value) and one.is_for(deliverable) for one in checks),
            count,
        )
        for (rule, value, deliverable), count in counts.most_common()
        if rule in KINDS
    ]


def _as_asked(target: HandOverTarget | None) -> Wanted:
    """What the form of a target shows; its password never."""
    if target is None:
        return Wanted("", TargetKind.FOLDER, "")
    return Wanted(
        target.name,
        target.kind,
        target.address,
        target.endpoint,
        target.user,
        "",
        target.deliverables,
        target.checked,
        target.path,
        target.by_itself,
        target.standard_id is not None,
        target.approved,
    )
