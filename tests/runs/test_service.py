"""Runs in the library, without a dispatcher: what is planned, counted, paused and recovered."""

import csv
import io
import zipfile
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy.orm import Session
from support import AWKWARD, PHOTOS

from zero_easel.core.photos.reading import Reading
from zero_easel.library.changes.repairs import assign, import_shotlist, leave_out
from zero_easel.library.shoots import bring_in, create_shoot, photos_of, store_reading
from zero_easel.library.store.models import PictureRow, Run, Shoot, now
from zero_easel.library.store.vault import Vault
from zero_easel.runs.archive import lists_of, stream_archive
from zero_easel.runs.service import (
    RunError,
    ask_for_run,
    finish_if_through,
    latest_run,
    pictures_of,
    progress_of,
    recover,
    set_state,
    start_asked,
    start_run,
)


@pytest.fixture
def shoot(session: Session, vault: Vault) -> Shoot:
    shoot = create_shoot(session, "Shelf")
    for name in ("BRYD0105.JPG", "BRYD0111.JPG", "BRYD0112.JPG"):
        bring_in(session, vault, shoot, (PHOTOS / name).read_bytes(), name)
    for photo in photos_of(session, shoot.id):
        store_reading(session, photo.digest, Reading((), False, 1.0))
    return shoot


def make(vault: Vault, picture: PictureRow, data: bytes = b"picture") -> None:
    """Stand in for the worker: a finished file."""
    path = vault.picture(picture.run_id, picture.output).path()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    picture.state, picture.bytes, picture.sha256, picture.made = "done", len(data), "0" * 64, now()


def test_a_run_accounts_for_every_photo(session: Session, vault: Vault, shoot: Shoot) -> None:
    bring_in(session, vault, shoot, (AWKWARD / "truncated.jpg").read_bytes(), "broken.jpg")
    next(p for p in photos_of(session, shoot.id) if p.name == "BRYD0105.JPG").left_out = True
    import_shotlist(session, shoot, b"filename,code,view\nBRYD0105.JPG,A,front\nBRYD0111.JPG,B,\n", "s.csv")
    run = start_run(session, vault, shoot)
    rows = {p.original: p for p in pictures_of(session, run.id)}
    assert {name: p.state for name, p in rows.items()} == {
        "BRYD0105.JPG": "left out", "BRYD0111.JPG": "waiting", "BRYD0112.JPG": "left out", "broken.jpg": "failed",
    }  # fmt: skip
    assert rows["BRYD0105.JPG"].message == "left out by hand"
    assert rows["BRYD0112.JPG"].message == "not on the shot list"
    assert "broken.jpg ends too early" in rows["broken.jpg"].message
    assert rows["BRYD0111.JPG"].output == "B_front.jpg"
    at = progress_of(session, run)
    assert (at.total, at.done, at.failed, at.remaining, at.left_out) == (2, 0, 1, 1, 2)


def test_the_standard_of_a_run_is_frozen(session: Session, vault: Vault, shoot: Shoot) -> None:
    run = start_run(session, vault, shoot)
    assert shoot.standard.frozen and run.rules == shoot.standard.rules
    with pytest.raises(RunError, match="under way"):
        start_run(session, vault, shoot)


def test_clashes_and_nothing_to_do_are_refused(session: Session, vault: Vault, shoot: Shoot) -> None:
    photos = photos_of(session, shoot.id)
    assign(session, shoot, [photo.id for photo in photos[:2]], "A", "front")
    with pytest.raises(RunError, match=r"A_front\.jpg would come from BRYD0105\.JPG and BRYD0111\.JPG"):
        start_run(session, vault, shoot)
    leave_out(session, shoot, [photo.id for photo in photos])
    with pytest.raises(RunError, match="No photo"):
        start_run(session, vault, shoot)
    assert session.query(Run).count() == 0


def test_pause_stop_and_continue(session: Session, vault: Vault, shoot: Shoot) -> None:
    run = start_run(session, vault, shoot)
    set_state(session, run, "paused")
    assert progress_of(session, run).can_continue and progress_of(session, run).seconds_left is None
    make(vault, pictures_of(session, run.id)[0])
    session.flush()
    set_state(session, run, "running")
    # The pace counts what was made since the run was taken up, not what was there before.
    assert progress_of(session, run).seconds_left is None
    make(vault, pictures_of(session, run.id)[1])
    session.flush()
    # One picture is no pace yet.
    assert progress_of(session, run).seconds_left is None
    set_state(session, run, "stopped")
    assert run.ended is not None and progress_of(session, run).can_continue
    set_state(session, run, "running")
    make(vault, pictures_of(session, run.id)[2])
    session.flush()
    # What has gone from the disk is not done, whatever was written down.
    path = vault.picture(run.id, pictures_of(session, run.id)[0].output).path()
    path.unlink()
    assert not finish_if_through(session, vault, run.id)
    assert [picture.state for picture in pictures_of(session, run.id)] == ["waiting", "done", "done"]
    make(vault, pictures_of(session, run.id)[0])
    session.flush()
    assert finish_if_through(session, vault, run.id)
    session.refresh(run)
    assert run.state == "done"
    with pytest.raises(RunError, match="has ended"):
        set_state(session, run, "running")


def test_after_a_crash_only_whole_files_count(session: Session, vault: Vault, shoot: Shoot) -> None:
    run = start_run(session, vault, shoot)
    first, second, third = pictures_of(session, run.id)
    make(vault, first)
    make(vault, second)
    vault.picture(run.id, second.output).write(b"pict")
    third.state = "working"
    session.flush()
    assert recover(session, vault) == [run.id]
    assert [p.state for p in pictures_of(session, run.id)] == ["done", "waiting", "waiting"]
    assert run.state == "interrupted" and "1 of 3 pictures are finished" in run.note and "2 remain" in run.note
    assert recover(session, vault) == []


def test_a_paused_run_stays_paused_over_a_restart(session: Session, vault: Vault, shoot: Shoot) -> None:
    run = start_run(session, vault, shoot)
    set_state(session, run, "paused")
    session.flush()
    assert recover(session, vault) == [] and run.state == "paused"


def test_the_archive_holds_what_is_done_and_a_manifest_of_all(
    session: Session, vault: Vault, shoot: Shoot, tmp_path: Path
) -> None:
    run = start_run(session, vault, shoot)
    first, second, _ = pictures_of(session, run.id)
    make(vault, first, b"first")
    second.state, second.message = "failed", "BRYD0111.JPG shows no item."
    run.ended = now()
    session.flush()
    (tmp_path / "a.zip").write_bytes(b"".join(stream_archive(session, vault, run)))
    lists = lists_of(session, run)
    with zipfile.ZipFile(tmp_path / "a.zip") as archive:
        assert sorted(archive.namelist()) == sorted([first.output, *lists])
        assert archive.read(first.output) == b"first"
        assert {name: archive.read(name) for name in lists} == lists
    rows = list(csv.DictReader(io.StringIO(lists["manifest.csv"].decode())))
    assert [row["status"] for row in rows] == ["done", "failed", "waiting"]
    assert rows[0]["message"] == ""  # no catalog, so no product is missing
    assert rows[1]["output"] == "" and rows[1]["message"].endswith("shows no item.")
    assert list(rows[0]) == [
        "original", "code", "view", "output", "width", "height", "bytes", "sha256", "status", "message",
        "deliverable", "quality", "checks",
    ]  # fmt: skip


def test_a_run_waits_until_cards_are_known(session: Session, vault: Vault, shoot: Shoot) -> None:
    bring_in(session, vault, shoot, (PHOTOS / "BRYD0114.JPG").read_bytes(), "BRYD0114.JPG")
    with pytest.raises(RunError, match="still being read for code cards"):
        start_run(session, vault, shoot)
    assign(session, shoot, [photos_of(session, shoot.id)[-1].id], "A", "front")
    assert start_run(session, vault, shoot)


def test_a_run_that_is_asked_for_too_early_starts_when_the_photos_are_read(session: Session, vault: Vault) -> None:
    shoot = create_shoot(session, "Early")
    for name in ("BRYD0105.JPG", "BRYD0111.JPG"):
        bring_in(session, vault, shoot, (PHOTOS / name).read_bytes(), name)
    assert ask_for_run(session, vault, shoot) is None and shoot.run_asked
    with pytest.raises(RunError, match="still being read"):
        start_run(session, vault, shoot)
    for photo in photos_of(session, shoot.id):
        assert latest_run(session, shoot.id) is None
        start_asked(session, vault, store_reading(session, photo.digest, Reading(blur=1.0)))
    run = latest_run(session, shoot.id)
    assert run is not None and len(pictures_of(session, run.id)) == 2 and not shoot.run_asked
    # Where no cards are among them, nothing is waited for.
    other = create_shoot(session, "No cards")
    bring_in(session, vault, other, (PHOTOS / "BRYD0112.JPG").read_bytes(), "BRYD0112.JPG")
    other.cards = False
    assert ask_for_run(session, vault, other) is not None


def test_the_pace_is_that_of_the_latest_pictures(session: Session, vault: Vault, shoot: Shoot) -> None:
    run = start_run(session, vault, shoot)
    pictures, moment = pictures_of(session, run.id), now()
    # A slow start: one picture in ten minutes. Then sixty in a minute.
    run.resumed = moment - timedelta(seconds=660)
    made = [moment - timedelta(seconds=60 - at) for at in range(60)]
    rows = [
        PictureRow(run_id=run.id, photo_id=pictures[0].photo_id, original="x", output=f"{at}.jpg") for at in range(200)
    ]
    for row, at in zip(rows, [run.resumed, *made], strict=False):
        row.state, row.made = "done", at
    session.add_all(rows)
    session.flush()
    at = progress_of(session, run)
    assert at.per_minute == pytest.approx(60, rel=0.1)
    assert at.seconds_left == pytest.approx(at.remaining, rel=0.1) and at.remaining == 142
