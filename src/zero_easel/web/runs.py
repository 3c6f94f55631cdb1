"""Runs: their list, progress, wall of pictures, and archive."""

import tempfile
from contextlib import suppress
from pathlib import Path

from fastapi import APIRouter, BackgroundTasks, Form, Request
from fastapi.responses import FileResponse, HTMLResponse, RedirectResponse, Response
from sqlalchemy import func, select

from zero_easel.core.naming import portable
from zero_easel.core.standard import Standard
from zero_easel.library.models import Photo, PictureRow, Run
from zero_easel.runs.service import RunError, manifest_of, pictures_of, progress_of, set_state, write_archive
from zero_easel.web.page import Bench, Db, RunById, found, is_partial, plural, show

router = APIRouter()
_STATES = {"pause": "paused", "stop": "stopped", "continue": "running"}


@router.get("/runs")
def list_runs(request: Request, session: Db) -> HTMLResponse:
    """All runs, the newest first."""
    runs = session.scalars(select(Run).order_by(Run.id.desc()).limit(200)).all()
    return show(request, "runs.html", runs=[(run, progress_of(session, run)) for run in runs])


@router.get("/runs/{run_id}")
def run_page(request: Request, session: Db, run: RunById) -> HTMLResponse:
    """Progress, and the wall of what is finished; its live part alone when asked for again."""
    template = "_run.html" if is_partial(request) else "run.html"
    return show(request, template, run=run, at=progress_of(session, run), pictures=pictures_of(session, run.id))


@router.post("/runs/{run_id}/state")
def change_state(
    request: Request, session: Db, bench: Bench, run: RunById, after: BackgroundTasks, wish: str = Form()
) -> Response:
    """Pause, stop or continue."""
    state = found(_STATES.get(wish), "command")
    # It may have ended while the button was on its way; the answer shows that.
    with suppress(RunError):
        set_state(session, run, state)
    session.flush()
    after.add_task(bench.dispatcher.wake)
    if is_partial(request):
        return run_page(request, session, run)
    return RedirectResponse(f"/runs/{run.id}", 303)


@router.get("/runs/{run_id}/archive")
def archive(session: Db, bench: Bench, run: RunById, after: BackgroundTasks) -> FileResponse:
    """All finished pictures and the manifest as one ZIP file."""
    with tempfile.NamedTemporaryFile(dir=bench.vault.root, prefix=".part-", suffix=".zip", delete=False) as file:
        path = Path(file.name)
    after.add_task(path.unlink, missing_ok=True)
    write_archive(session, bench.vault, run.id, path)
    name = f"{portable(run.shoot.name)}-run-{run.id}.zip"
    return FileResponse(path, media_type="application/zip", filename=name, background=after)


@router.get("/runs/{run_id}/manifest.csv")
def manifest(session: Db, run: RunById) -> Response:
    """What became of each photo."""
    headers = {"Content-Disposition": 'attachment; filename="manifest.csv"'}
    return Response(manifest_of(session, run.id), media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/pictures/{picture_id}")
def compare(request: Request, session: Db, picture_id: int) -> HTMLResponse:
    """One finished picture beside its original."""
    picture = found(session.get(PictureRow, picture_id), "picture")
    row = [p for p in pictures_of(session, picture.run_id) if p.state == "done"]
    at = next((i for i, p in enumerate(row) if p.id == picture.id), -1)
    return show(
        request, "compare.html", picture=picture, rules=Standard.model_validate(picture.run.rules),
        previous=row[at - 1] if at > 0 else None,
        following=row[at + 1] if 0 <= at < len(row) - 1 else None,
        position=at + 1, count=len(row),
    )  # fmt: skip


@router.get("/status")
def status(session: Db) -> HTMLResponse:
    """What is going on, in a few words for the foot of each page."""
    running = session.scalar(select(func.count()).select_from(Run).where(Run.state == "running")) or 0
    clearing = (
        session.scalar(select(func.count()).select_from(Photo).where(Photo.clearing == "waiting", ~Photo.left_out)) or 0
    )
    said = [plural(running, "run") + " under way"] if running else []
    said += [f"Clearing {plural(clearing, 'photo')}"] if clearing else []
    return HTMLResponse(", ".join(said) or "Nothing running")
