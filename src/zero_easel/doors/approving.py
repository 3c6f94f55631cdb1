"""A link to approve: somebody without an account looks at finished pictures, and says yes, or no and why.

All pictures of a photo are asked about at once: a yes is a yes to each of them, a no is to the one that was looked at.
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
    """The pictures of a photo, which somebody is asked about, and what was said of each, if anything was."""

    pictures: tuple[PictureRow, ...]
    answers: tuple[ApprovalAnswer | None, ...]

    @property
    def picture(self) -> PictureRow:
        """The one to look at first: that to which somebody said no, else the first that waits for an answer."""
        return self.pictures[self._first]

    @property
    def answer(self) -> ApprovalAnswer | None:
        """What was said of it; None if anything waits for an answer."""
        return self.answers[self._first]

    @property
    def _first(self) -> int:
        urgent = ["no" if one and not one.yes else "yes" if one else "open" for one in self.answers]
        return next((urgent.index(said) for said in ("no", "open") if said in urgent), 0)


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
    """The pictures of a link, photo by photo in shooting order."""
    run = session.get(Run, link.run_id) if link.run_id else latest_run(session, link.shoot_id)
    return asked_about(session, run) if run else []


def asked_about(session: Session, run: Run) -> list[Asked]:
    """The pictures of a run that somebody may be asked about, with the latest answer to each."""
    photos: dict[int, list[PictureRow]] = {}
    query = select(PictureRow).where(PictureRow.run_id == run.id, PictureRow.state == PictureState.DONE)
    for picture in session.scalars(query.order_by(PictureRow.id)):
        if handed_over(picture, run.rules):
            photos.setdefault(picture.photo_id, []).append(picture)
    answers = _answers(session, list(photos))
    return [
        Asked(tuple(pictures), tuple(answers.get((photo, one.sha256)) for one in pictures))
        for photo, pictures in photos.items()
    ]


def _answers(session: Session, ids: Sequence[int]) -> dict[tuple[int, str], ApprovalAnswer]:
    """The latest answer to each file of some photos, by photo and digest."""
    found: dict[tuple[int, str], ApprovalAnswer] = {}
    for start in range(0, len(ids), 500):
        query = select(ApprovalAnswer).where(ApprovalAnswer.photo_id.in_(ids[start : start + 500]))
        # The latest answer counts, by whichever link it was given.
        for one in session.scalars(query.order_by(ApprovalAnswer.made, ApprovalAnswer.id)):
            found[one.photo_id, one.sha256] = one
    return found


def answer(session: Session, link: ApprovalLink, picture_id: int, said: Said) -> None:
    """Keep what somebody says of a picture, in the stead of what they said before: yes to all pictures of its photo, no
    to this one. Raises ApprovalError if it is none of the link's."""
    asked, picture = asked_of(asked_by(session, link), picture_id)
    for one in asked.pictures if said.yes else (picture,):
        _keep(session, link, one, said)
    session.flush()
    told = "yes" if said.yes else f"no, {_plain(said) or said.flaw}"
    text = f"{link.name} says {told}: {picture.code or picture.original} {picture.view}".strip()
    journal.write(session, text, about="approval", shoot_id=link.shoot_id, photo_id=picture.photo_id)


def asked_of(asked: Sequence[Asked], picture_id: int) -> tuple[Asked, PictureRow]:
    """A picture among those that are asked about, and what is asked with it. Raises ApprovalError if it is none."""
    for one in asked:
        for picture in one.pictures:
            if picture.id == picture_id:
                return one, picture
    raise ApprovalError("This picture is not among those of the link any more.")


def _keep(session: Session, link: ApprovalLink, picture: PictureRow, said: Said) -> None:
    mine = ApprovalAnswer.link_id == link.id, ApprovalAnswer.photo_id == picture.photo_id
    row = session.scalar(select(ApprovalAnswer).where(*mine, ApprovalAnswer.sha256 == picture.sha256))
    if row is None:
        row = ApprovalAnswer(link_id=link.id, photo_id=picture.photo_id, sha256=picture.sha256)
        session.add(row)
    row.yes, row.words, row.made = said.yes, "" if said.yes else _plain(said), now()
    row.flaw = Flaw.OTHER if said.yes else said.flaw
    dotted = not said.yes and said.x is not None and said.y is not None
    row.x, row.y = (said.x, said.y) if dotted else (None, None)
    session.flush()


def _plain(said: Said) -> str:
    return " ".join(said.words.split())[:_WORDS]


def counts_of(asked: Sequence[Asked]) -> Counter[str]:
    """How many photos are yes, no, and open."""
    return Counter("open" if one.answer is None else "yes" if one.answer.yes else "no" for one in asked)


def approved_pictures(session: Session, run: Run) -> set[int]:
    """The pictures of a run to which somebody said yes, by their ids."""
    return {
        picture.id
        for one in asked_about(session, run)
        for picture, said in zip(one.pictures, one.answers, strict=True)
        if said is not None and said.yes
    }
