"""Placing by hand and ruling from the line-up, in a real library; every step back again."""

import numpy as np
import pytest
from sqlalchemy.orm import Session

from zero_easel.core.items.measure import measures_of
from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Adjustment, Placement
from zero_easel.core.standard.model import Scope, StandardError
from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.placing import (
    at_place,
    back_to_rule,
    change_rule,
    make_rule,
    place_by_hand,
    same_for_view,
)
from zero_easel.library.changes.standards import set_rule
from zero_easel.library.changes.undo import redo as redo_there
from zero_easel.library.changes.undo import undo as undo_there
from zero_easel.library.lists.lineup import row_of
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.models import CutoutRow, Original, PhotoRow, Shoot, Stage

PRODUCTS = (
    b"code,name,category,width,height,depth\nA,Mug,kitchen,50,60,50\nB,Jug,kitchen,80,110,80\nC,Pot,garden,90,80,90\n"
)


@pytest.fixture
def shoot(session: Session) -> Shoot:
    """Three products, front and back, photographed at 4 px per mm."""
    import_catalog(session, PRODUCTS, "p.csv")
    shoot = create_shoot(session, "Row")
    session.flush()
    for n, (code, view) in enumerate((c, v) for c in "ABC" for v in ("front", "back")):
        w, h = {"A": (200, 250), "B": (320, 460), "C": (360, 350)}[code]
        alpha = np.zeros((900, 900), np.uint8)
        alpha[700 - h : 700, 450 - w // 2 : 450 + w // 2] = 255
        measures = measures_of(alpha, 0, 0, Size(900, 900))
        assert measures is not None
        session.add(Original(digest=f"{n:064x}", bytes=1, width=900, height=900, read=True))
        session.add(CutoutRow(key=f"k{n}", confidence=1, flags=(), left=0, top=0, width=900, height=900, seconds=1,
                              bounds=measures.bounds, measures=measures))  # fmt: skip
        session.add(PhotoRow(shoot_id=shoot.id, digest=f"{n:064x}", name=f"{code}-{view}.jpg", code=code, view=view,
                          by_hand=True, clearing="done", cutout_key=f"k{n}"))  # fmt: skip
    session.flush()
    return shoot


def undo(session: Session, shoot: Shoot) -> str:
    step = undo_there(session, at_place(shoot))
    return step.text if step else ""


def redo(session: Session, shoot: Shoot) -> str:
    step = redo_there(session, at_place(shoot))
    return step.text if step else ""


def placement(session: Session, shoot: Shoot) -> dict[str, Placement]:
    row = row_of(session, shoot.id)
    return {
        one.line.name: lay
        for one, lay in zip(row, lay_out([one.subject for one in row], shoot.standard.rules), strict=True)
        if lay
    }


def ids(session: Session, shoot: Shoot) -> dict[str, int]:
    return {one.line.name: one.line.id for one in row_of(session, shoot.id)}


def state(session: Session, shoot: Shoot) -> tuple[object, ...]:
    hands = {one.line.name: one.subject.adjustment for one in row_of(session, shoot.id)}
    return hands, shoot.standard.rules


def test_every_step_is_taken_back_and_done_again(session: Session, shoot: Shoot) -> None:
    of = ids(session, shoot)
    steps = [
        lambda: place_by_hand(session, shoot, [of["A-front.jpg"]], {"right": 4.0, "scale": 0.9}),
        lambda: change_rule(session, shoot, "item.scale", "true-size", Scope("kitchen")),
        lambda: same_for_view(session, shoot, of["A-front.jpg"]),
        lambda: back_to_rule(session, shoot, [of["B-front.jpg"], of["A-front.jpg"]]),
        lambda: make_rule(session, shoot, of["C-front.jpg"], Scope("garden", "front")),
        lambda: change_rule(session, shoot, "item.scale", None, Scope("kitchen")),
    ]
    states = [state(session, shoot)]
    for step in steps:
        step()
        states.append(state(session, shoot))
        assert states[-1] != states[-2]
    for before in reversed(states[:-1]):
        assert undo(session, shoot)
        assert state(session, shoot) == before
    assert undo(session, shoot) == "" and undoable(session, at_place(shoot)).redo
    for after in states[1:]:
        assert redo(session, shoot)
        assert state(session, shoot) == after
    assert redo(session, shoot) == ""
    # Steps of matching are another pile.
    assert undoable(session, Where(Stage.MATCH, shoot.id)).undo == ""


def test_the_same_view_of_other_products_follows(session: Session, shoot: Shoot) -> None:
    of = ids(session, shoot)
    place_by_hand(session, shoot, [of["A-back.jpg"]], {"down": -3.0, "turn": 2.0})
    assert same_for_view(session, shoot, of["A-back.jpg"]) == 2
    hands = {one.line.name: one.subject.adjustment for one in row_of(session, shoot.id)}
    assert all((hands[name].down, hands[name].turn) == (-3, 2) for name in ("A-back.jpg", "B-back.jpg", "C-back.jpg"))
    assert not hands["A-front.jpg"].moves


@pytest.mark.parametrize("scale", ["share", "true-size", "as-shot"])
@pytest.mark.parametrize("place", ["line", "centre"])
def test_what_was_placed_by_eye_becomes_the_rule(session: Session, shoot: Shoot, scale: str, place: str) -> None:
    change_rule(session, shoot, "item.share", "40")
    change_rule(session, shoot, "item.scale", scale)
    change_rule(session, shoot, "item.place", place)
    of = ids(session, shoot)
    place_by_hand(
        session, shoot, [of["B-front.jpg"]], {"scale": 1.25, "right": 3.0, "down": -2.0 if place == "line" else 2.0}
    )
    wanted = placement(session, shoot)["B-front.jpg"]
    make_rule(session, shoot, of["B-front.jpg"], Scope())
    found = placement(session, shoot)["B-front.jpg"]
    assert row_of(session, shoot.id)[2].subject.adjustment == Adjustment()
    assert np.allclose(found.matrix, wanted.matrix, atol=0.6)
    # The others follow.
    assert placement(session, shoot)["A-front.jpg"].box is not None
    assert found.box is not None and abs((found.box.left + found.box.right) / 2 - 636) < 0.6


def test_what_cannot_be_done_is_said(session: Session, shoot: Shoot) -> None:
    of = ids(session, shoot)
    with pytest.raises(StandardError, match="by the rule already"):
        make_rule(session, shoot, of["A-front.jpg"], Scope())
    with pytest.raises(StandardError, match="no such photo"):
        place_by_hand(session, shoot, [999], {"scale": 2})
    with pytest.raises(StandardError, match="not in the row"):
        same_for_view(session, shoot, 999)
    place_by_hand(session, shoot, [of["A-front.jpg"]], {"down": 30.0})
    with pytest.raises(StandardError, match="must be at least 0"):
        make_rule(session, shoot, of["A-front.jpg"], Scope())
    before = state(session, shoot)
    with pytest.raises(StandardError):
        change_rule(session, shoot, "item.share", "lots")
    assert state(session, shoot) == before


def test_a_swapped_size_stands_out(session: Session, shoot: Shoot) -> None:
    assert not any(note.calls for lay in placement(session, shoot).values() for note in lay.notes)
    import_catalog(session, b"code,width,height,depth\nB,180,60,180\n", "p.csv")
    notes = [note.text for note in placement(session, shoot)["B-front.jpg"].notes if note.calls]
    assert len(notes) == 1 and "taller than its listed 60 mm" in notes[0]


def test_undo_takes_back_its_own_rule_and_no_later_one(session: Session, shoot: Shoot) -> None:
    change_rule(session, shoot, "item.share", "60")
    set_rule(session, shoot.standard, "canvas.width", "900")
    set_rule(session, shoot.standard, "item.margin", "3%")
    assert undo(session, shoot)
    rules = shoot.standard.rules
    assert (rules.item.share, rules.canvas.width, rules.item.margin) == (84, 900, "3%")
    assert redo(session, shoot) and shoot.standard.rules.item.share == 60
