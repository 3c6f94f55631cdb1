"""Other programs: tokens by which they are let in, and addresses that are told of events."""

from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zero_easel.api import PREFIX
from zero_easel.doors.out.hooks import WebhookError, add_webhook, all_webhooks, remove_webhook
from zero_easel.doors.out.sealing import SealError
from zero_easel.library.store.access import MEANING, AccessToken, Event, Right, Webhook
from zero_easel.library.telling import tell
from zero_easel.library.tokens import MOST_DAYS, USUAL_DAYS, TokenError, all_tokens, is_used_up, issue, revoke
from zero_easel.web.page import Bench, Db, Number, Waiting, found, show

router = APIRouter()
_EVENTS = {
    Event.RUN_ENDED: "a run has ended",
    Event.RUN_RESTS: "a run rests",
    Event.TURNED_AWAY: "a picture was turned away",
}


@router.get("/programs")
def programs(request: Request, session: Db, bench: Bench, flash: Waiting, shown: str = "") -> HTMLResponse:
    """Who is let in, and who is told."""
    return _page(request, session, bench, flash.take(shown))


def _page(request: Request, session: Db, bench: Bench, secret: str = "", error: str = "") -> HTMLResponse:
    hosts = bench.settings.hook_hosts
    return show(
        request,
        "programs.html",
        422 if error else 200,
        secret=secret,
        error=error,
        tokens=all_tokens(session),
        is_used_up=is_used_up,
        rights=MEANING,
        usual=USUAL_DAYS,
        most=MOST_DAYS,
        hooks=all_webhooks(session),
        events=_EVENTS,
        hosts=hosts,
        example=f"https://{hosts[0]}/events" if hosts else "",
        api=PREFIX,
    )


@router.post("/programs/tokens")
def add_token(
    request: Request,
    session: Db,
    bench: Bench,
    flash: Waiting,
    name: Annotated[str, Form()] = "",
    days: Annotated[Number, Form()] = USUAL_DAYS,
    rights: Annotated[list[Right] | None, Form()] = None,
) -> Response:
    """One more token; it is shown on the next page, and never again."""
    try:
        _, text = issue(session, name, rights or (), days)
    except TokenError as error:
        return _page(request, session, bench, error=str(error))
    return RedirectResponse(f"/programs?shown={flash.keep(text)}", 303)


@router.post("/programs/tokens/{token_id}/revoke")
def revoke_token(session: Db, token_id: Number) -> Response:
    """Let nobody in by it any more."""
    revoke(session, found(session.get(AccessToken, token_id), "token"))
    return RedirectResponse("/programs", 303)


@router.post("/programs/webhooks")
def add_hook(
    request: Request,
    session: Db,
    bench: Bench,
    flash: Waiting,
    address: Annotated[str, Form()] = "",
    events: Annotated[list[Event] | None, Form()] = None,
) -> Response:
    """One more address that is told; its secret is shown on the next page, and never again."""
    try:
        _, secret = add_webhook(session, bench.seal, address, events or (), bench.settings.hook_hosts)
    except (WebhookError, SealError) as error:
        return _page(request, session, bench, error=str(error))
    return RedirectResponse(f"/programs?shown={flash.keep(secret)}", 303)


@router.post("/programs/webhooks/{webhook_id}/test")
def test_hook(session: Db, bench: Bench, webhook_id: Number, after: BackgroundTasks) -> Response:
    """Tell it of nothing but this."""
    hook = found(session.get(Webhook, webhook_id), "address")
    tell(session, Event.TEST, {"webhook": hook.id}, hook)
    after.add_task(bench.teller.wake)
    return RedirectResponse("/programs", 303)


@router.post("/programs/webhooks/{webhook_id}/remove")
def remove_hook(session: Db, webhook_id: Number) -> Response:
    """Tell it nothing any more."""
    remove_webhook(session, found(session.get(Webhook, webhook_id), "address"))
    return RedirectResponse("/programs", 303)
