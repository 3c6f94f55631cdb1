"""Training pictures made on the fly: things from casts and from photographic cutouts, before made-up places, as a
camera would have taken them, with exact coverage.

    photo, truth = composite(rng, stock, (384, 288))

Things are painted anew: in the backdrop's own colour, in other stuff, as glass. The split into training and test is by
thing and by source (stock.py).
"""

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from cast import Cast
from grounds import Place, any_colour, encoded, linear, place, stuff
from stock import Stock


class Layer(NamedTuple):
    """A thing at its place, all over the frame: light (h, w, 3) linear; cover, through: (h, w) in [0, 1]; bend:
    (h, w, 2) px by which what is seen through it is moved; shadow (h, w, 1) share of light left on the ground."""

    light: np.ndarray
    cover: np.ndarray
    through: np.ndarray
    bend: np.ndarray
    shadow: np.ndarray


@dataclass(frozen=True)
class Wish:
    """What a composite is to be; None: by chance. things: how many. colour: "own", "alike", "other", "tint" or "glass".
    kind: of things, see Stock. share: of the frame's side that the things take. cut: whether the frame cuts them.
    hard: whether shadows are deep."""

    things: int | None = None
    colour: str | None = None
    kind: str | None = None
    share: float | None = None
    cut: bool | None = None
    hard: bool | None = None


ANY = Wish()


def composite(
    rng: np.random.Generator, stock: Stock, size: tuple[int, int], wish: Wish = ANY, before: Place | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """A photo, (h, w, 3) uint8 sRGB, and its exact coverage, (h, w) uint8; size: (w, h)."""
    where = before or place(rng, size, stock.textures, stock.prints)
    lamps = _lamp_colour(rng)
    light = where.light * lamps
    count = _count(rng) if wish.things is None else wish.things
    truth = np.zeros(size[::-1], np.float32)
    if where.sheet is not None and rng.uniform() < 0.5:
        light = _clutter(rng, stock, light, where, lamps)
    for layer in _arranged(rng, stock, where, size, count, wish):
        light = _over(light, layer, lamps)
        truth = 1 - (1 - truth) * (1 - layer.cover)
    return _taken(rng, light, truth)


def _count(rng: np.random.Generator) -> int:
    kind = rng.uniform()
    if kind < 0.01:
        return 0
    if kind < 0.71:
        return 1
    return int(rng.integers(2, 5)) if kind < 0.83 else int(rng.integers(5, 16))


def _lamp_colour(rng: np.random.Generator) -> np.ndarray:
    cast = rng.normal(0, 0.09) * np.array([1, 0, -1]) + rng.normal(0, 0.03, 3)
    return np.exp(cast + rng.normal(0, 0.12)).astype(np.float32)


def _arranged(
    rng: np.random.Generator, stock: Stock, where: Place, size: tuple[int, int], count: int, wish: Wish
) -> list[Layer]:
    """Layers, the farthest first: one thing where a photographer would put it, several over the frame."""
    if count == 0:
        return []
    area = _area(where, size)
    if count == 1:
        spots = [_spot(rng, area, wish)]
    else:
        columns = int(np.ceil(np.sqrt(count * (area[2] - area[0]) / max(area[3] - area[1], 1)) - 1e-6))
        rows = -(-count // columns)
        cw, ch = (area[2] - area[0]) / columns, (area[3] - area[1]) / rows
        fill = rng.uniform(0.45, 1.1)
        spots = []
        for k in rng.permutation(columns * rows)[:count]:
            x, y = area[0] + (k % columns + 0.5) * cw, area[1] + (k // columns + 0.5) * ch
            x, y = x + rng.normal(0, 0.12) * cw, y + rng.normal(0, 0.12) * ch
            spots.append((x, y, fill * cw * rng.uniform(0.6, 1), fill * ch * rng.uniform(0.6, 1)))
        spots.sort(key=lambda s: s[1] + s[3] / 2)
    colour = wish.colour or _colour(rng)
    repeated = stock.pick(rng, wish.kind) if count > 1 and rng.uniform() < 0.3 else None
    layers = []
    for spot in spots:
        thing = stock.pick(rng, wish.kind) if repeated is None else repeated
        own = colour if count == 1 or rng.uniform() < 0.5 else wish.colour or _colour(rng)
        made = _layer(rng, stock, thing, where, size, spot, own, wish)
        if made is not None:
            layers.append(made)
    return layers


def _area(where: Place, size: tuple[int, int]) -> tuple[float, float, float, float]:
    """Where things may stand: the frame, or the sheet's box within it."""
    w, h = size
    if where.sheet is None:
        return 0.0, 0.0, float(w), float(h)
    rows, columns = np.flatnonzero((where.sheet > 0.5).mean(1) > 0.3), np.flatnonzero((where.sheet > 0.5).mean(0) > 0.3)
    if rows.size < 0.3 * h or columns.size < 0.3 * w:
        return 0.0, 0.0, float(w), float(h)
    return float(columns[0]), float(rows[0]), float(columns[-1] + 1), float(rows[-1] + 1)


def _spot(rng: np.random.Generator, area: tuple[float, float, float, float], wish: Wish) -> tuple[float, ...]:
    """Middle and room of a single thing, px."""
    left, top, right, bottom = area
    w, h = right - left, bottom - top
    kind = rng.uniform()
    share = wish.share or (
        rng.uniform(0.4, 0.93) if kind < 0.7 else rng.uniform(0.88, 1.0) if kind < 0.9 else rng.uniform(0.12, 0.4)
    )
    cut = rng.uniform() < 0.13 if wish.cut is None else wish.cut
    if cut:
        share = rng.uniform(0.5, 1.5)
        side = rng.uniform(0, 2 * np.pi)
        reach = rng.uniform(0.3, 0.5)
        x, y = left + w * (0.5 + reach * np.cos(side)), top + h * (0.5 + reach * np.sin(side))
        return x, y, share * w, share * h
    spare_x, spare_y = max(0.0, 1 - share) * w / 2, max(0.0, 1 - share) * h / 2
    x = left + w / 2 + np.clip(rng.normal(0, 0.35), -1, 1) * spare_x
    y = top + h / 2 + np.clip(rng.normal(0.1, 0.35), -1, 1) * spare_y
    return x, y, share * w, share * h


def _colour(rng: np.random.Generator) -> str:
    kind = rng.uniform()
    for name, upto in (("own", 0.46), ("alike", 0.67), ("other", 0.8), ("tint", 0.93)):
        if kind < upto:
            return name
    return "glass"


def _layer(
    rng: np.random.Generator, stock: Stock, thing: "Cast | np.ndarray", where: Place, size: tuple[int, int],
    spot: tuple[float, ...], colour: str, wish: Wish,
) -> Layer | None:  # fmt: skip
    h0, w0 = (thing.cover if isinstance(thing, Cast) else thing).shape[:2]
    turn = rng.normal(0, 3) if rng.uniform() < 0.3 else 0.0
    if not isinstance(thing, Cast) and rng.uniform() < 0.4:
        turn = rng.uniform(-180, 180) if rng.uniform() < 0.5 else float(rng.choice([90, -90, 180]))
    c, s = abs(np.cos(np.radians(turn))), abs(np.sin(np.radians(turn)))
    scale = min(spot[2] / (w0 * c + h0 * s), spot[3] / (w0 * s + h0 * c))
    mirrored = rng.uniform() < 0.5
    matrix = cv2.getRotationMatrix2D((w0 / 2, h0 / 2), turn, scale)
    matrix[:, 2] += np.array(spot[:2]) - (w0 / 2, h0 / 2)
    if mirrored:
        matrix = np.vstack([matrix, [0, 0, 1]]) @ np.array([[-1, 0, w0], [0, 1, 0], [0, 0, 1.0]])
        matrix = matrix[:2]
    if isinstance(thing, Cast):
        return _of_cast(rng, stock, thing, where, size, matrix, scale, mirrored, colour, wish)
    return _of_cutout(rng, thing, where, size, matrix, scale, colour, wish)


def _warped(
    picture: np.ndarray, matrix: np.ndarray, size: tuple[int, int], scale: float, border: float = 0
) -> np.ndarray:
    """A small picture laid into the frame; averaged first where it gets smaller."""
    if scale < 0.6:
        by = max(scale * 1.2, 1 / max(picture.shape[:2]))
        h, w = picture.shape[:2]
        small = (max(1, round(w * by)), max(1, round(h * by)))
        picture = cv2.resize(picture, small, interpolation=cv2.INTER_AREA)
        matrix = matrix @ np.array([[w / small[0], 0, 0], [0, h / small[1], 0], [0, 0, 1]])
    return cv2.warpAffine(
        picture, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=(border,) * 4
    )


def _of_cast(
    rng: np.random.Generator, stock: Stock, thing: Cast, where: Place, size: tuple[int, int], matrix: np.ndarray,
    scale: float, mirrored: bool, colour: str, wish: Wish,
) -> Layer | None:  # fmt: skip
    cover = thing.cover.astype(np.float32) / 255
    planes = np.dstack([
        linear(thing.paint), np.square(thing.light.astype(np.float32) / 255) * 4,
        np.square(thing.shine.astype(np.float32) / 255), thing.form.astype(np.float32) / 127,
        thing.clear.astype(np.float32) / 255,
    ])  # fmt: skip
    laid = np.empty((*size[::-1], planes.shape[2]), np.float32)
    premultiplied = planes * cover[..., None]
    for k in range(0, planes.shape[2], 4):
        laid[..., k : k + 4] = _warped(
            np.ascontiguousarray(premultiplied[..., k : k + 4]), matrix, size, scale
        ).reshape(*size[::-1], -1)
    a = np.clip(_warped(cover, matrix, size, scale), 0, 1)
    if (a > 0.5).sum() < 12:
        return None
    laid /= np.maximum(a, 1e-3)[..., None]
    paint, light, shine, form, through = laid[..., :3], laid[..., 3:4], laid[..., 4:5], laid[..., 5:7], laid[..., 7]
    if mirrored:
        form = form * np.array([-1, 1], np.float32)
    paint, through, shine = _repainted(rng, stock, where, size, paint, a, form, through, shine, colour)
    contrast = rng.uniform(0.6, 1.3)
    lit = paint * np.maximum(light, 1e-3) ** contrast + shine * rng.uniform(0.3, 1.5)
    gain = np.exp(rng.normal(0, 0.12)) * (0.9 if colour == "alike" else 1.0)
    bend = form * rng.uniform(-0.25, 0.25) * scale * max(thing.cover.shape)
    return Layer(lit * gain, a, np.clip(through, 0, 1), bend, _shadow(rng, thing, where, size, matrix, scale, wish))


def _repainted(
    rng: np.random.Generator, stock: Stock, where: Place, size: tuple[int, int], paint: np.ndarray, cover: np.ndarray,
    form: np.ndarray, through: np.ndarray, shine: np.ndarray, colour: str,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:  # fmt: skip
    """Paint, share of light that goes through, and mirrored light, as wished."""
    inside = cover > 0.5
    mean = paint[inside].mean(0) + 1e-3
    if colour == "alike":
        texture = where.texture
        if texture is not None and rng.uniform() < 0.6:
            base = _wrapped(rng, texture, form)
        else:
            base = where.tone * np.exp(rng.normal(0, 0.06)) * np.exp(rng.normal(0, 0.015, 3))
        keep = rng.choice([0.0, 0.0, 0.15, 0.4])
        paint = base * (1 - keep) + base * keep * np.clip(paint / mean, 0, 3)
    elif colour == "other":
        paint = _wrapped(rng, stuff(rng, size, stock.textures), form)
    elif colour == "tint":
        target = (
            any_colour(rng)
            if rng.uniform() < 0.5
            else linear(np.clip(rng.choice([245, 235, 30, 18, 128]) + rng.normal(0, 6, 3), 2, 252))
        )
        paint = np.clip(paint / mean, 0, 4) ** rng.uniform(0.2, 1) * target
    elif colour == "glass":
        tint = (
            np.exp(-rng.uniform(0.02, 0.5) * rng.uniform(0.3, 1, 3)) if rng.uniform() < 0.6 else any_colour(rng) ** 0.4
        )
        slant = np.clip(np.square(form).sum(2), 0, 1)
        through = np.where(slant < 0.97, rng.uniform(0.75, 0.97), 0.4) * (
            1 - rng.uniform(0.1, 0.8) * slant ** rng.uniform(2, 8)
        )
        paint = np.broadcast_to(tint.astype(np.float32), paint.shape)
        shine = shine * rng.uniform(1, 4) + rng.uniform(0, 0.06) + 0.25 * slant[..., None] ** 6 * rng.uniform(0, 1)
    return np.clip(paint, 0, 1), through, shine


def _wrapped(rng: np.random.Generator, texture: np.ndarray, form: np.ndarray) -> np.ndarray:
    """A texture bent by the thing's form, so that it goes around it."""
    h, w = form.shape[:2]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    th, tw = texture.shape[:2]
    reach = rng.uniform(5, 60)
    x = (x + form[..., 0] * reach + rng.uniform(0, w)) * rng.uniform(0.6, 1.6)
    y = (y + form[..., 1] * reach + rng.uniform(0, h)) * rng.uniform(0.6, 1.6)
    if rng.uniform() < 0.4:
        x, y = y, x
    return cv2.remap(np.asarray(texture, np.float32), x % (tw - 1), y % (th - 1), cv2.INTER_LINEAR)


def _shadow(
    rng: np.random.Generator,
    thing: Cast,
    where: Place,
    size: tuple[int, int],
    matrix: np.ndarray,
    scale: float,
    wish: Wish,
) -> np.ndarray:
    margin = int(thing.margin)
    # From px of the shadow's grid, which is half as fine and begins before the box, to px of the frame.
    into = matrix @ np.array([[2, 0, -margin + 0.5], [0, 2, -margin + 0.5], [0, 0, 1.0]])
    fade = _to_the_edge(thing.lamp.shape)
    taken = np.dstack([_warped((255 - p) * fade, into, size, scale * 2) for p in (thing.lamp, thing.sky)]) / 255
    hard = rng.uniform() < 0.35 if wish.hard is None else wish.hard
    lamp = rng.uniform(0.55, 0.9) if hard else rng.uniform(0.1, 0.6)
    shadow = 1 - lamp * taken[..., :1] - (1 - lamp) * taken[..., 1:] * rng.uniform(0.5, 1)
    if rng.uniform() < 0.08:
        shadow = np.ones_like(shadow)  # hung, or lit all around
    if where.sheet is None and rng.uniform() < 0.2:  # the wall begins, and with it another shadow
        h = size[1]
        at = h * rng.uniform(0.1, 0.6)
        fade = np.clip((np.arange(h, dtype=np.float32) - at) / (h * rng.uniform(0.01, 0.2)), 0, 1)[:, None, None]
        shadow = 1 - (1 - shadow) * fade
    return np.clip(shadow, 0.02, 1)


def _to_the_edge(shape: tuple[int, ...]) -> np.ndarray:
    """(h, w) float32: 1 inside, fading to 0 at the edge, so that where shadows are not known any more is not seen."""
    ramps = [np.clip(np.minimum(np.arange(n), np.arange(n)[::-1]) / (0.15 * n), 0, 1).astype(np.float32) for n in shape]
    return ramps[0][:, None] * ramps[1][None]


def _of_cutout(
    rng: np.random.Generator, thing: np.ndarray, where: Place, size: tuple[int, int], matrix: np.ndarray, scale: float,
    colour: str, wish: Wish,
) -> Layer | None:  # fmt: skip
    cover = thing[..., 3].astype(np.float32) / 255
    premultiplied = np.dstack([linear(thing[..., :3]) * cover[..., None], cover])
    laid = _warped(premultiplied, matrix, size, scale)
    a = np.clip(laid[..., 3], 0, 1)
    if (a > 0.5).sum() < 12:
        return None
    light = laid[..., :3] / np.maximum(a, 1e-3)[..., None]
    inside = a > 0.5
    mean = light[inside].mean(0) + 1e-3
    if colour == "alike":
        relief = light.mean(2, keepdims=True) / mean.mean()
        light = where.tone * np.clip(relief, 0, 2.2) ** rng.uniform(0.15, 0.7) * np.exp(rng.normal(0, 0.06))
    elif colour in ("tint", "other") and rng.uniform() < 0.6:
        target = any_colour(rng)
        light = light / mean * (0.4 * mean + 0.6 * target)
    light = light * np.exp(rng.normal(0, 0.15))
    still = np.zeros(a.shape, np.float32)
    return Layer(
        np.clip(light, 0, 1.2).astype(np.float32),
        a,
        still,
        np.zeros((*a.shape, 2), np.float32),
        _drawn_shadow(rng, a, wish),
    )


def _drawn_shadow(rng: np.random.Generator, cover: np.ndarray, wish: Wish) -> np.ndarray:
    """A shadow made from an outline: laid down and away from the lamp, darker and sharper where it stands."""
    h, w = cover.shape
    kind = rng.uniform()
    if kind < 0.12:
        return np.ones((h, w, 1), np.float32)
    rows = np.flatnonzero((cover > 0.5).any(1))
    foot, height = float(rows[-1]), float(rows[-1] - rows[0] + 1)
    hard = rng.uniform() < 0.35 if wish.hard is None else wish.hard
    if kind < 0.45:  # lying: the shadow falls beside it
        reach = rng.uniform(0.005, 0.08) * height
        angle = rng.uniform(0, 2 * np.pi)
        move = np.array([[1, 0, reach * np.cos(angle)], [0, 1, reach * np.sin(angle)]])
        soft = reach * (0.2 if hard else 0.8) + 0.4
    else:
        slant, squash = rng.normal(0, 0.7), rng.uniform(-0.55, 0.55)
        squash = squash if abs(squash) > 0.06 else 0.1
        move = np.array(
            [
                [1, -slant * squash, slant * squash * foot],
                [0, squash, foot * (1 - squash) - rng.uniform(0, 0.05) * height],
            ]
        )
        soft = (0.01 if hard else 0.06) * height + 0.4
    shadow = cv2.warpAffine(cover, move, (w, h), flags=cv2.INTER_LINEAR)
    shadow = cv2.GaussianBlur(shadow, (0, 0), soft)
    contact = cv2.GaussianBlur(np.roll(cover, int(rng.integers(0, 4)), 0), (0, 0), 0.012 * height + 0.6)
    depth = rng.uniform(0.4, 0.85) if hard else rng.uniform(0.1, 0.5)
    return np.clip((1 - depth * shadow) * (1 - rng.uniform(0, 0.6) * contact), 0.03, 1)[..., None]


def _over(light: np.ndarray, layer: Layer, lamps: np.ndarray) -> np.ndarray:
    """A layer and its shadow before what is there."""
    ground = light * layer.shadow
    a = layer.cover[..., None]
    own = layer.light * lamps
    if layer.through.max() > 0.02:
        h, w = layer.cover.shape
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        x, y = x + layer.bend[..., 0].astype(np.float32), y + layer.bend[..., 1].astype(np.float32)
        seen = cv2.remap(ground.astype(np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        t = layer.through[..., None]
        tint = np.clip(layer.light / np.maximum(layer.light.max(2, keepdims=True), 1e-3), 0, 1)
        own = (1 - t) * own + t * seen * tint + t * 0.15 * own
    return ground * (1 - a) + own * a


def _clutter(rng: np.random.Generator, stock: Stock, light: np.ndarray, where: Place, lamps: np.ndarray) -> np.ndarray:
    """Things of the room that stand beyond the sheet: no items."""
    h, w = light.shape[:2]
    assert where.sheet is not None
    for _ in range(int(rng.integers(1, 4))):
        side = rng.uniform(0, 2 * np.pi)
        x, y = w * (0.5 + 0.62 * np.cos(side)), h * (0.5 + 0.62 * np.sin(side))
        room = rng.uniform(0.15, 0.45)
        layer = _layer(rng, stock, stock.pick(rng, None), where, (w, h), (x, y, room * w, room * h), "own", ANY)
        if layer is not None and float((layer.cover * (where.sheet > 0.5)).sum()) < 0.15 * float(layer.cover.sum()):
            light = _over(light, layer, lamps)
    return light


def _taken(rng: np.random.Generator, light: np.ndarray, truth: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """As a camera takes it: exposure, tone curve, vignette, focus, noise, JPEG."""
    h, w = truth.shape
    level = np.percentile(light, 97)
    light = light * (
        rng.uniform(0.55, 1.15) / max(level, 0.05)
        if level > 1.05 or rng.uniform() < 0.5
        else np.exp(rng.normal(0, 0.15))
    )
    if rng.uniform() < 0.5:
        x, y = np.linspace(-1, 1, w)[None, :, None], np.linspace(-1, 1, h)[:, None, None]
        light = light * (1 - rng.uniform(0, 0.3) * (x * x + y * y) / 2)
    if rng.uniform() < 0.45:
        sigma = rng.uniform(0.3, 1.3)
        light, truth = cv2.GaussianBlur(light.astype(np.float32), (0, 0), sigma), cv2.GaussianBlur(truth, (0, 0), sigma)
    if rng.uniform() < 0.6:
        amount = np.exp(rng.uniform(np.log(0.2), np.log(6)))
        light = (
            light + rng.standard_normal(light.shape, np.float32) * np.sqrt(np.clip(light, 0, 2) * 1e-4 + 1e-6) * amount
        )
    if rng.uniform() < 0.3:
        light = np.clip(light, 0, 4)
        light = light / (1 + rng.uniform(0, 0.5) * light) * (1 + rng.uniform(0.0, 0.3))
    shown = encoded(light)
    if rng.uniform() < 0.25:
        shown = 255 * (np.clip(shown, 0, 255) / 255) ** np.exp(rng.normal(0, 0.2))
    photo = np.round(np.clip(shown, 0, 255)).astype(np.uint8)
    if rng.uniform() < 0.5:
        quality = int(rng.integers(40, 98))
        photo = cv2.imdecode(
            cv2.imencode(".jpg", photo[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1], cv2.IMREAD_COLOR
        )[..., ::-1]
    return np.ascontiguousarray(photo), np.round(np.clip(truth, 0, 1) * 255).astype(np.uint8)
