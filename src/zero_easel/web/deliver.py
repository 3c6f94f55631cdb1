"""Deliver: old name -> new name, the run, and the wall of finished pictures."""

from fastapi import APIRouter, BackgroundTasks, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zero_easel.library.models import Shoot
from zero_easel.library.shoots import photos_of, plan_shoot
from zero_easel.library.standards import rules_of
from zero_easel.runs.service import RunError, latest_run, pictures_of, progress_of, start_run
from zero_easel.web.page import Bench, Db, ShootById, doubtful, show, stages

router = APIRouter()


@router.get("/shoots/{shoot_id}/deliver")
def deliver_page(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """What will be made, what has been made."""
    return _page(request, session, shoot)


@router.post("/shoots/{shoot_id}/runs")
def run_shoot(request: Request, session: Db, bench: Bench, shoot: ShootById, after: BackgroundTasks) -> Response:
    """Start a run over the shoot."""
    try:
        start_run(session, shoot)
    except RunError as error:
        return _page(request, session, shoot, str(error), 409)
    after.add_task(bench.dispatcher.wake)
    return RedirectResponse(f"/shoots/{shoot.id}/deliver", 303)


def _page(request: Request, session: Db, shoot: Shoot, error: str = "", status: int = 200) -> HTMLResponse:
    planned, clashes = plan_shoot(session, shoot)
    clashing = {original for clash in clashes for original in clash.originals}
    run = latest_run(session, shoot.id)
    photos = photos_of(session, shoot.id)
    return show(
        request, "deliver.html", status, shoot=shoot, marks=stages(session, shoot), stage="deliver", error=error,
        planned=sorted(planned, key=lambda pair: (pair[1].original not in clashing, bool(pair[1].code))),
        clashes=clashes, clashing=clashing, rules=rules_of(shoot.standard), row=shoot.standard,
        look_at=sum(doubtful(photo) for photo, _ in planned), staying=len(photos) - len(planned),
        run=run, at=progress_of(session, run) if run else None, pictures=pictures_of(session, run.id) if run else [],
    )  # fmt: skip
