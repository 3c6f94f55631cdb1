"""Shoots and their photos: making, bringing in, deleting, and what their clearing depends on."""

from collections.abc import Collection
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, String, and_, delete, func, or_, select, type_coerce, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from zero_easel.core.catalog.shooting import Frame, in_shooting_order
from zero_easel.core.finishing.encode import encode_jpeg, encode_webp
from zero_easel.core.photos.decoding import Photo, PhotoFacts, decode_photo, digest_of, read_photo
from zero_easel.core.photos.opening import NoPictureError, PhotoError
from zero_easel.core.photos.reading import Reading
from zero_easel.core.photos.reducing import thumbnail
from zero_easel.core.placing.layout import cuts_nothing
from zero_easel.core.standard.naming import base_name, folder_name, plain, shows_backdrop
from zero_easel.engines.decoders import decoders
from zero_easel.library.changes.cutouts import requeue
from zero_easel.library.changes.matches import stale
from zero_easel.library.changes.standards import add_standard, change_rules, ensure_standard, remove_standard, used_by
from zero_easel.library.people import journal
from zero_easel.library.store.models import (
    Change,
    Clearing,
    Original,
    PhotoRow,
    PictureRow,
    PictureState,
    Run,
    RunState,
    Shoot,
    ShotRow,
    StandardRow,
)
from zero_easel.library.store.vault import Vault
from zero_easel.planning.whole import NAME, whole_standard

THUMBNAIL = 320
LARGE = 1600


@dataclass(frozen=True)
class BroughtIn:
    """What became of a file that was brought in. error and note are sentences or ""."""

    photo_id: int
    name: str
    error: str
    note: str


def create_shoot(session: Session, name: str, *, whole: bool = False) -> Shoot:
    """A new, empty shoot under the shop's standard, or, of whole pictures, under one of its own, which begins as the
    last one was left. Raises ValueError if the name is empty."""
    name = _named(name)
    shoot = Shoot(name=name, whole=whole, cards=not whole)
    shoot.standard = _whole_standard(session, name) if whole else ensure_standard(session)
    session.add(shoot)
    session.flush()
    journal.write(session, "made the shoot", about=name, shoot_id=shoot.id)
    return shoot


def shoot_named(session: Session, name: str) -> Shoot:
    """The newest shoot of a name, or a new one. Raises ValueError if the name is empty."""
    query = select(Shoot).where(Shoot.name == _named(name)).order_by(Shoot.id.desc())
    return session.scalar(query.limit(1)) or create_shoot(session, name)


def rename_shoot(session: Session, shoot: Shoot, name: str) -> None:
    """Call a shoot otherwise. Raises ValueError if the name is empty."""
    before, shoot.name = shoot.name, _named(name)
    journal.write(session, f"renamed the shoot, which was {before}", about=shoot.name, shoot_id=shoot.id)


def _named(name: str) -> str:
    name = plain(name)[:200]
    if not name:
        raise ValueError("A shoot needs a name.")
    return name


def _whole_standard(session: Session, name: str) -> StandardRow:
    ensure_standard(session)  # the shop's is the first of all
    last = session.scalar(select(Shoot).where(Shoot.whole).order_by(Shoot.id.desc()).limit(1))
    rules = last.standard.rules if last else whole_standard()
    return add_standard(session, rules.model_copy(update={"name": f"{NAME}, {name[:90]}"}))


def cut_out_too(session: Session, shoot: Shoot) -> None:
    """From whole pictures to items that are cut out: same photos, same sizes, by the shop's rules for items."""
    rules, usual = shoot.standard.rules, ensure_standard(session).rules
    names = rules.names if rules.names.name != "{original}" else usual.names
    item = usual.item.model_copy(update={"backdrop": "cleared"})
    change_rules(session, shoot.standard, rules.model_copy(update={"item": item, "names": names, "views": usual.views}))
    shoot.whole, shoot.cards = False, True
    stale(session, [shoot.id])
    session.flush()


def photos_of(session: Session, shoot_id: int) -> list[PhotoRow]:
    """All photos of a shoot in shooting order."""
    query = select(PhotoRow).where(PhotoRow.shoot_id == shoot_id).order_by(PhotoRow.id)
    photos = session.scalars(query).unique().all()
    return [photos[at] for at in in_shooting_order([Frame(p.name, p.original.taken) for p in photos])]


def examine(vault: Vault, data: bytes, name: str) -> dict[str, object]:
    """Put a file into the vault, decode it once, and make its small pictures; returns the columns of its row.

    A damaged picture is kept too, with the reason in `error`; of what is no picture only the reason is.
    """
    try:
        facts, small = decoders().do(name, _decoded, data, name)
    except NoPictureError as error:
        return {"digest": digest_of(data), "bytes": len(data), "error": str(error)}
    except PhotoError as error:
        return {"digest": vault.keep(data), "bytes": len(data), "error": str(error)}
    digest = vault.keep(data)
    _write_small(vault, small, digest)
    return {**asdict(facts), "digest": digest, "error": ""}


class _Small(NamedTuple):
    """A photo reduced, as files: large as JPEG, None where only a camera's own picture was read; thumbnail as WebP."""

    large: bytes | None
    thumbnail: bytes


def _decoded(data: bytes, name: str) -> tuple[PhotoFacts, _Small]:
    """In a decoder: the facts of a photo and its small pictures. Raises PhotoError."""
    photo = decode_photo(data, name, preview=LARGE)
    return photo.facts, _small_of(photo)


def _small_of(photo: Photo) -> _Small:
    """Of a raw file's stored picture only the smallest: what is judged and measured is developed when asked for."""
    large = thumbnail(photo.pixels, LARGE)
    return _Small(None if photo.by_camera else encode_jpeg(large), encode_webp(thumbnail(large, THUMBNAIL)))


def bring_in(
    session: Session, vault: Vault, shoot: Shoot, data: bytes, name: str, facts: dict[str, object] | None = None
) -> BroughtIn:
    """Add one file to a shoot. name may hold folders; the same file under the same name is not added twice.

    facts: what examine() gave, if it was asked already. What the photo shows is found when the shoot is matched next.
    """
    folder, name = folder_name(name), base_name(name)
    digest = str(facts["digest"]) if facts else digest_of(data)
    same = (
        session.scalars(
            select(PhotoRow).where(PhotoRow.shoot_id == shoot.id, PhotoRow.digest == digest).order_by(PhotoRow.id)
        )
        .unique()
        .all()
    )
    for photo in same:
        if photo.name == name and photo.folder == folder:
            return BroughtIn(photo.id, name, photo.problem, "is here already")
    original = session.get(Original, digest)
    problem = ""
    if original is None or original.error:
        facts = facts or examine(vault, data, name)
        problem = str(facts["error"])
        # Two files of one content may be coming in at once: the second finds the first one's row.
        session.execute(insert(Original).values({"read": bool(problem), **facts}).on_conflict_do_nothing())
        original = session.get_one(Original, digest)
    photo = PhotoRow(shoot_id=shoot.id, digest=digest, name=name, folder=folder, original=original)
    photo.clearing = Clearing.NONE if original.error else Clearing.WAITING
    photo.empty = shows_backdrop(name) and not original.error and not shoot.whole
    photo.problem = problem
    session.add(photo)
    session.flush()
    stale(session, [shoot.id])
    if photo.empty:
        requeue(session, shoot.id)
    journal.write(session, f"brought in {name}", about=shoot.name, shoot_id=shoot.id, photo_id=photo.id)
    note = f"is the same picture as {same[0].name}" if same else ""
    return BroughtIn(photo.id, name, problem, note)


def store_reading(session: Session, digest: str, reading: Reading) -> list[int]:
    """Keep what was read off an original; returns the shoots in which no photo waits to be read any more."""
    values = {"read": True, **reading._asdict()}
    session.execute(update(Original).where(Original.digest == digest).values(values))
    concerned = set(session.scalars(select(PhotoRow.shoot_id).where(PhotoRow.digest == digest)))
    stale(session, concerned)
    return sorted(concerned - waiting_to_be_read(session, concerned))


def waiting_to_be_read(session: Session, shoot_ids: Collection[int]) -> set[int]:
    """Those of some shoots in which codes may still be found on photos."""
    unread = select(PhotoRow.shoot_id).join(Original).join(Shoot, Shoot.id == PhotoRow.shoot_id)
    unread = unread.where(~Original.read, Original.error == "", Shoot.cards)
    return set(session.scalars(unread.where(PhotoRow.shoot_id.in_(shoot_ids)).distinct()))


def waits_for_clearing(session: Session) -> ColumnElement[bool]:
    """For questions about photos: whether they are still to be cleared. Those of shoots whose standard needs no cutout
    are not, unless a person wants one cut out, or a run is under way that began with other rules."""
    kept = [row.id for row in session.scalars(select(StandardRow)) if cuts_nothing(row.rules)]
    wanted = type_coerce(PhotoRow.adjustment, String).contains('"backdrop": "cleared"')
    going = select(Run.shoot_id).where(Run.state == RunState.RUNNING)
    concerned = PhotoRow.shoot_id.not_in(select(Shoot.id).where(Shoot.standard_id.in_(kept)))
    return and_(
        PhotoRow.clearing == Clearing.WAITING,
        ~PhotoRow.left_out,
        ~PhotoRow.empty,
        or_(concerned, wanted, PhotoRow.shoot_id.in_(going)),
    )


@dataclass(frozen=True)
class Contents:
    """What deleting a shoot concerns."""

    photos: int
    runs: int
    pictures: int


def contents_of(session: Session, shoot_id: int) -> Contents:
    """Counts of what belongs to a shoot."""

    def count(query: Any) -> int:
        return session.scalar(select(func.count()).select_from(query.subquery())) or 0

    runs = select(Run.id).where(Run.shoot_id == shoot_id)
    made = select(PictureRow.id).where(PictureRow.run_id.in_(runs), PictureRow.state == PictureState.DONE)
    return Contents(count(select(PhotoRow.id).where(PhotoRow.shoot_id == shoot_id)), count(runs), count(made))


def delete_shoot(session: Session, vault: Vault, shoot: Shoot) -> None:
    """Delete a shoot with its matches, marks, runs and finished pictures. Originals stay in the vault.

    Raises ValueError if a run over it is under way.
    """
    runs = session.scalars(select(Run).where(Run.shoot_id == shoot.id)).all()
    if any(run.state == RunState.RUNNING for run in runs):
        raise ValueError("A run over this shoot is under way; stop it first.")
    ids = [run.id for run in runs]
    journal.write(session, "deleted the shoot", about=shoot.name, shoot_id=shoot.id)
    session.execute(delete(PictureRow).where(PictureRow.run_id.in_(ids)))
    session.execute(delete(Run).where(Run.id.in_(ids)))
    for table in (Change, ShotRow, PhotoRow):
        session.execute(delete(table).where(table.shoot_id == shoot.id))
    standard = shoot.standard
    own = shoot.whole and not any(other.id != shoot.id for other in used_by(session, standard))
    session.delete(shoot)
    session.flush()
    if own and not session.scalar(select(Run.id).where(Run.standard_id == standard.id).limit(1)):
        remove_standard(session, standard)
    for run_id in ids:
        vault.remove_run(run_id)


def remake_small(session: Session, vault: Vault, digest: str) -> None:
    """Make the small pictures of an original again, if it is there and gives any."""
    name = session.scalar(select(PhotoRow.name).where(PhotoRow.digest == digest).limit(1))
    if name is not None:
        with suppress(PhotoError):
            path = vault.original(digest).path()
            _write_small(vault, decoders().do(name, _reduced, path, name), digest)


def _reduced(path: Path, name: str) -> _Small:
    """In a decoder: the small pictures of an original. Raises PhotoError."""
    return _small_of(read_photo(path, name))


def _write_small(vault: Vault, small: _Small, digest: str) -> None:
    for kept, data in ((vault.large(digest), small.large), (vault.thumbnail(digest), small.thumbnail)):
        if data is not None and not kept.exists():
            kept.write(data)
