"""Which cutout each photo should have, and which wait for another."""

from collections.abc import Sequence

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zero_easel.library.people import journal
from zero_easel.library.store.models import Clearing, CutoutRow, PhotoRow
from zero_easel.library.store.vault import Vault, cutout_key


def empties_of(session: Session, shoot_id: int) -> list[str]:
    """Digests of a shoot's photos of its bare backdrop."""
    query = (
        select(PhotoRow.digest)
        .where(PhotoRow.shoot_id == shoot_id, PhotoRow.empty, ~PhotoRow.left_out)
        .order_by(PhotoRow.id)
    )
    return list(session.scalars(query))


def set_empty(session: Session, photo: PhotoRow, empty: bool) -> None:
    """Say that a photo shows the bare backdrop, or that it shows an item after all; its shoot is cleared again."""
    photo.empty = empty
    text = f"{photo.name} shows {'the bare backdrop' if empty else 'an item'}"
    journal.write(session, text, shoot_id=photo.shoot_id, photo_id=photo.id)
    requeue(session, photo.shoot_id)


def accept_cutouts(session: Session, photos: Sequence[PhotoRow], accepted: bool = True) -> None:
    """Say that cutouts have been seen and will do, or take that back."""
    for photo in [photo for photo in photos if photo.accepted != accepted]:
        photo.accepted = accepted
        text = f"cutout of {photo.name} {'accepted' if accepted else 'to be looked at again'}"
        journal.write(session, text, shoot_id=photo.shoot_id, photo_id=photo.id)
    session.flush()


def requeue(session: Session, shoot_id: int) -> None:
    """A shoot's photos wait for clearing again if what their cutouts depend on has changed."""
    empties = empties_of(session, shoot_id)
    photos = session.scalars(select(PhotoRow).where(PhotoRow.shoot_id == shoot_id)).unique()
    for photo in photos:
        if not photo.error and not photo.card and photo.cutout_key != key_of(photo, empties):
            photo.clearing, photo.accepted = Clearing.WAITING, False


def key_of(photo: PhotoRow, empties: list[str]) -> str:
    """Name of the cutout that a photo should have; empties: of its shoot."""
    return cutout_key(photo.digest, empties, photo.marks, photo.adjustment.rectified)


def follow_cutouts(session: Session, photos: Sequence[PhotoRow]) -> None:
    """After photos' geometry was changed: each takes the cutout that belongs to it if there is one, or waits for it. A
    person who accepted the cutout has accepted what was cut out, however it is turned."""
    empties: dict[int, list[str]] = {}
    for photo in photos:
        if photo.clearing != Clearing.DONE or photo.cutout_key is None:
            continue
        if photo.shoot_id not in empties:
            empties[photo.shoot_id] = empties_of(session, photo.shoot_id)
        wanted = key_of(photo, empties[photo.shoot_id])
        if wanted == photo.cutout_key:
            continue
        if session.get(CutoutRow, wanted) is not None:
            photo.cutout_key = wanted
            session.flush()
            session.expire(photo, ["cutout"])
        else:
            photo.clearing = Clearing.WAITING
    session.flush()


def cutout_keys(session: Session, shoot_id: int) -> dict[int, str]:
    """Names of the cutouts that the photos of a shoot should have, by photo id."""
    empties = empties_of(session, shoot_id)
    query = select(PhotoRow.id, PhotoRow.digest, PhotoRow.marks, PhotoRow.adjustment)
    photos = session.execute(query.where(PhotoRow.shoot_id == shoot_id))
    return {at: cutout_key(digest, empties, marks, moved.rectified) for at, digest, marks, moved in photos}


def requeue_outdated(session: Session, vault: Vault) -> int:
    """Photos whose cutout is gone, or was made by another engine, wait for clearing again; returns how many."""
    photos = session.scalars(select(PhotoRow).where(PhotoRow.clearing == Clearing.DONE)).unique().all()
    empties = {shoot_id: empties_of(session, shoot_id) for shoot_id in {p.shoot_id for p in photos}}
    current = {p.id: key_of(p, empties[p.shoot_id]) for p in photos}
    there = vault.cutouts()
    outdated = [p.id for p in photos if p.cutout_key != current[p.id] or current[p.id] not in there]
    for start in range(0, len(outdated), 500):
        chosen = outdated[start : start + 500]
        session.execute(
            update(PhotoRow).where(PhotoRow.id.in_(chosen)).values(clearing=Clearing.WAITING, accepted=False)
        )
    return len(outdated)
