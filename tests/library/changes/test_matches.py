"""Matching in the library: repairs by hand, step by step back, and what needs a person."""

from collections.abc import Iterator
from itertools import count
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import insert
from sqlalchemy.orm import Session
from support import new_library

from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.matches import rematch, troubles_of
from zero_easel.library.changes.repairs import (
    MatchError,
    assign,
    back_to_automatic,
    confirm,
    import_shotlist,
    leave_out,
    no_card,
    shift,
    swap,
)
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.lists.lines import lines_of
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.models import Original, PhotoRow, Shoot, Stage

_DIGESTS = count()
State = list[tuple[str, str, bool, bool]]


def at_match(shoot: Shoot) -> Where:
    return Where(Stage.MATCH, shoot.id)


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    database = new_library(tmp_path / "easel.sqlite")
    with database.session() as session:
        import_catalog(session, b"code,name\nA-1,Cup\nB-2,Jug\nC-3,Pot\n", "products.csv")
        yield session
    database.close()


def filled(session: Session, *names: str, codes: dict[str, tuple[str, ...]] | None = None) -> Shoot:
    """A shoot of photos that are read already; codes: of cards, none if a card cannot be read."""
    shoot, cards = create_shoot(session, "Shelf"), codes or {}
    for name in names:
        digest = f"{next(_DIGESTS):064x}"
        row = {"digest": digest, "bytes": 1, "read": True, "codes": cards.get(name, ()), "card_like": name in cards,
               "look": bytes(range(192)) if name in cards else b""}  # fmt: skip
        session.execute(insert(Original), [row])
        session.add(PhotoRow(shoot_id=shoot.id, digest=digest, name=name))
    rematch(session, shoot)
    return shoot


def state(session: Session, shoot: Shoot) -> State:
    return [(line.code, line.view, line.by_hand, line.left_out) for line in lines_of(session, shoot.id)]


def ids(session: Session, shoot: Shoot) -> list[int]:
    return [line.id for line in lines_of(session, shoot.id)]


def held(session: Session, shoot: Shoot) -> list[str]:
    return [f"{line.code} {line.view}".strip() for line in lines_of(session, shoot.id)]


def test_a_run_is_shifted_and_what_falls_off_is_told(session: Session) -> None:
    shoot = filled(session, *(f"P000{n}.JPG" for n in range(1, 6)))
    one, two, three, four, five = ids(session, shoot)
    for photo, code, view in (
        (one, "A-1", "front"),
        (two, "A-1", "back"),
        (three, "B-2", "front"),
        (four, "B-2", "back"),
    ):
        assign(session, shoot, [photo], code, view)
    assert shift(session, shoot, [four, two, three], 1).endswith("B-2 back fell off the end")
    assert held(session, shoot) == ["A-1 front", "", "A-1 back", "B-2 front", ""]
    assert "earlier" in shift(session, shoot, [two, three, four], -1)
    assert held(session, shoot) == ["A-1 front", "A-1 back", "B-2 front", "", ""]
    with pytest.raises(MatchError, match="at least two"):
        shift(session, shoot, [five], 1)


def test_two_are_swapped_and_a_range_is_assigned(session: Session) -> None:
    shoot = filled(session, "A-1_front.jpg", "B-2_top.jpg", "x.jpg")
    first, second, third = ids(session, shoot)
    swap(session, shoot, [first, second])
    assert held(session, shoot) == ["B-2 top", "A-1 front", ""]
    assign(session, shoot, [second, third], "C-3", None)
    assert held(session, shoot) == ["B-2 top", "C-3 front", "C-3"]
    back_to_automatic(session, shoot, [first, second])
    assert held(session, shoot) == ["A-1 front", "B-2 top", "C-3"]
    with pytest.raises(MatchError, match="two photos"):
        swap(session, shoot, [first])
    with pytest.raises(MatchError, match="of this shoot"):
        assign(session, filled(session, "y.jpg"), [first], "A-1", "")


_STEPS = st.lists(st.tuples(st.sampled_from(["assign", "swap", "shift", "out", "auto", "table", "confirm"]),
                            st.lists(st.integers(0, 4), min_size=1, max_size=3, unique=True)), max_size=12)  # fmt: skip


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(_STEPS)
def test_all_of_it_can_be_undone_step_by_step_and_done_again(
    session: Session, steps: list[tuple[str, list[int]]]
) -> None:
    shoot = filled(session, "A-1_front.jpg", "P0001.JPG", "P0002.JPG", "B-2.jpg", "P0003.JPG")
    photos = ids(session, shoot)
    states = [state(session, shoot)]
    for at, (kind, places) in enumerate(steps):
        chosen = [photos[place] for place in places]
        before = undoable(session, at_match(shoot)).undo, len(states)
        try:
            if kind == "assign":
                assign(session, shoot, chosen, "ABC"[at % 3] + f"-{at % 3 + 1}", str(at))
            elif kind == "swap":
                swap(session, shoot, chosen[:2])
            elif kind == "shift":
                shift(session, shoot, chosen, 1 if at % 2 else -1)
            elif kind == "out":
                leave_out(session, shoot, chosen, bool(at % 2))
            elif kind == "auto":
                back_to_automatic(session, shoot, chosen)
            elif kind == "confirm":
                confirm(session, shoot, chosen)
            else:
                import_shotlist(session, shoot, f"filename,code\nP000{at % 3 + 1}.JPG,C-3\n".encode(), f"{at}.csv")
        except MatchError:
            assert before == (undoable(session, at_match(shoot)).undo, len(states))
        if state(session, shoot) != states[-1]:
            states.append(state(session, shoot))
    seen = [state(session, shoot)]
    while undo(session, at_match(shoot)):
        seen.append(state(session, shoot))
    assert seen[-1] == states[0] and all(one in states for one in seen)
    while redo(session, at_match(shoot)):
        pass
    assert state(session, shoot) == states[-1]
    session.delete(shoot)


def test_what_needs_a_person_is_listed(session: Session) -> None:
    names = ("P0001.JPG", "P0002.JPG", "P0003.JPG", "P0004.JPG", "P0005.JPG", "P0007.JPG", "P0008.JPG")
    shoot = filled(session, *names, codes={"P0001.JPG": ("A-1",), "P0004.JPG": (), "P0005.JPG": ("B-2",)})
    troubles = troubles_of(lines_of(session, shoot.id))
    assert [line.name for line in troubles.cards] == ["P0004.JPG"]
    assert [line.name for line in troubles.doubts] == ["P0007.JPG", "P0008.JPG"]
    assert not troubles.unmatched and not troubles.bare_cards and troubles.count == 3
    by_name = {line.name: line.id for line in lines_of(session, shoot.id)}
    confirm(session, shoot, [by_name["P0007.JPG"], by_name["P0008.JPG"]])
    no_card(session, shoot, by_name["P0004.JPG"])
    after = troubles_of(lines_of(session, shoot.id))
    assert after.count == 0 and [line.code for line in lines_of(session, shoot.id)][3:4] == ["A-1"]
    undo(session, at_match(shoot))
    assert [line.name for line in troubles_of(lines_of(session, shoot.id)).cards] == ["P0004.JPG"]
    confirm(session, shoot, [by_name["P0004.JPG"]])
    line = next(line for line in lines_of(session, shoot.id) if line.name == "P0004.JPG")
    assert line.card and not line.doubt
    no_card(session, shoot, line.id)
    assert lines_of(session, shoot.id)[3].code == "A-1" and not lines_of(session, shoot.id)[3].card


def test_a_card_without_photos_behind_it_is_listed(session: Session) -> None:
    shoot = filled(session, "P0001.JPG", "P0002.JPG", "P0003.JPG", codes={"P0001.JPG": ("A-1",), "P0002.JPG": ("B-2",)})
    troubles = troubles_of(lines_of(session, shoot.id))
    assert [line.code for line in troubles.bare_cards] == ["A-1"]
