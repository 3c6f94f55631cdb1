"""What is told before a run, trials, what is made again, and what failed."""

import pytest
from sqlalchemy.orm import Session
from support import CATALOG, PHOTOS

from zero_easel.core.photos.reading import Reading
from zero_easel.demo.load import all_channels
from zero_easel.library.changes.placing import place_by_hand
from zero_easel.library.changes.repairs import assign, leave_out
from zero_easel.library.changes.standards import change_rules, set_rule
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import bring_in, create_shoot, photos_of, store_reading
from zero_easel.library.store.models import Clearing, PictureRow, PictureState, Run, RunState, Shoot
from zero_easel.library.store.vault import Vault
from zero_easel.runs.again import start_again
from zero_easel.runs.differing import compared, earlier_runs
from zero_easel.runs.forecast import Forecast, forecast
from zero_easel.runs.service import (
    RunError,
    finish_if_through,
    latest_run,
    pictures_of,
    progress_of,
    start_run,
    try_again,
)
from zero_easel.runs.trial import COUNT, most_different, start_trial

NAMES = ("BRYD0105", "BRYD0106", "BRYD0111", "BRYD0112", "BRYD0117", "BRYD0120", "BRYD0126")


@pytest.fixture
def shoot(session: Session, vault: Vault) -> Shoot:
    shoot = create_shoot(session, "Shelf")
    for number, name in enumerate(NAMES):
        bring_in(session, vault, shoot, (PHOTOS / f"{name}.JPG").read_bytes(), f"A-{number}_front.JPG")
    for photo in photos_of(session, shoot.id):
        store_reading(session, photo.digest, Reading((), False, 1.0))
    return shoot


def finish(session: Session, vault: Vault, run: Run) -> None:
    """Stand in for the workers: a file for each picture that waits."""
    for picture in pictures_of(session, run.id):
        if picture.state == PictureState.WAITING:
            path = vault.picture(run.id, picture.output).path()
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(b"picture")
            picture.state, picture.bytes, picture.sha256 = PictureState.DONE, 7, "0" * 64
    assert finish_if_through(session, vault, run.id)


def test_what_would_be_made_and_why(session: Session, vault: Vault, shoot: Shoot) -> None:
    assert forecast(session, shoot) is None
    finish(session, vault, start_run(session, vault, shoot))
    assert forecast(session, shoot) == Forecast(7, 7, ())
    photos = photos_of(session, shoot.id)
    place_by_hand(session, shoot, [photos[0].id, photos[1].id], {"scale": 0.9})
    assert forecast(session, shoot) == Forecast(7, 5, ((2, "they were placed or lit by hand"),))
    assign(session, shoot, [photos[2].id], "B-1", "back")
    told = forecast(session, shoot)
    assert told is not None and told.there == 4
    set_rule(session, shoot.standard, "deliverables.shop.quality", "80")
    told = forecast(session, shoot)
    assert told is not None and told.there == 0 and told.reasons[0][0] == 4 and "quality" in told.reasons[0][1]
    set_rule(session, shoot.standard, "canvas.width", "900")
    set_rule(session, shoot.standard, "canvas.height", "900")
    told = forecast(session, shoot)
    assert told is not None and "3 rules changed" in [reason for _, reason in told.reasons]


def test_a_trial_is_of_few_and_goes_when_the_run_starts(session: Session, vault: Vault, shoot: Shoot) -> None:
    trial = start_trial(session, vault, shoot)
    at = progress_of(session, trial)
    assert trial.trial and at.total == COUNT and at.left_out == 2 and latest_run(session, shoot.id) is None
    finish(session, vault, trial)
    again = start_trial(session, vault, shoot)
    assert session.query(Run).count() == 1 and not vault.pictures(trial.id)
    # What it made is taken over, and so nothing is made twice.
    run = start_run(session, vault, shoot)
    assert [one.id for one in session.query(Run)] == [run.id] and latest_run(session, shoot.id) is run
    at = progress_of(session, run)
    assert (at.total, at.reused) == (7, COUNT) and not vault.pictures(again.id)
    with pytest.raises(RunError, match="under way"):
        start_trial(session, vault, shoot)


def test_few_photos_are_all_tried(session: Session, vault: Vault) -> None:
    shoot = create_shoot(session, "Two")
    assert most_different([]) == []
    for number, name in enumerate(NAMES[:2]):
        bring_in(session, vault, shoot, (PHOTOS / f"{name}.JPG").read_bytes(), f"A-{number}_front.JPG")
    for photo in photos_of(session, shoot.id):
        store_reading(session, photo.digest, Reading((), False, 1.0))
    assert progress_of(session, start_trial(session, vault, shoot)).total == 2


def test_the_same_at_another_size(session: Session, vault: Vault, shoot: Shoot) -> None:
    run = start_run(session, vault, shoot)
    with pytest.raises(RunError, match="under way"):
        start_again(session, vault, run, "shop", 640)
    finish(session, vault, run)
    # What is matched and named otherwise since does not matter: it is that run's pictures.
    assign(session, shoot, [photos_of(session, shoot.id)[0].id], "Z-9", "back")
    made = start_again(session, vault, run, "shop", 640)
    assert [p.output for p in pictures_of(session, made.id)] == [p.output for p in pictures_of(session, run.id)]
    wanted = made.rules.deliverables[0]
    assert (wanted.size, wanted.number) == ("longest", 640) and shoot.standard.rules != made.rules
    assert progress_of(session, made).reused == 0
    finish(session, vault, made)
    assert progress_of(session, start_again(session, vault, run, "shop", 640)).reused == 7
    for name, longest, why in (("none", 640, "no deliverable called none"), ("shop", 0, "size")):
        with pytest.raises(RunError, match=why):
            start_again(session, vault, run, name, longest)


@pytest.mark.parametrize("name", ["shop", "thumbnail"])
def test_checks_go_with_their_deliverables(session: Session, vault: Vault, shoot: Shoot, name: str) -> None:
    """The demo's standard checks each of its deliverables, among others for its exact size."""
    import_catalog(session, CATALOG.read_bytes(), "products.csv")
    change_rules(session, shoot.standard, all_channels())
    run = start_run(session, vault, shoot)
    finish(session, vault, run)
    rules = start_again(session, vault, run, name, 1600).rules
    asked = [check for check in all_channels().checks if check.is_for(name)]
    assert [check.rule for check in rules.checks] == [one.rule for one in asked if one.rule not in ("size", "longest")]
    assert len(asked) > 0


def test_names_that_tell_the_size_are_not_made_wrong(session: Session, vault: Vault, shoot: Shoot) -> None:
    set_rule(session, shoot.standard, "names.name", "{code}_{view}_{width}")
    run = start_run(session, vault, shoot)
    finish(session, vault, run)
    with pytest.raises(RunError, match="names tell the size"):
        start_again(session, vault, run, "shop", 640)


def test_what_failed_is_tried_again_alone(session: Session, vault: Vault, shoot: Shoot) -> None:
    run = start_run(session, vault, shoot)
    failed: PictureRow = pictures_of(session, run.id)[3]
    failed.state, failed.message = PictureState.FAILED, "A-3_front.JPG takes longer than the 600 seconds"
    failed.photo.clearing = Clearing.FAILED
    finish(session, vault, run)
    assert run.state == RunState.DONE
    assert try_again(session, run) == 1 and run.state == RunState.RUNNING and run.ended is None
    at = progress_of(session, run)
    assert (at.done, at.failed, at.remaining) == (6, 0, 1) and failed.photo.clearing == Clearing.WAITING
    finish(session, vault, run)
    assert try_again(session, run) == 0 and run.state == RunState.DONE


def test_two_runs_are_compared(session: Session, vault: Vault, shoot: Shoot) -> None:
    first = start_run(session, vault, shoot)
    finish(session, vault, first)
    photos = photos_of(session, shoot.id)
    assign(session, shoot, [photos[0].id], "Z-1", "back")
    leave_out(session, shoot, [photos[1].id])
    bring_in(session, vault, shoot, (PHOTOS / "BRYD0144.JPG").read_bytes(), "A-9_front.JPG")
    for photo in photos_of(session, shoot.id):
        store_reading(session, photo.digest, Reading((), False, 1.0))
    set_rule(session, shoot.standard, "canvas.ground", "#EEEEEE")
    second = start_run(session, vault, shoot)
    finish(session, vault, second)
    by_photo = {picture.photo_id: picture for picture in pictures_of(session, second.id)}
    by_photo[photos[2].id].sha256 = "1" * 64
    told = compared(session, first, second)
    assert [pair.name for pair in told.new] == ["A-9_front.jpg"]
    assert [pair.name for pair in told.gone] == ["A-1_front.jpg"]
    assert [pair.name for pair in told.changed] == ["A-2_front.jpg"]
    assert [pair.name for pair in told.renamed] == ["Z-1_back.jpg (was A-0_front.jpg)"]
    assert told.same == 5 and [one.field for one in told.rules] == ["canvas.ground"]
    assert earlier_runs(session, second) == [first.id] and earlier_runs(session, first) == []
