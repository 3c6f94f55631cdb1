"""Where finished pictures are handed over, what is to go there, and how far that is."""

import re
from collections import Counter
from collections.abc import Collection, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import NamedTuple
from urllib.parse import urlsplit

from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.orm import Session

from zero_easel.core.standard.naming import base_name, folder_name, one_file, portable
from zero_easel.core.standard.patterns import Pattern, PatternError
from zero_easel.doors.approving import approved_pictures
from zero_easel.library.people import journal
from zero_easel.library.store.doors import HandOverTarget, Sending, SendingState, TargetKind
from zero_easel.library.store.models import PictureRow, Run, Shoot, now
from zero_easel.runs.archive import handed_over
from zero_easel.runs.service import pictures_of

FIELDS = ("folder", "name", "code", "view", "deliverable", "original", "shoot", "date")
"""What a target's pattern of paths may hold. folder, name: those that the standard gave."""
_SCHEMES = {
    TargetKind.SFTP: ("sftp",),
    TargetKind.S3: ("s3",),
    TargetKind.WEBDAV: ("http", "https"),
    TargetKind.SHOP: ("http", "https"),
}
_EXAMPLES = {
    TargetKind.FOLDER: "/srv/shop/pictures",
    TargetKind.SFTP: "sftp://shop.example:22/pictures",
    TargetKind.S3: "s3://bucket/pictures",
    TargetKind.WEBDAV: "https://shop.example/dav/pictures",
    TargetKind.SHOP: "https://shop.example",
}


class TargetError(ValueError):
    """A target that cannot be, or nothing that can go there, with the reason in a sentence."""


@dataclass(frozen=True)
class Wanted:
    """A target as a person asks for it. kind, address and the like: see models.HandOverTarget. secret: "" leaves what
    is kept. everywhere: for all shoots of the standard, not only for this one."""

    name: str
    kind: TargetKind
    address: str
    endpoint: str = ""
    user: str = ""
    secret: str = ""
    deliverables: tuple[str, ...] = ()
    checked: bool = False
    path: str = "{folder}/{name}"
    by_itself: bool = False
    everywhere: bool = False
    approved: bool = False


class Way(NamedTuple):
    """A target and how many of its pictures stand where."""

    target: HandOverTarget
    counts: Counter[SendingState]

    @property
    def total(self) -> int:
        """Pictures that were ever to go there and still are."""
        return self.counts.total()


def add_target(
    session: Session, shoot: Shoot, wanted: Wanted, sealed: bytes, folders: Collection[Path]
) -> HandOverTarget:
    """Have pictures of a shoot, or of all of its standard's, handed over to a place. sealed: the secret, encrypted.
    folders: those on this machine that may be written to. Raises TargetError."""
    target = HandOverTarget()
    _set(target, shoot, wanted, folders)
    target.sealed = sealed
    session.add(target)
    session.flush()
    journal.write(session, f"pictures are handed over to {target.name}, {target.address}", shoot_id=shoot.id)
    return target


def change_target(
    session: Session, target: HandOverTarget, shoot: Shoot, wanted: Wanted, sealed: bytes, folders: Collection[Path]
) -> None:
    """The same for one that is there. Another address is another place: what went to the former says nothing of it.
    Raises TargetError."""
    before = (target.kind, target.address, target.endpoint)
    _set(target, shoot, wanted, folders)
    if (target.kind, target.address, target.endpoint) != before:
        target.known = ""
        session.execute(delete(Sending).where(Sending.target_id == target.id))
    target.sealed = sealed or target.sealed
    target.trouble = ""
    journal.write(session, f"changed how pictures get to {target.name}, {target.address}", shoot_id=shoot.id)


def remove_target(session: Session, target: HandOverTarget) -> None:
    """Hand nothing over there any more; what lies there stays."""
    journal.write(session, f"nothing is handed over to {target.name} any more", shoot_id=target.shoot_id)
    session.execute(delete(Sending).where(Sending.target_id == target.id))
    session.delete(target)
    session.flush()


def targets_of(session: Session, shoot: Shoot) -> list[HandOverTarget]:
    """All targets of a shoot: its own, and those of its standard."""
    query = select(HandOverTarget).where(
        or_(HandOverTarget.shoot_id == shoot.id, HandOverTarget.standard_id == shoot.standard_id)
    )
    return list(session.scalars(query.order_by(HandOverTarget.id)))


def ways_of(session: Session, shoot: Shoot) -> list[Way]:
    """A shoot's targets with how far its pictures are on their way there."""
    targets = targets_of(session, shoot)
    query = (
        select(Sending.target_id, Sending.state, func.count())
        .join(PictureRow, PictureRow.id == Sending.picture_id)
        .join(Run, Run.id == PictureRow.run_id)
        .where(Sending.target_id.in_([target.id for target in targets]), Run.shoot_id == shoot.id)
        .group_by(Sending.target_id, Sending.state)
    )
    counts: dict[int, Counter[SendingState]] = {target.id: Counter() for target in targets}
    for target_id, state, count in session.execute(query):
        counts[target_id][state] = count
    return [Way(target, counts[target.id]) for target in targets]


def paths_for(target: HandOverTarget, run: Run, pictures: Sequence[PictureRow]) -> dict[int, str]:
    """The path under which each of some pictures gets to a target, by their ids. Raises TargetError."""
    pattern = _pattern(target.path)
    found: dict[int, str] = {}
    taken: dict[str, str] = {}
    for picture in pictures:
        ending = re.search(r"\.[^./]+$", picture.output)
        values: dict[str, str | int | datetime | None] = {
            "folder": folder_name(picture.output),
            "name": base_name(picture.output).removesuffix(ending[0] if ending else ""),
            "code": picture.code,
            "view": picture.view or picture.subject.view,
            "deliverable": picture.deliverable,
            "original": picture.original.rpartition(".")[0] or picture.original,
            "shoot": run.shoot.name,
            "date": run.created,
        }
        parts = [portable(piece) for part in pattern.fill_parts(values) for piece in part.text.split("/") if piece]
        if not parts:
            raise TargetError(f"The paths of {target.name} leave {picture.output} without a name.")
        path = "/".join(parts) + (ending[0] if ending else "")
        other = taken.setdefault(one_file(path), picture.output)
        if other != picture.output:
            raise TargetError(f"At {target.name} both {other} and {picture.output} would be called {path}.")
        found[picture.id] = path
    return found


def hand_over(session: Session, target: HandOverTarget, run: Run) -> int:
    """Have the finished pictures of a run taken to a target; returns how many have to go. What lies there already and
    has not changed is not sent again. Raises TargetError."""
    approved = approved_pictures(session, run) if target.approved else set()
    pictures = [
        picture
        for picture in pictures_of(session, run.id)
        if handed_over(picture, run.rules)
        and (not target.approved or picture.id in approved)
        and (not target.deliverables or picture.deliverable in target.deliverables)
        and not (target.checked and picture.unmet)
    ]
    if not pictures:
        only = ", which takes approved pictures only" if target.approved else ""
        raise TargetError(f"No finished picture of {run.name} is for {target.name}{only}.")
    paths = paths_for(target, run, pictures)
    # Written first: a person and the end of a run may ask for the same at once, and the second then sees the first's.
    mine = HandOverTarget.id == target.id
    session.execute(update(HandOverTarget).where(mine).values(trouble=HandOverTarget.trouble))
    known = {row.path: row for row in session.scalars(select(Sending).where(Sending.target_id == target.id))}
    count = 0
    for picture in pictures:
        row = known.get(paths[picture.id])
        if row is None:
            row = Sending(target_id=target.id, path=paths[picture.id], sha256="", picture_id=picture.id)
            session.add(row)
        row.picture_id = picture.id
        if row.sha256 == picture.sha256 and row.state in (SendingState.SENT, SendingState.ACCEPTED):
            continue
        if row.sha256 == picture.sha256 and row.state == SendingState.REJECTED:
            # The very same file would be rejected for the very same reasons.
            continue
        _again(row, picture.sha256)
        count += 1
    session.flush()
    text = f"handed {count} pictures of {run.name} over to {target.name}"
    journal.write(session, text, about=run.shoot.name, shoot_id=run.shoot_id, run_id=run.id)
    return count


def try_again(session: Session, target: HandOverTarget) -> int:
    """What was given up or rejected is tried once more; returns how many pictures."""
    states = (SendingState.GIVEN_UP, SendingState.REJECTED, SendingState.WAITING)
    rows = session.scalars(select(Sending).where(Sending.target_id == target.id, Sending.state.in_(states))).all()
    for row in rows:
        _again(row, row.sha256)
    session.flush()
    return len(rows)


def _again(row: Sending, sha256: str) -> None:
    row.sha256, row.state, row.tries, row.due = sha256, SendingState.WAITING, 0, now()
    row.said, row.rules, row.changed = "", (), now()


def hand_over_by_itself(session: Session, run: Run) -> None:
    """What is to go as soon as a run is through; where nothing can, that is told with the target."""
    for target in targets_of(session, run.shoot):
        if target.by_itself and not target.approved and not run.trial:
            try:
                hand_over(session, target, run)
            except TargetError as error:
                target.trouble = str(error)


def hand_over_approved(session: Session, run: Run) -> None:
    """What is to go as soon as somebody has said yes to it."""
    for target in targets_of(session, run.shoot):
        if target.by_itself and target.approved and not run.trial:
            with suppress(TargetError):  # nothing of it is approved yet
                hand_over(session, target, run)


def sendings_of(session: Session, target: HandOverTarget, shoot_id: int, limit: int = 500) -> list[Sending]:
    """The pictures of a shoot on their way to a target, those that need a person first."""
    query = (
        select(Sending)
        .join(PictureRow, PictureRow.id == Sending.picture_id)
        .join(Run, Run.id == PictureRow.run_id)
        .where(Sending.target_id == target.id, Run.shoot_id == shoot_id)
    )
    order = (SendingState.REJECTED, SendingState.GIVEN_UP, SendingState.WAITING)
    rows = list(session.scalars(query.order_by(Sending.id)).unique())
    rows.sort(key=lambda row: order.index(row.state) if row.state in order else len(order))
    return rows[:limit]


def _set(target: HandOverTarget, shoot: Shoot, wanted: Wanted, folders: Collection[Path]) -> None:
    name = " ".join(wanted.name.split())[:80]
    if not name:
        raise TargetError("A place to hand over to needs a name.")
    _check_address(wanted, folders)
    _pattern(wanted.path)
    if not wanted.path.strip(" /."):
        raise TargetError("The paths need a name.")
    target.shoot_id = None if wanted.everywhere else shoot.id
    target.standard_id = shoot.standard_id if wanted.everywhere else None
    target.name, target.kind, target.address = name, wanted.kind, wanted.address.strip().rstrip("/")
    target.endpoint, target.user = wanted.endpoint.strip(), wanted.user.strip()
    target.deliverables, target.checked = wanted.deliverables, wanted.checked
    target.path, target.by_itself = wanted.path.strip(), wanted.by_itself
    target.approved = wanted.approved


def _pattern(text: str) -> Pattern:
    try:
        pattern = Pattern(text)
    except PatternError as error:
        raise TargetError(f"The paths cannot be made: {error}.") from error
    if unknown := sorted(pattern.fields - set(FIELDS)):
        raise TargetError(f"The paths cannot be made: there is no {{{unknown[0]}}} here.")
    return pattern


def _check_address(wanted: Wanted, folders: Collection[Path]) -> None:
    address, example = wanted.address.strip(), _EXAMPLES[wanted.kind]
    if wanted.kind == TargetKind.FOLDER:
        path = Path(address)
        if not path.is_absolute():
            raise TargetError(
                f"{address or 'The folder'} does not say where it is; name the whole path, like {example}."
            )
        if not any(path.resolve().is_relative_to(folder) for folder in folders):
            named = " or ".join(str(folder) for folder in folders) or "any folder that is allowed"
            raise TargetError(f"{address} is not within {named}. Folders are allowed by ZERO_EASEL_OUT.")
        return
    try:
        parts = urlsplit(address)
        host, _ = parts.hostname, parts.port
    except ValueError as error:
        raise TargetError(f"{address} is no address; one reads {example}.") from error
    if parts.scheme not in _SCHEMES[wanted.kind] or not host:
        raise TargetError(f"{address or 'The address'} is none of this kind; one reads {example}.")
    if parts.username or parts.password:
        raise TargetError("Name and password have fields of their own; an address is shown to everybody.")


def due_targets(session: Session) -> list[int]:
    """Targets to which something may go now."""
    query = select(Sending.target_id).where(Sending.state == SendingState.WAITING, Sending.due <= now())
    return list(session.scalars(query.distinct()))


def next_due(session: Session, target_id: int) -> Sending | None:
    """What goes to a target next, if anything may."""
    query = select(Sending).where(
        Sending.target_id == target_id, Sending.state == SendingState.WAITING, Sending.due <= now()
    )
    return session.scalar(query.order_by(Sending.tries, Sending.id).limit(1))


def set_trouble(session: Session, target_id: int, trouble: str) -> None:
    """Tell, or tell no more, why nothing gets to a target."""
    session.execute(
        update(HandOverTarget)
        .where(HandOverTarget.id == target_id, HandOverTarget.trouble != trouble)
        .values(trouble=trouble)
    )
