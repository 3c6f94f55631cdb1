"""Whether the application runs, whether it can do its work, and figures of it for whoever watches over machines."""

import hmac

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import PlainTextResponse, Response
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Gauge, generate_latest
from sqlalchemy import func, select

from zero_easel.library.shoots import waits_for_clearing
from zero_easel.library.store.access import Message, MessageState
from zero_easel.library.store.doors import Sending, SendingState
from zero_easel.library.store.models import Original, PhotoRow, PictureRow, PictureState, Run, RunState
from zero_easel.web.page import Bench, Db

router = APIRouter()


@router.get("/health")
def health() -> PlainTextResponse:
    """It runs."""
    return PlainTextResponse("ok")


@router.get("/ready")
def ready(session: Db, bench: Bench) -> PlainTextResponse:
    """It can do its work: its library answers, and nothing holds work up. 503 if not; why, only its own pages tell."""
    session.execute(select(1))
    trouble = bench.dispatcher.held_up or bench.vault.trouble()
    return PlainTextResponse("not ready" if trouble else "ready", 503 if trouble else 200)


@router.get("/metrics")
def metrics(request: Request, session: Db, bench: Bench) -> Response:
    """Figures in Prometheus' text format, for who shows ZERO_EASEL_METRICS as a bearer; 404 where none is set."""
    wanted = bench.settings.metrics
    if not wanted:
        raise HTTPException(404, "There is no such page.")
    shown = request.headers.get("authorization", "").removeprefix("Bearer ")
    if not hmac.compare_digest(shown.encode(), wanted.encode()):
        raise HTTPException(401, "Show the token of metrics.")
    return Response(generate_latest(_figures(request, session, bench)), media_type=CONTENT_TYPE_LATEST)


def _figures(request: Request, session: Db, bench: Bench) -> CollectorRegistry:
    registry = CollectorRegistry()

    def tell(name: str, about: str, value: float) -> None:
        Gauge(f"zero_easel_{name}", about, registry=registry).set(value)

    def count(query: object) -> int:
        return session.scalar(query) or 0  # type: ignore[call-overload]

    tell("photos", "Photos of all shoots", count(select(func.count()).select_from(PhotoRow)))
    waiting = select(func.count()).select_from(PhotoRow).where(waits_for_clearing(session))
    tell("photos_waiting_to_be_cleared", "Photos that are still to be cut out", count(waiting))
    unread = select(func.count()).select_from(Original).where(~Original.read, Original.error == "")
    tell("photos_waiting_to_be_read", "Photos not looked through for code cards yet", count(unread))
    running = select(func.count()).select_from(Run).where(Run.state == RunState.RUNNING)
    tell("runs_under_way", "Runs that go on", count(running))
    pictures = Gauge("zero_easel_pictures", "Pictures of all runs", ["state"], registry=registry)
    states = select(PictureRow.state, func.count()).group_by(PictureRow.state)
    for state, number in session.execute(states):
        pictures.labels(PictureState(state).value).set(number)
    sendings = Gauge("zero_easel_handed_over", "Pictures on their way to targets", ["state"], registry=registry)
    for way, number in session.execute(select(Sending.state, func.count()).group_by(Sending.state)):
        sendings.labels(SendingState(way).value).set(number)
    untold = select(func.count()).select_from(Message).where(Message.state == MessageState.WAITING)
    tell("webhook_messages_waiting", "Messages that are still to be told", count(untold))
    tell("held_up", "1 while work waits for room or a place that is gone", bool(bench.dispatcher.held_up))
    answers = Gauge("zero_easel_answers", "Requests answered since the start", ["status"], registry=registry)
    for status, number in request.app.state.answered.items():
        answers.labels(status).set(number)
    return registry
