"""Listed colours against measured ones."""

import csv

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from support import CATALOG, PHOTOS, SHOTLIST

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.items.colours import main_colours
from zero_easel.core.light.colour import to_linear
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.placing.light import OTHER_COLOUR
from zero_easel.core.tone.colour_words import described, listed, off
from zero_easel.core.tone.difference import lab_of


def lab(text: str) -> np.ndarray:
    return np.asarray(lab_of(to_linear(np.frombuffer(bytes.fromhex(text), np.uint8))))


@pytest.mark.parametrize(
    ("text", "words"),
    [("navy", "blue"), ("c02020", "red"), ("2c7c3c", "green"), ("808080", "grey"), ("f8f8f8", "white"),
     ("101010", "black"), ("6c4428", "brown"), ("ecd020", "yellow"), ("703c9c", "purple"), ("d4c4a4", "beige")],
)  # fmt: skip
def test_colours_are_called_what_people_call_them(text: str, words: str) -> None:
    assert words in described(lab("1c2460" if text == "navy" else text))


def test_listed_words_are_found_among_others() -> None:
    assert listed("Navy / light-grey rim") is not None and listed("navy / light-grey rim").words == ("navy", "grey")  # type: ignore[union-attr]
    assert listed("clear") is None and listed("") is None and listed("no. 7") is None
    gray, grey = listed("dark gray"), listed("dark grey")
    assert gray == grey
    light, plain = listed("light blue"), listed("blue")
    assert light is not None and plain is not None and light.colours[0][0] > plain.colours[0][0]


def test_a_pale_mug_is_not_navy_and_a_navy_one_is() -> None:
    navy = listed("navy")
    assert navy is not None
    assert off(navy, [lab("1a2348")]) < OTHER_COLOUR < off(navy, [lab("e8e4d8")])
    assert off(navy, [lab("c02020")]) > OTHER_COLOUR
    # One of several main colours is enough.
    assert off(navy, [lab("e8e4d8"), lab("1a2348")]) < OTHER_COLOUR


@settings(max_examples=60, deadline=None)
@given(st.text(max_size=40), st.tuples(st.floats(0, 100), st.floats(-90, 90), st.floats(-90, 90)))
def test_any_text_and_colour_have_an_answer(text: str, colour: tuple[float, float, float]) -> None:
    names = listed(text)
    assert described(colour)
    assert names is None or off(names, [colour]) >= 0


@pytest.mark.slow
def test_the_demo_s_items_have_their_listed_colours() -> None:
    with CATALOG.open(encoding="utf-8") as file:
        colours = {row["code"]: row["colour"] for row in csv.DictReader(file)}
    with SHOTLIST.open(encoding="utf-8") as file:
        for row in csv.DictReader(file):
            names = listed(colours[row["code"]])
            if names is not None and (PHOTOS / row["filename"]).exists():
                item = cutout(read_photo(PHOTOS / row["filename"]))
                labs = [lab_of(np.array(one[:3], np.float32)) for one in main_colours(item.pixels)]
                assert not labs or off(names, labs) < OTHER_COLOUR, row


def test_main_colours_are_those_of_the_parts() -> None:
    pixels = np.zeros((60, 60, 4), np.uint8)
    pixels[5:55, 5:40] = (200, 30, 30, 255)
    pixels[5:55, 40:55] = (20, 20, 120, 255)
    found = main_colours(pixels)
    assert found[0][3] == pytest.approx(0.7, abs=0.05) and found[0][0] > 5 * found[0][2]
    assert any(one[2] > 3 * one[0] for one in found)
    assert main_colours(np.zeros((30, 30, 4), np.uint8)) == ()
