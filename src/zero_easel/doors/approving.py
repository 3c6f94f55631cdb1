"""A link to approve: somebody without an account looks at finished pictures, and says yes, or no and why.

What is said is said of a file, by its digest: a picture that was corrected is another file and waits for an answer
again; one that a later run takes over keeps its answer.
"""

import secrets
from collections import Counter
from collections.abc import Sequence
from datetime import timedelta
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.standard.naming import plain
from zero_easel.library.people import journal
from zero_easel.library.people.accounts import digest, hashed, is_hash_of
from zero_easel.library.store.approvals import ApprovalAnswer, ApprovalLink, Flaw
from zero_easel.library.store.models import PictureRow, PictureState, Run, Shoot, now
from zero_easel.runs.archive import handed_over
from zero_easel.runs.service import latest_run

USUAL_DAYS, MOST_DAYS = 14, 365
_WORDS = 1000


class ApprovalError(ValueError):
    """A link that cannot be made or is good no more, with the reason in a sentence."""


class Asked(NamedTuple):
    """A picture that somebody is asked about, and what was said of it, if anything was."""

    picture: PictureRow
    answer: ApprovalAnswer | None


class Said(NamedTuple):
    """What somebody says of a picture. x, y: of a dot on it, in shares of its width and height, None without one."""

    yes: bool
    flaw: Flaw = Flaw.OTHER
    words: str = ""
    x: float | None = None
    y: float | None = None


def make_link(
    session: Session,
    shoot: Shoot,
    name: str,
    *,
    days: int = USUAL_DAYS,
    run: Run | None = None,
    password: str = "",
    originals: bool = False,
) -> tuple[ApprovalLink, str]:
    """A link and its text, which cannot be shown again. run: whose pictures; the newest of the shoot, whichever that
    is when somebody looks, if not given. Raises ApprovalError."""
    name = plain(name)[:80]
    if not name:
        raise ApprovalError("Say for whom the link is.")
    if not 1 <= days <= MOST_DAYS:
        raise ApprovalError(f"A link is good for 1 to {MOST_DAYS} days.")
    if password and len(password) < 4:
        raise ApprovalError("A password for a link has at least 4 characters.")
    text = secrets.token_urlsafe(32)
    link = ApprovalLink(
        shoot_id=shoot.id,
        run_id=run.id if run else None,
        name=name,
        sha256=digest(text),
        password=hashed(password) if password else "",
        originals=originals,
        expires=now() + timedelta(days=days),
    )
    session.add(link)
    session.flush()
    journal.write(session, f"made a link to approve for {name}", about=shoot.name, shoot_id=shoot.id)
    return link, text


def links_of(session: Session, shoot: Shoot) -> list[ApprovalLink]:
    """All links of a shoot, the newest first."""
    query = select(ApprovalLink).where(ApprovalLink.shoot_id == shoot.id)
    return list(session.scalars(query.order_by(ApprovalLink.id.desc())))


def revoke(session: Session, link: ApprovalLink) -> None:
    """Let nobody look by a link any more; what was said stays."""
    link.revoked = link.revoked or now()
    journal.write(session, f"revoked the link to approve for {link.name}", shoot_id=link.shoot_id)


def is_good(link: ApprovalLink) -> bool:
    """Whether somebody may look by it still."""
    return link.revoked is None and link.expires > now()


def link_of(session: Session, text: str) -> ApprovalLink:
    """The link of a text. Raises ApprovalError; what was revoked, what has expired and what never was are not told
    apart."""
    link = session.scalar(select(ApprovalLink).where(ApprovalLink.sha256 == digest(text)))
    if link is None or not is_good(link):
        raise ApprovalError("This link is good no more. Ask whoever sent it for another one.")
    return link


def opens(link: ApprovalLink, password: str) -> bool:
    """Whether a password is that of a link."""
    return not link.password or is_hash_of(link.password, password)


def asked_by(session: Session, link: ApprovalLink) -> list[Asked]:
    """The pictures of a link, in shooting order: of each photo that of the first deliverable."""
    run = session.get(Run, link.run_id) if link.run_id else latest_run(session, link.shoot_id)
    return asked_about(session, run) if run else []


def asked_about(session: Session, run: Run) -> list[Asked]:
    """The pictures of a run that somebody may be asked about, with the latest answer to each."""
    first: dict[int, PictureRow] = {}
    query = select(PictureRow).where(PictureRow.run_id == run.id, PictureRow.state == PictureState.DONE)
    for picture in session.scalars(query.order_by(PictureRow.id)):
        if picture.photo_id not in first and handed_over(picture, run.rules):
            first[picture.photo_id] = picture
    answers = _answers(session, list(first.values()))
    return [Asked(one, answers.get((one.photo_id, one.sha256))) for one in first.values()]


def _answers(session: Session, pictures: Sequence[PictureRow]) -> dict[tuple[int, str], ApprovalAnswer]:
    found: dict[tuple[int, str], ApprovalAnswer] = {}
    ids = [picture.photo_id for picture in pictures]
    for start in range(0, len(ids), 500):
        query = select(ApprovalAnswer).where(ApprovalAnswer.photo_id.in_(ids[start : start + 500]))
        # The latest answer counts, by whichever link it was given.
        for one in session.scalars(query.order_by(ApprovalAnswer.made, ApprovalAnswer.id)):
            found[one.photo_id, one.sha256] = one
    return found


def answer(session: Session, link: ApprovalLink, picture_id: int, said: Said) -> None:
    """Keep what somebody says of a picture, in the stead of what was said before. Raises ApprovalError if it is none of
    the link's, or a no comes without a reason."""
    picture = next((one.picture for one in asked_by(session, link) if one.picture.id == picture_id), None)
    if picture is None:
        raise ApprovalError("This picture is not among those of the link any more.")
    words = " ".join(said.words.split())[:_WORDS]
    mine = ApprovalAnswer.link_id == link.id, ApprovalAnswer.photo_id == picture.photo_id
    row = session.scalar(select(ApprovalAnswer).where(*mine, ApprovalAnswer.sha256 == picture.sha256))
    if row is None:
        row = ApprovalAnswer(link_id=link.id, photo_id=picture.photo_id, sha256=picture.sha256)
        session.add(row)
    row.yes, row.words, row.made = said.yes, "" if said.yes else words, now()
    row.flaw = Flaw.OTHER if said.yes else said.flaw
    dotted = not said.yes and said.x is not None and said.y is not None
    row.x, row.y = (said.x, said.y) if dotted else (None, None)
    session.flush()
    told = "yes" if said.yes else f"no, {words or said.flaw}"
    text = f"{link.name} says {told}: {picture.code or picture.original} {picture.view}".strip()
    journal.write(session, text, about="approval", shoot_id=link.shoot_id, photo_id=picture.photo_id)


def counts_of(asked: Sequence[Asked]) -> Counter[str]:
    """How many are yes, no, and open."""
    return Counter("open" if one.answer is None else "yes" if one.answer.yes else "no" for one in asked)


def approved_photos(session: Session, run: Run) -> set[int]:
    """The photos of a run whose picture somebody said yes to."""
    return {one.picture.photo_id for one in asked_about(session, run) if one.answer and one.answer.yes}
