"""The order in which photos were taken."""

from datetime import datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.catalog.shooting import Frame, Placed, shooting_order

START = datetime(2026, 11, 12, 9, 0)


def frames(*names: str, times: bool = False) -> list[Frame]:
    return [Frame(name, START + timedelta(seconds=20 * i) if times else None) for i, name in enumerate(names)]


def order_of(given_frames: list[Frame]) -> list[str]:
    return [given_frames[placed.at].name for placed in shooting_order(given_frames)]


@given(st.integers(1, 9999), st.integers(2, 60), st.randoms(), st.booleans())
def test_a_counter_that_rolls_over_is_followed(first: int, count: int, dice: object, times: bool) -> None:
    numbers = [(first - 1 + i) % 9999 + 1 for i in range(count)]
    taken = frames(*(f"BRYD{n:04}.JPG" for n in numbers), times=times)
    mixed = sorted(taken, key=lambda _: dice.random())  # type: ignore[attr-defined]
    assert order_of(mixed) == [frame.name for frame in taken]
    assert not any(placed.missing for placed in shooting_order(mixed))


def test_a_missing_number_is_named_even_across_the_rollover() -> None:
    placed = shooting_order(frames("DSC_9997.JPG", "DSC_9998.JPG", "DSC_0001.JPG", "DSC_0004.JPG"))
    assert [(p.missing, p.first_missing) for p in placed] == [(0, ""), (0, ""), (1, "DSC_9999"), (2, "DSC_0002")]


def test_two_days_of_one_camera_are_no_rollover() -> None:
    days = frames("A0200.JPG", "A0201.JPG", "A9000.JPG", "A9001.JPG", times=True)
    assert order_of(list(reversed(days))) == ["A0200.JPG", "A0201.JPG", "A9000.JPG", "A9001.JPG"]


def test_a_time_against_the_numbers_is_told() -> None:
    first, second, third = frames("P001.JPG", "P002.JPG", "P003.JPG", times=True)
    swapped = [first, Frame("P002.JPG", third.taken), Frame("P003.JPG", second.taken)]
    assert [p.earlier for p in shooting_order(swapped)] == [False, False, True]


def test_two_cameras_are_merged_by_time_each_in_its_own_order() -> None:
    one = frames("A0001.JPG", "A0002.JPG", "A0003.JPG", times=True)
    other = [Frame(f.name.replace("A", "B"), f.taken + timedelta(seconds=5)) for f in one if f.taken]
    assert order_of([*other, *one]) == ["A0001.JPG", "B0001.JPG", "A0002.JPG", "B0002.JPG", "A0003.JPG", "B0003.JPG"]


def test_files_without_numbers_go_by_time_or_name_behind_the_others() -> None:
    assert order_of(frames("jug b.jpg", "jug a.jpg", "IMG_0007.JPG")) == ["IMG_0007.JPG", "jug a.jpg", "jug b.jpg"]
    assert shooting_order([]) == [] and shooting_order(frames("x.jpg")) == [Placed(0)]


@given(st.lists(st.tuples(st.text(max_size=12), st.none() | st.datetimes()), max_size=30))
def test_every_frame_is_placed_once_whatever_its_name(given_frames: list[tuple[str, datetime | None]]) -> None:
    placed = shooting_order([Frame(*f) for f in given_frames])
    assert sorted(p.at for p in placed) == list(range(len(given_frames)))
