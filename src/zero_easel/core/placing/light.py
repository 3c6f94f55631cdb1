"""What is done to the light of each photo of a row, by its rules and by the backdrops."""

from collections import defaultdict
from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from zero_easel.core.items.measure import Measures
from zero_easel.core.placing.placement import Lens, Note, NoteKind, Placement, Seen, Subject
from zero_easel.core.standard.rules import Item
from zero_easel.core.tone.balance import Amounts, Balance, Colour, Known, balances, luminance
from zero_easel.core.tone.colour_words import described, listed, off
from zero_easel.core.tone.difference import lab_of
from zero_easel.core.tone.noise import Noise
from zero_easel.core.tone.toning import Tone

OTHER_COLOUR = 19.0
"""How far off a listed colour may be before it is said: of the demo's items none is farther than 15 from its own words,
and most are farther than 20 from another's."""
_LOST = 0.02
"""Share of an item that is clipped or blocked from which it is said."""


def amounts_of(rules: Item) -> Amounts:
    """What the rules ask for."""
    return Amounts(
        white=rules.white == "backdrop",
        kelvin=rules.temperature if rules.white == "given" else 0.0,
        tint=rules.tint if rules.white == "given" else 0.0,
        exposure=rules.exposure == "backdrop",
        level=rules.backdrop_light / 100,
        together=rules.balance == "shoot",
        brightness=rules.brightness,
        warmth=rules.warmth,
        saturation=1 + rules.saturation / 100,
    )


def _asked(rules: Item, subject: Subject) -> Amounts:
    """By the rules, and by a person who said what is neutral in this photo: that is white then, whatever they say."""
    asked = amounts_of(rules)
    return asked._replace(white=True, kelvin=0.0, tint=0.0) if subject.adjustment.neutral is not None else asked


def backdrop_of(subject: Subject) -> Colour | None:
    """The light that fell on an item: what a person said is neutral, or what was measured."""
    if subject.adjustment.neutral is not None:
        return subject.adjustment.neutral
    return subject.measures.backdrop if subject.measures else None


def known_of(subject: Subject) -> Known:
    """What is known of the light in a photo."""
    measures, adjustment = subject.measures, subject.adjustment
    as_shot = measures.as_shot if measures else None
    return Known(backdrop_of(subject), adjustment.neutral is not None, as_shot, adjustment.target)


def lit(subjects: Sequence[Subject], row: Sequence[Placement | None]) -> list[Placement | None]:
    """The same row, each with its tone and how its colours come out. Photos that ask for the same belong together."""
    found, asking = list(row), defaultdict[Amounts, list[int]](list)
    for at, placement in enumerate(row):
        if placement is not None:
            asking[_asked(placement.rules, subjects[at])].append(at)
    for asked, places in asking.items():
        if asked == Amounts() and not any(subjects[at].adjustment.target for at in places):
            made = [Balance()] * len(places)
        else:
            made = balances([known_of(subjects[at]) for at in places], asked)
        for at, balance in zip(places, made, strict=True):
            placement = found[at]
            assert placement is not None
            found[at] = _toned(placement, subjects[at], balance, asked)
    return found


def _toned(placement: Placement, subject: Subject, balance: Balance, asked: Amounts) -> Placement:
    rules = placement.rules
    tone = balance.tone
    if rules.contrast or rules.shadows:
        tone = tone._replace(contrast=rules.contrast / 100, shadows=rules.shadows / 100)
    noise, texts = None, [balance.note, *_lost(subject.measures, asked)]
    if rules.noise:
        known = subject.measures.noise if subject.measures else None
        noise = Noise(*known) if known else None
    lens = Lens()
    if rules.falloff == "even" and subject.measures:
        box = subject.measures.bounds
        middle = ((box.left + box.right) / 2, (box.top + box.bottom) / 2)
        lens = Lens(subject.measures.vignette, subject.frame, middle)
    seen = seen_of(subject, tone)
    if seen.off is not None and seen.off > OTHER_COLOUR:
        texts.append(f"listed {seen.listed}, looks {seen.described}")
    notes = [Note(NoteKind.LIGHT, text) for text in texts if text]
    placement = placement._replace(tone=tone, noise=noise, lens=lens, seen=seen)
    told = "; ".join(words_of(placement, subject))
    notes += [Note(NoteKind.TONED, told)] if told else []
    return placement._replace(notes=(*placement.notes, *notes))


def seen_of(subject: Subject, tone: Tone) -> Seen:
    """How the colours of a photo come out, as far as they are known."""
    colours = subject.measures.colours if subject.measures else ()
    return _seen(backdrop_of(subject), colours, subject.listed, tone)


@lru_cache(20_000)
def _seen(backdrop: Colour | None, colours: tuple[tuple[float, ...], ...], said: str, tone: Tone) -> Seen:
    """Kept, because a row is laid out anew whenever anything about it changes."""
    known = [backdrop] if backdrop else []
    labs = _labs(tone, [*known, *(colour[:3] for colour in colours)])
    behind = labs[0] if backdrop else None
    own = labs[len(known) :]
    if not own:
        return Seen(behind)
    names = listed(said) if said else None
    apart = round(off(names, own), 1) if names else None
    return Seen(behind, said if names else "", apart, described(own[0]))


def words_of(placement: Placement, subject: Subject) -> list[str]:
    """What is done to the light of a photo, in words."""
    rules, tone, words = placement.rules, placement.tone, _geometry(subject)
    if tone.does_nothing and not (rules.noise or rules.sharpening or placement.lens.vignette):
        return words
    light = np.asarray(backdrop_of(subject) or (0.5, 0.5, 0.5))
    after = np.maximum(tone.rows @ light, 1e-5)
    stops = float(np.log2(max(luminance(after), 1e-5) / max(luminance(light), 1e-5)))
    if abs(stops) >= 0.05:
        words.append(f"{abs(stops):.1f} stops {'brighter' if stops > 0 else 'darker'}")
    before, then = lab_of(light), lab_of(after * (luminance(light) / luminance(after)))
    if float(np.hypot(*(then - before)[1:])) >= 1:
        red, yellow = (then - before)[1:]
        ways = [(abs(yellow), "warmer" if yellow > 0 else "cooler"), (abs(red), "redder" if red > 0 else "greener")]
        words.append(" and ".join(way for much, way in sorted(ways, reverse=True) if much >= 1))
    if placement.lens.vignette < -0.01:
        words.append(f"{1 - np.exp(placement.lens.vignette):.0%} falloff to the photo's corners evened out")
    if rules.noise and placement.noise is None:
        words.append("its noise was left: too little even backdrop to measure it")
    if placement.noise is not None and (strength := 100 * placement.noise.at(placement.scale)[0]) >= 0.05:
        words.append(f"noise of {strength:.1f} % less by {rules.noise:g} %")
    if rules.sharpening:
        words.append(f"sharpened by {rules.sharpening:g} %")
    return words


def _geometry(subject: Subject) -> list[str]:
    known = subject.adjustment.rectified
    bend = f"lines straightened that the lens bent by {abs(known.bend):.1f} %"
    return [bend] * any(known.radial) + ["brought upright"] * bool(known.corners)


def _labs(tone: Tone, lights: Sequence[Sequence[float]]) -> list[tuple[float, float, float]]:
    if not lights:
        return []
    light = np.array(lights, np.float32)
    planes = tone.curved(tone.on([light[:, c] for c in range(3)]))
    found = []
    for lightness, a, b in lab_of(np.stack(planes, -1)):
        found.append((round(float(lightness), 1), round(float(a), 1), round(float(b), 1)))
    return found


def _lost(measures: Measures | None, asked: Amounts) -> list[str]:
    """What no light brings back, where light is changed by measurement."""
    if measures is None or not asked.by_backdrop:
        return []
    parts = ((measures.clipped, "clipped: its lightest parts keep a cast"), (measures.blocked, "without any light"))
    return [f"{share:.0%} of it is {words}" for share, words in parts if share > _LOST]
