"""Webhooks: addresses that are told of events, and the token that asks."""

from typing import Annotated, Literal

from fastapi import APIRouter, BackgroundTasks, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy import select

from zero_easel.api import PREFIX
from zero_easel.api.access import Bench, Caller, Reading, Writing, may
from zero_easel.api.once import Creating, made
from zero_easel.api.pages import Listing, PartAsked
from zero_easel.api.problems import Refusal, problems
from zero_easel.api.told import ChangedWebhook, Moment, SeenWebhook, Sent
from zero_easel.doors.out.hooks import WebhookError, add_webhook, remove_webhook
from zero_easel.library.store.access import AccessToken, Event, Message, MessageState, Right, Webhook
from zero_easel.library.telling import tell

router = APIRouter()
Told = Literal["run.ended", "run.rests", "picture.turned_away"]


class WebhookTold(BaseModel):
    """An address that is told. active: false once it answered 410 (Gone). trouble: why it was not reached, or ""."""

    id: int = Field(examples=[1])
    address: str = Field(examples=["https://shop.example/events"])
    events: list[Event]
    active: bool
    trouble: str
    created: Moment


class WebhookMade(WebhookTold):
    """A new one. secret: with it each message is signed; it is told here and never again."""

    secret: str = Field(examples=["whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"])


class NewWebhook(Sent):
    """address: on a host that the owner of this application has listed (ZERO_EASEL_HOOKS). events: run.ended (done or
    stopped), run.rests (paused, also by a failure, or interrupted), picture.turned_away (rejected, or given up)."""

    address: Annotated[str, Field(min_length=1, max_length=1000, examples=["https://shop.example/events"])]
    events: Annotated[list[Told], Field(min_length=1, max_length=10, examples=[["run.ended"]])]


class MessageTold(BaseModel):
    """A message on its way. name: the Webhook-Id that it is sent with, each time. said: what came back, or ""."""

    id: int = Field(examples=[1])
    name: str
    event: str
    state: MessageState
    tries: int
    due: Moment
    said: str
    made: Moment


class TokenTold(BaseModel):
    """The token that asks. Without one, on the command line of the application's own machine, everything is allowed."""

    name: str
    scopes: list[Right]
    expires: Moment | None


def _told(hook: Webhook) -> WebhookTold:
    return WebhookTold(
        id=hook.id,
        address=hook.address,
        events=list(hook.events),
        active=hook.active,
        trouble=hook.trouble,
        created=hook.created,
    )


@router.get("/webhooks", tags=["webhooks"], dependencies=may(Right.READ))
def list_webhooks(session: Reading, cursor: PartAsked) -> Listing[WebhookTold]:
    """All addresses that are told of events."""
    return cursor.part(cursor.rows(session, select(Webhook), Webhook.id), _told, lambda hook: hook.id)


@router.post(
    "/webhooks",
    tags=["webhooks"],
    status_code=201,
    response_model=WebhookMade,
    dependencies=may(Right.HAND_OVER),
    responses=problems(409),
)
def new_webhook(session: Writing, bench: Bench, asked: NewWebhook, once: Creating) -> Response:
    """Have an address told. 409 if its host is not listed, or is a private address that is not listed itself."""

    def create() -> Response:
        events = [Event(one) for one in asked.events]
        try:
            hook, secret = add_webhook(session, bench.seal, asked.address, events, bench.settings.hook_hosts)
        except WebhookError as error:
            raise Refusal(409, str(error)) from error
        told = WebhookMade(secret=secret, **_told(hook).model_dump())
        return made(told, f"{PREFIX}/webhooks/{hook.id}")

    return once.do(asked, create)


@router.get("/webhooks/{webhook_id}", tags=["webhooks"], dependencies=may(Right.READ))
def read_webhook(hook: SeenWebhook) -> WebhookTold:
    """One address that is told."""
    return _told(hook)


@router.delete("/webhooks/{webhook_id}", tags=["webhooks"], status_code=204, dependencies=may(Right.HAND_OVER))
def delete_webhook(session: Writing, hook: ChangedWebhook) -> None:
    """Tell it nothing any more."""
    remove_webhook(session, hook)


@router.post("/webhooks/{webhook_id}/test", tags=["webhooks"], status_code=202, dependencies=may(Right.HAND_OVER))
def test_webhook(session: Writing, bench: Bench, hook: ChangedWebhook, after: BackgroundTasks) -> MessageTold:
    """Send it a message of the event "test"."""
    tell(session, Event.TEST, {"webhook": hook.id}, hook)
    after.add_task(bench.teller.wake)
    newest = select(Message).where(Message.webhook_id == hook.id).order_by(Message.id.desc()).limit(1)
    return _message(session.scalars(newest).one())


@router.get("/webhooks/{webhook_id}/messages", tags=["webhooks"], dependencies=may(Right.READ))
def list_messages(session: Reading, hook: SeenWebhook, cursor: PartAsked) -> Listing[MessageTold]:
    """What it was told, the newest first."""
    query = select(Message).where(Message.webhook_id == hook.id)
    return cursor.part(cursor.rows(session, query, Message.id, newest=True), _message, lambda row: row.id)


def _message(row: Message) -> MessageTold:
    return MessageTold(**{key: getattr(row, key) for key in MessageTold.model_fields})


@router.get("/token", tags=["token"], dependencies=may(Right.READ))
def read_token(request: Request, session: Reading) -> TokenTold:
    """What the token that asks allows."""
    caller: Caller = request.state.caller
    row = session.get(AccessToken, caller.token_id) if caller.token_id else None
    name, expires = (row.name, row.expires) if row else ("the command line of this machine", None)
    return TokenTold(name=name, scopes=sorted(caller.scopes), expires=expires)
