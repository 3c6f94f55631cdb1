"""Shoots and their photos: bringing in, matching, leaving out, accepting."""

from contextlib import suppress
from dataclasses import asdict, dataclass

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from zero_easel.core.catalog import Problem, Shot, read_shotlist
from zero_easel.core.encode import encode_jpeg, encode_webp
from zero_easel.core.matching import Match, Matcher
from zero_easel.core.naming import base_name, natural_key, shows_backdrop
from zero_easel.core.photo import Photo as DecodedPhoto
from zero_easel.core.photo import PhotoError, decode_photo, digest_of, read_photo, thumbnail
from zero_easel.core.plan import Clash, Planned, find_clashes, plan_outputs
from zero_easel.files import write_atomically
from zero_easel.library.models import Original, Photo, Shoot, ShotRow
from zero_easel.library.products import all_products
from zero_easel.library.standards import ensure_standard, rules_of
from zero_easel.library.touchups import marks_in_force
from zero_easel.library.vault import Vault, cutout_key

THUMBNAIL = 320
LARGE = 1600


@dataclass(frozen=True)
class BroughtIn:
    """What became of a file that was brought in. error and note are sentences or ""."""

    photo_id: int
    name: str
    error: str
    note: str


def create_shoot(session: Session, name: str) -> Shoot:
    """A new, empty shoot under the shop's standard. Raises ValueError if the name is empty."""
    name = " ".join(name.split())[:200]
    if not name:
        raise ValueError("A shoot needs a name.")
    shoot = Shoot(name=name, standard=ensure_standard(session))
    session.add(shoot)
    session.flush()
    return shoot


def photos_of(session: Session, shoot_id: int) -> list[Photo]:
    """All photos of a shoot in the natural order of their names."""
    photos = session.scalars(select(Photo).where(Photo.shoot_id == shoot_id)).unique().all()
    return sorted(photos, key=lambda p: (natural_key(p.name), p.id))


def examine(vault: Vault, data: bytes, name: str) -> dict[str, object]:
    """Put a file into the vault, decode it once, and make its small pictures; returns the columns of its row.

    A file that gives no picture is kept too, with the reason in `error`.
    """
    digest = vault.keep(data)
    try:
        photo = decode_photo(data, name)
    except PhotoError as error:
        return {"digest": digest, "bytes": len(data), "error": str(error)}
    _write_small(vault, photo)
    return {**asdict(photo.facts), "error": ""}


def bring_in(session: Session, vault: Vault, shoot: Shoot, data: bytes, name: str) -> BroughtIn:
    """Add one file to a shoot. The same file under the same name is not added twice."""
    name = base_name(name)
    digest = digest_of(data)
    same = (
        session.scalars(select(Photo).where(Photo.shoot_id == shoot.id, Photo.digest == digest).order_by(Photo.id))
        .unique()
        .all()
    )
    for photo in same:
        if photo.name == name:
            return BroughtIn(photo.id, name, photo.problem, "is here already")
    original = session.get(Original, digest)
    problem = ""
    if original is None or original.error:
        facts = examine(vault, data, name)
        problem = str(facts["error"])
        # Two files of one content may be coming in at once: the second finds the first one's row.
        session.execute(insert(Original).values(facts).on_conflict_do_nothing())
        original = session.get_one(Original, digest)
    photo = Photo(shoot_id=shoot.id, digest=digest, name=name, original=original)
    photo.clearing = "" if original.error else "waiting"
    photo.empty = shows_backdrop(name) and not original.error
    photo.problem = problem
    session.add(photo)
    session.flush()
    _apply(photo, _matcher(session, shoot.id).match(name))
    if photo.empty:
        requeue(session, shoot.id)
    note = f"is the same picture as {same[0].name}" if same else ""
    return BroughtIn(photo.id, name, problem, note)


def rematch(session: Session, shoot_id: int) -> None:
    """Match all photos again that were not assigned by hand, after a new catalog or shot list."""
    matcher = _matcher(session, shoot_id)
    for photo in photos_of(session, shoot_id):
        if not photo.by_hand:
            _apply(photo, matcher.match(photo.name))


def import_shotlist(session: Session, shoot_id: int, data: bytes, name: str) -> tuple[int, list[Problem]]:
    """Replace a shoot's shot list and match again; returns rows taken and rows left out. Raises TableError."""
    shots, problems = read_shotlist(data, name)
    session.execute(delete(ShotRow).where(ShotRow.shoot_id == shoot_id))
    session.add_all(ShotRow(shoot_id=shoot_id, filename=s.filename, code=s.code, view=s.view) for s in shots)
    session.flush()
    rematch(session, shoot_id)
    return len(shots), problems


def assign(photo: Photo, code: str, view: str) -> None:
    """Say by hand what a photo shows; an empty code says that it shows no product of the catalog."""
    photo.code, photo.view = " ".join(code.split()), " ".join(view.split())
    photo.by_hand, photo.why, photo.listed = True, "by hand", True


def back_to_automatic(session: Session, photo: Photo) -> None:
    """Undo an assignment by hand."""
    photo.by_hand = False
    _apply(photo, _matcher(session, photo.shoot_id).match(photo.name))


def takes_part(photo: Photo) -> bool:
    """Whether a run makes a picture of this photo."""
    return not photo.left_out and not photo.empty and photo.listed and not photo.original.error


def empties_of(session: Session, shoot_id: int) -> list[str]:
    """Digests of a shoot's photos of its bare backdrop."""
    query = select(Photo.digest).where(Photo.shoot_id == shoot_id, Photo.empty, ~Photo.left_out).order_by(Photo.id)
    return list(session.scalars(query))


def set_empty(session: Session, photo: Photo, empty: bool) -> None:
    """Say that a photo shows the bare backdrop, or that it shows an item after all; its shoot is cleared again."""
    photo.empty = empty
    session.flush()
    requeue(session, photo.shoot_id)


def requeue(session: Session, shoot_id: int) -> None:
    """A shoot's photos wait for clearing again if what their cutouts depend on has changed."""
    empties = empties_of(session, shoot_id)
    for photo in photos_of(session, shoot_id):
        if not photo.original.error and photo.cutout_key != key_of(photo, empties):
            photo.clearing, photo.accepted = "waiting", False


def key_of(photo: Photo, empties: list[str]) -> str:
    """Name of the cutout that a photo should have; empties: of its shoot."""
    return cutout_key(photo.digest, empties, marks_in_force(photo))


def plan_shoot(session: Session, shoot: Shoot) -> tuple[list[tuple[Photo, Planned]], list[Clash]]:
    """Old name -> new name of all photos that take part, in shooting order, and the clashes among them."""
    photos = [photo for photo in photos_of(session, shoot.id) if takes_part(photo)]
    matched = [(photo.name, Match(photo.code, photo.view, photo.why)) for photo in photos]
    products = {product.code: product for product in all_products(session)}
    planned = plan_outputs(matched, products, rules_of(shoot.standard).deliverable)
    return list(zip(photos, planned, strict=True)), find_clashes(planned)


def requeue_outdated(session: Session, vault: Vault) -> int:
    """Photos whose cutout is gone, or was made by another engine, wait for clearing again; returns how many."""
    photos = session.scalars(select(Photo).where(Photo.clearing == "done")).unique().all()
    empties = {shoot_id: empties_of(session, shoot_id) for shoot_id in {p.shoot_id for p in photos}}
    current = {p.id: key_of(p, empties[p.shoot_id]) for p in photos}
    outdated = [p.id for p in photos if p.cutout_key != current[p.id] or not vault.cutout(current[p.id]).exists()]
    for start in range(0, len(outdated), 500):
        chosen = outdated[start : start + 500]
        session.execute(update(Photo).where(Photo.id.in_(chosen)).values(clearing="waiting", accepted=False))
    return len(outdated)


def _matcher(session: Session, shoot_id: int) -> Matcher:
    shots = session.scalars(select(ShotRow).where(ShotRow.shoot_id == shoot_id)).all()
    return Matcher(all_products(session), [Shot(s.filename, s.code, s.view) for s in shots])


def _apply(photo: Photo, match: Match) -> None:
    photo.code, photo.view, photo.why, photo.listed = match


def remake_small(session: Session, vault: Vault, digest: str) -> None:
    """Make the small pictures of an original again, if it is there and gives any."""
    name = session.scalar(select(Photo.name).where(Photo.digest == digest).limit(1))
    if name is not None:
        with suppress(PhotoError):
            _write_small(vault, read_photo(vault.original(digest), name))


def _write_small(vault: Vault, photo: DecodedPhoto) -> None:
    for longest, path, encode in (
        (LARGE, vault.large(photo.facts.digest), encode_jpeg),
        (THUMBNAIL, vault.thumbnail(photo.facts.digest), encode_webp),
    ):
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(path, encode(thumbnail(photo, longest)))
