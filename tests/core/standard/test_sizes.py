"""Deliverables' sizes: the same picture at every one of them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import item_of, render

from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import lay_out, uncut_sizes
from zero_easel.core.placing.placement import Adjustment, Subject
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.editing import added
from zero_easel.core.standard.model import Scope, Special, Standard
from zero_easel.core.standard.rules import Canvas, Item
from zero_easel.core.standard.sizes import rules_on, size_of

ITEM = item_of(np.pad(np.ones((300, 200), np.float32), 50))


def standard(**item: object) -> Standard:
    base = Standard(canvas=Canvas(width=1000, height=800, density=100), item=Item.model_validate(item))
    return added(
        base, "deliverables", Deliverable(name="thumb", size="longest", number=250),
        Deliverable(name="thumb2", size="multiple", base="thumb", number=2),
        Deliverable(name="narrow", size="exact", width=300, height=900, density=300),
    )  # fmt: skip


def test_sizes_follow_from_the_canvas_or_from_each_other() -> None:
    rules = standard()
    assert {d.name: size_of(rules, d) for d in rules.deliverables} == {
        "shop": (1000, 800), "thumb": (250, 200), "thumb2": (500, 400), "narrow": (300, 900),
    }  # fmt: skip
    for size, number, wanted in (
        ("width", 500, (500, 400)),
        ("height", 400, (500, 400)),
        ("percent", 12.5, (125, 100)),
    ):
        assert size_of(rules, Deliverable(size=size, number=number)) == wanted  # type: ignore[arg-type]


@given(
    st.sampled_from(["6%", "40px", "10mm 20px 10mm", "2cm"]), st.sampled_from(["12%", "100px", "1in"]),
    st.sampled_from([100, 250, 640, 2000]), st.floats(-8, 8), st.sampled_from(["share", "true-size"]),
)  # fmt: skip
def test_an_item_lies_alike_on_every_canvas_of_the_same_shape(
    margin: str, line: str, longest: int, right: float, scale: str
) -> None:
    px = 1.5 if scale == "true-size" else 0
    rules = standard(margin=margin, line=line, share=60, scale=scale, px_per_mm=px)
    subject = Subject(ITEM.measures, Size(300, 400), adjustment=Adjustment(right=right))
    large = lay_out([subject], rules)[0]
    wanted = Deliverable(size="longest", number=longest)
    small = lay_out([subject], rules_on(rules, wanted))[0]
    assert large is not None and small is not None and large.box is not None and small.box is not None
    factor = longest / 1000
    assert small.canvas == size_of(rules, wanted)
    # Margins end on whole pixels of each canvas.
    assert np.allclose(np.array(small.box), np.array(large.box) * factor, atol=1.5 * max(1, factor))


def test_another_shape_is_laid_out_anew_by_the_same_rules() -> None:
    rules = standard(share=80, share_of="width", margin="5%")
    narrow = rules_on(rules, rules.deliverable("narrow"))
    assert (narrow.canvas.width, narrow.canvas.height, narrow.canvas.density) == (300, 900, 300)
    drawn = render(ITEM, narrow)
    assert drawn.pixels.shape[:2] == (900, 300)
    assert drawn.bounds.width == pytest.approx(240, abs=0.5)
    assert 900 - drawn.bounds.bottom == pytest.approx(72, abs=0.5)  # 8 % of its own height


def test_own_rules_of_a_view_are_scaled_too() -> None:
    rules = standard().model_copy(
        update={"exceptions": (Special(view="top", item={"margin": "100px", "fit": "megapixels"}),)}
    )
    small = rules_on(rules, rules.deliverable("thumb"))
    top = small.rules_for(Scope("", "top"))
    assert top.margin == "25px" and (top.fit, top.size) == ("longest", 250)
    half = rules_on(rules, Deliverable(size="percent", number=50)).rules_for(Scope("", "top"))
    assert half.margin == "50px" and (half.fit, half.size) == ("megapixels", 300)


@pytest.mark.parametrize(
    ("fit", "size", "wanted", "pictures"),
    [
        ("longest", 2000, Deliverable(size="longest", number=400), [(400, 300), (300, 400)]),
        ("width", 1200, Deliverable(size="longest", number=400), [(400, 300), (300, 400)]),
        ("width", 1200, Deliverable(size="width", number=640), [(640, 480), (640, 853)]),
        ("width", 1200, Deliverable(size="height", number=480), [(640, 480), (360, 480)]),
        ("longest", 2000, Deliverable(size="exact", width=300, height=250), [(300, 250), (300, 250)]),
        ("longest", 2000, Deliverable(size="percent", number=10), [(200, 150), (150, 200)]),
        ("megapixels", 1.92, Deliverable(size="percent", number=50), [(800, 600), (600, 800)]),
        ("longest", 2000, Deliverable(), [(2000, 1500), (1500, 2000)]),
        ("longest", 2000, Deliverable(size="multiple", base="small", number=3), [(960, 720), (720, 960)]),
        ("longest", 2000, Deliverable(size="multiple", base="box", number=2), [(600, 200), (600, 200)]),
        ("contain", 1, Deliverable(size="longest", number=400), [(400, 320), (400, 320)]),
    ],
)
def test_a_whole_pictures_size_is_what_the_deliverable_says(
    fit: str, size: float, wanted: Deliverable, pictures: list[tuple[int, int]]
) -> None:
    """From the photo's own proportions, whatever the canvas."""
    rules = added(
        Standard(canvas=Canvas(width=1000, height=800), item=Item(backdrop="kept", fit=fit, size=size)),  # type: ignore[arg-type]
        "deliverables", Deliverable(name="small", size="longest", number=320),
        Deliverable(name="box", size="exact", width=300, height=100),
    )  # fmt: skip
    subjects = [Subject(None, Size(4000, 3000)), Subject(None, Size(3000, 4000))]
    assert uncut_sizes(subjects, rules_on(rules, wanted)) == pictures
    assert [p.canvas for p in lay_out(subjects, rules_on(rules, wanted)) if p] == pictures


def test_a_ground_is_never_black_by_accident() -> None:
    clear = Standard(canvas=Canvas(ground="transparent"))
    assert rules_on(clear, Deliverable(format="png")).canvas.ground == "transparent"
    assert rules_on(clear, Deliverable(format="jpeg")).canvas.ground == "#FFFFFF"
    grey = Standard(canvas=Canvas(ground="#EEEEEE"))
    assert rules_on(grey, Deliverable(format="jpeg", ground="transparent")).canvas.ground == "#EEEEEE"
    assert rules_on(grey, Deliverable(format="webp", ground="transparent")).canvas.ground == "transparent"
    assert render(ITEM, rules_on(clear, Deliverable())).pixels[2, 2].tolist() == [255, 255, 255]
