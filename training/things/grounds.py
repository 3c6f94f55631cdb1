"""Made-up places that items are set before: paper sweeps, walls and floors, tables, sheets on tables, blurred rooms.

All in linear light, (h, w, 3) float32, at an exposure at which white is about 0.85.
"""

from dataclasses import dataclass

import cv2
import numpy as np

Picture = np.ndarray


@dataclass(frozen=True)
class Place:
    """light: (h, w, 3) linear. tone: the colour around the item, (3,). texture: (h, w, 3), what the ground is made of
    without its light, or None if it is plain. sheet: (h, w) in [0, 1], the paper that items stand on, None if that is
    all of the frame."""

    light: Picture
    tone: np.ndarray
    texture: Picture | None = None
    sheet: Picture | None = None


def linear(srgb: np.ndarray) -> np.ndarray:
    """sRGB in 0..255 -> linear in 0..1, by the curve of IEC 61966-2-1."""
    s = np.asarray(srgb, np.float32) / 255
    return np.where(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055) ** 2.4).astype(np.float32)


def encoded(light: np.ndarray) -> np.ndarray:
    """Linear -> sRGB in 0..255, float32."""
    v = np.clip(light, 0, 1)
    return (255 * np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055)).astype(np.float32)


def tone(rng: np.random.Generator) -> np.ndarray:
    """A backdrop's colour, linear (3,): paper white, grey, black, or coloured."""
    kind = rng.uniform()
    if kind < 0.45:
        srgb = rng.uniform(205, 253) + rng.normal(0, 3, 3)
    elif kind < 0.62:
        srgb = rng.uniform(90, 205) + rng.normal(0, 5, 3)
    elif kind < 0.72:
        srgb = rng.uniform(8, 60) + rng.normal(0, 3, 3)
    else:
        return any_colour(rng)
    return linear(np.clip(srgb, 2, 254))


def any_colour(rng: np.random.Generator) -> np.ndarray:
    """Any colour, linear (3,)."""
    hsv = np.array([[[rng.uniform(0, 180), 255 * rng.beta(1.6, 1.8), rng.uniform(45, 250)]]]).astype(np.uint8)
    return linear(cv2.cvtColor(hsv, cv2.COLOR_HSV2RGB)[0, 0])


def place(
    rng: np.random.Generator, size: tuple[int, int], textures: list[np.ndarray], prints: list[np.ndarray]
) -> Place:
    """A random place of size (w, h). textures: (h, w, 3) uint8 sRGB pictures of stuff; prints: of things."""
    kind = rng.uniform()
    if kind < 0.37:
        found = sweep(rng, size)
    elif kind < 0.51:
        found = corner(rng, size, textures)
    elif kind < 0.75:
        found = table(rng, size, textures)
    elif kind < 0.9:
        found = sheet(rng, size, textures)
    else:
        found = room(rng, size, textures, prints)
    return found


def _smooth(rng: np.random.Generator, size: tuple[int, int], strength: float) -> Picture:
    """A factor of slowly changing light, (h, w, 1), 1 on the average."""
    w, h = size
    x, y = np.linspace(-1, 1, w, dtype=np.float32)[None], np.linspace(-1, 1, h, dtype=np.float32)[:, None]
    log = strength * (rng.normal(0, 0.5) * x + rng.normal(0, 0.5) * y)
    cx, cy = rng.uniform(-0.7, 0.7, 2)
    log = log - strength * rng.uniform(0, 0.9) * ((x - cx) ** 2 + (y - cy) ** 2)
    if rng.uniform() < 0.3:  # a window's or a flag's soft edge
        angle, at = rng.uniform(0, np.pi), rng.uniform(-0.6, 0.6)
        log = log + strength * rng.uniform(-0.7, 0.7) * np.tanh(
            (np.cos(angle) * x + np.sin(angle) * y - at) / rng.uniform(0.1, 0.8)
        )
    log = log - log.mean()
    return np.exp(log)[..., None].astype(np.float32)


def _lit(rng: np.random.Generator, picture: Picture, size: tuple[int, int]) -> Picture:
    return np.clip(picture * _smooth(rng, size, float(np.exp(rng.uniform(np.log(0.05), np.log(0.8))))), 0, 1.6)


def sweep(rng: np.random.Generator, size: tuple[int, int], colour: np.ndarray | None = None) -> Place:
    """Paper or cloth that bends from the floor into the wall. colour: linear (3,), by chance if not given."""
    w, h = size
    colour = tone(rng) if colour is None else colour
    picture = np.broadcast_to(colour, (h, w, 3)).astype(np.float32)
    if rng.uniform() < 0.55:  # the bend is darker or lighter than the floor and the wall
        at, soft = h * rng.uniform(0.05, 0.75), h * rng.uniform(0.01, 0.3)
        y = np.arange(h, dtype=np.float32)[:, None, None] + rng.normal(0, 0.04) * (np.arange(w)[None, :, None] - w / 2)
        step = np.tanh((y - at) / soft)
        picture = picture * np.exp(rng.normal(0, 0.12) * step + rng.normal(0, 0.06) * (1 - step * step))
    if rng.uniform() < 0.35:
        picture = picture * (1 + rng.uniform(0.002, 0.03) * _grain(rng, size)[..., None])
    if rng.uniform() < 0.1:
        picture = picture * _creases(rng, size)
    return Place(_lit(rng, picture.astype(np.float32), size), colour)


def _grain(rng: np.random.Generator, size: tuple[int, int]) -> Picture:
    """Noise of unit spread and some coarseness, (h, w)."""
    w, h = size
    across, down = np.exp(rng.uniform(np.log(0.4), np.log(6), 2))
    noise = cv2.GaussianBlur(rng.standard_normal((h, w), np.float32), (0, 0), sigmaX=across, sigmaY=down)
    return noise / (noise.std() + 1e-6)


def _creases(rng: np.random.Generator, size: tuple[int, int]) -> Picture:
    """Folds of cloth or paper, a factor (h, w, 1)."""
    w, h = size
    x, y = np.meshgrid(np.arange(w, dtype=np.float32) / w, np.arange(h, dtype=np.float32) / w)
    log = np.zeros((h, w), np.float32)
    for _ in range(int(rng.integers(1, 7))):
        angle, at, soft = rng.uniform(0, np.pi), rng.uniform(0, 1.2), np.exp(rng.uniform(np.log(0.005), np.log(0.08)))
        d = (np.cos(angle) * x + np.sin(angle) * y - at + 0.02 * np.sin(x * rng.uniform(2, 12))) / soft
        log += rng.normal(0, 0.12) * d * np.exp(-d * d / 2)
    return np.exp(log)[..., None]


def stuff(rng: np.random.Generator, size: tuple[int, int], textures: list[np.ndarray]) -> Picture:
    """What tables, floors and things are made of, seen from straight above, linear (h, w, 3)."""
    kind = rng.uniform()
    if textures and kind < 0.55:
        return _tiled(rng, size, textures[rng.integers(len(textures))])
    return (_wood, _weave, _speckled, _stripes)[int(rng.integers(4))](rng, size)


def _tiled(rng: np.random.Generator, size: tuple[int, int], texture: np.ndarray) -> Picture:
    w, h = size
    scale = np.exp(rng.uniform(np.log(0.4), np.log(2.5))) * max(w, h) / max(texture.shape[:2])
    if rng.uniform() < 0.5:
        texture = np.ascontiguousarray(np.rot90(texture))
    th, tw = (max(8, round(v * scale)) for v in texture.shape[:2])
    tile = cv2.resize(texture, (tw, th), interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
    rows, columns = -(-h // th) + 1, -(-w // tw) + 1
    tile = np.concatenate([tile, tile[:, ::-1]], 1) if columns > 1 else tile  # mirrored: no seams
    tile = np.concatenate([tile, tile[::-1]], 0) if rows > 1 else tile
    whole = np.tile(tile, (rows, columns, 1))
    y, x = rng.integers(0, whole.shape[0] - h + 1), rng.integers(0, whole.shape[1] - w + 1)
    light = linear(whole[y : y + h, x : x + w])
    mean = light.mean((0, 1)) + 1e-3
    return light * np.exp(rng.normal(0, 0.25)) * np.exp(rng.normal(0, 0.08, 3)).astype(np.float32) + 0.01 * mean


def _mixed(amount: np.ndarray, first: np.ndarray, second: np.ndarray) -> Picture:
    a = np.clip(amount, 0, 1)[..., None].astype(np.float32)
    return (first * (1 - a) + second * a).astype(np.float32)


def _pair(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    first = any_colour(rng) if rng.uniform() < 0.6 else tone(rng)
    second = first * np.exp(rng.normal(0, 0.5)) if rng.uniform() < 0.6 else any_colour(rng)
    return first, np.clip(second, 0, 0.95)


def _wood(rng: np.random.Generator, size: tuple[int, int]) -> Picture:
    w, h = size
    base = linear(rng.uniform((95, 55, 25), (235, 205, 170)))
    x, y = np.meshgrid(np.arange(w, dtype=np.float32) / w, np.arange(h, dtype=np.float32) / w)
    wave = cv2.GaussianBlur(rng.standard_normal((h, w), np.float32), (0, 0), sigmaX=w / 6, sigmaY=h / 10)
    wave /= wave.std() + 1e-6
    rings = 0.5 + 0.5 * np.sin(2 * np.pi * (rng.uniform(3, 30) * (y + 0.05 * wave) + 0.3 * x))
    fibre = cv2.GaussianBlur(rng.standard_normal((h, w), np.float32), (0, 0), sigmaX=rng.uniform(6, 30), sigmaY=0.6)
    amount = rng.uniform(0.1, 0.6) * rings**2 + rng.uniform(0.02, 0.15) * fibre / (fibre.std() + 1e-6)
    wood = _mixed(amount, base, base * rng.uniform(0.35, 0.8))
    if rng.uniform() < 0.4:  # planks
        step = int(rng.uniform(0.08, 0.35) * h) + 4
        shift = int(rng.integers(step))
        tones = np.exp(rng.normal(0, 0.12, h // step + 2))[(np.arange(h) + shift) // step]
        gap = ((np.arange(h) + shift) % step < max(1, step // 40)).astype(np.float32)
        wood = wood * (tones * (1 - 0.6 * gap))[:, None, None]
    return wood.astype(np.float32)


def _weave(rng: np.random.Generator, size: tuple[int, int]) -> Picture:
    w, h = size
    first, second = _pair(rng)
    period = np.exp(rng.uniform(np.log(2.2), np.log(22)))
    x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    jitter = 0.5 * cv2.GaussianBlur(rng.standard_normal((h, w), np.float32), (0, 0), 5) * 6
    a, b = np.sin(2 * np.pi * (x + jitter) / period), np.sin(2 * np.pi * (y + jitter) / period)
    pattern = (0.5 + 0.5 * a * b) if rng.uniform() < 0.5 else (0.5 + 0.25 * a + 0.25 * b)
    noise = rng.standard_normal((h, w), np.float32)
    return _mixed(rng.uniform(0.2, 1) * pattern + rng.uniform(0, 0.2) * noise, first, second)


def _speckled(rng: np.random.Generator, size: tuple[int, int]) -> Picture:
    w, h = size
    first, second = _pair(rng)
    amount = np.zeros((h, w), np.float32)
    for _ in range(int(rng.integers(1, 5))):
        sigma = np.exp(rng.uniform(np.log(0.6), np.log(w / 8)))
        noise = cv2.GaussianBlur(rng.standard_normal((h, w), np.float32), (0, 0), sigma)
        noise /= noise.std() + 1e-6
        amount += rng.uniform(0.1, 0.6) * (
            np.abs(noise) < 0.15 if rng.uniform() < 0.2 else np.clip(noise - rng.uniform(-1, 1.5), 0, 2)
        )
    return _mixed(amount, first, second)


def _stripes(rng: np.random.Generator, size: tuple[int, int]) -> Picture:
    w, h = size
    first, second = _pair(rng)
    angle, period = rng.uniform(0, np.pi), np.exp(rng.uniform(np.log(6), np.log(max(7, w / 2))))
    x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    across, along = (x * np.cos(angle) + y * np.sin(angle)) / period, (y * np.cos(angle) - x * np.sin(angle)) / period
    pattern = across % 1 < rng.uniform(0.05, 0.5)
    if rng.uniform() < 0.5:  # tiles, checks
        other = along % 1 < rng.uniform(0.05, 0.5)
        pattern = pattern ^ other if rng.uniform() < 0.5 else pattern | other
    soft = cv2.GaussianBlur(pattern.astype(np.float32), (0, 0), rng.uniform(0.4, 1.5))
    return _mixed(soft + 0.05 * _grain(rng, size), first, second)


def _in_perspective(rng: np.random.Generator, size: tuple[int, int], flat: Picture) -> Picture:
    """A surface seen from above -> seen at a slant."""
    w, h = size
    fh, fw = flat.shape[:2]
    squeeze, turn = rng.uniform(0, 0.33), rng.normal(0, 0.05)
    source = np.array([[squeeze, 0], [1 - squeeze, 0], [1, 1], [0, 1]], np.float32)
    source[:2, 0] += turn
    target = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32)
    # Far things are small: the frame's upper edge shows more of the surface than the lower one.
    source[:, 0] = np.where(
        source[:, 1] == 0,
        0.5 + (source[:, 0] - 0.5) * (0.5 / (0.5 - squeeze * 0.8)) * 0.5,
        0.5 + (source[:, 0] - 0.5) * 0.5,
    )
    matrix = cv2.getPerspectiveTransform((source * (fw, fh)).astype(np.float32), target)
    return cv2.warpPerspective(flat, matrix, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)


def surface(rng: np.random.Generator, size: tuple[int, int], textures: list[np.ndarray]) -> Picture:
    """A table or floor as a camera sees it, linear (h, w, 3)."""
    w, h = size
    flat = stuff(rng, (w, h), textures)
    if rng.uniform() < 0.6:
        flat = _in_perspective(rng, size, flat)
    return cv2.GaussianBlur(flat, (0, 0), rng.uniform(0.3, 2.5)) if rng.uniform() < 0.4 else flat


def table(rng: np.random.Generator, size: tuple[int, int], textures: list[np.ndarray]) -> Place:
    """Stuff that fills the frame."""
    made = surface(rng, size, textures)
    return Place(_lit(rng, made, size), made.mean((0, 1)), made)


def corner(rng: np.random.Generator, size: tuple[int, int], textures: list[np.ndarray]) -> Place:
    """A floor or table before a wall."""
    w, h = size
    plain = rng.uniform() < 0.5
    floor = np.broadcast_to(tone(rng), (h, w, 3)) if plain or rng.uniform() < 0.4 else surface(rng, size, textures)
    if rng.uniform() < 0.35:
        wall = floor * np.exp(rng.normal(0, 0.25))  # one stuff, lit differently
    elif rng.uniform() < 0.7:
        wall = np.broadcast_to(tone(rng), (h, w, 3))
    else:
        wall = stuff(rng, size, textures)
        if rng.uniform() < 0.6:
            wall = cv2.GaussianBlur(wall, (0, 0), rng.uniform(1, 12))
    y = (
        np.arange(h, dtype=np.float32)[:, None]
        - h * rng.uniform(0.12, 0.7)
        + rng.normal(0, 0.03) * (np.arange(w)[None] - w / 2)
    )
    below = 1 / (1 + np.exp(-np.clip(y / rng.choice([0.4, 1.0, 3.0]), -30, 30)))[..., None]
    picture = floor * below + wall * (1 - below)
    if rng.uniform() < 0.5:
        picture = picture * (1 - rng.uniform(0, 0.4) * np.exp(-np.abs(y) / (h * rng.uniform(0.01, 0.1))))[..., None]
    texture = None if plain else np.asarray(floor, np.float32)
    return Place(_lit(rng, picture.astype(np.float32), size), floor.mean((0, 1)), texture)


def sheet(rng: np.random.Generator, size: tuple[int, int], textures: list[np.ndarray]) -> Place:
    """Paper that does not fill the frame, on a table."""
    w, h = size
    table = surface(rng, size, textures) if rng.uniform() < 0.8 else np.broadcast_to(tone(rng), (h, w, 3))
    colour = tone(rng)
    inset = rng.uniform(-0.12, 0.25, 4) * np.array([w, h, w, h])
    if (inset <= 0).all():
        inset[int(rng.integers(4))] = 0.12 * min(w, h)
    left, top, right, bottom = inset
    corners = np.array([[left, top], [w - right, top], [w - right, h - bottom], [left, h - bottom]])
    squeeze = rng.uniform(0, 0.2) * w
    corners[0, 0] += squeeze
    corners[1, 0] -= squeeze
    corners = corners + rng.normal(0, 0.015 * w, (4, 2))
    sheet = np.zeros((h * 2, w * 2), np.uint8)
    cv2.fillPoly(sheet, [np.round(corners * 2 * 16).astype(np.int32)], 255, shift=4)
    cover = cv2.resize(sheet, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    shadow = cv2.GaussianBlur(cover, (0, 0), rng.uniform(0.8, 6))
    shadow = np.roll(shadow, tuple(rng.integers(-4, 5, 2)), (0, 1)) * (1 - cover) * rng.uniform(0, 0.7)
    plain = np.broadcast_to(colour, (h, w, 3)).astype(np.float32)
    if rng.uniform() < 0.3:
        plain = plain * (1 + rng.uniform(0.002, 0.03) * _grain(rng, size)[..., None])
    if rng.uniform() < 0.15:
        plain = plain * _creases(rng, size)
    picture = plain * cover[..., None] + table * (1 - shadow[..., None]) * (1 - cover[..., None])
    return Place(_lit(rng, picture.astype(np.float32), size), colour, None, cover)


def room(
    rng: np.random.Generator, size: tuple[int, int], textures: list[np.ndarray], prints: list[np.ndarray]
) -> Place:
    """A place out of focus: patches of stuff, things and lights, blurred; now and then of stuff alone, and sharp."""
    w, h = size
    sharp = rng.uniform() < 0.15
    seen = textures if sharp else [*textures, *prints]
    picture = np.array(stuff(rng, size, seen))
    for _ in range(int(rng.integers(2, 12))):
        rw, rh = int(rng.uniform(0.05, 0.6) * w) + 2, int(rng.uniform(0.05, 0.7) * h) + 2
        x, y = int(rng.integers(-rw // 2, w)), int(rng.integers(-rh // 2, h))
        part = np.s_[max(0, y) : max(0, y + rh), max(0, x) : max(0, x + rw)]
        if picture[part].size:
            ph, pw = picture[part].shape[:2]
            picture[part] = (
                stuff(rng, (max(pw, 24), max(ph, 24)), seen)[:ph, :pw]
                if rng.uniform() < 0.5
                else any_colour(rng) * rng.uniform(0.4, 1.4)
            )
    sigma = np.exp(rng.uniform(np.log(1.5), np.log(25)))
    picture = picture if sharp else cv2.GaussianBlur(picture, (0, 0), sigma)
    if rng.uniform() < 0.5:  # the table that it stands on
        y = int(h * rng.uniform(0.4, 0.85))
        picture[y:] = surface(rng, (w, h - y), textures)
    return Place(_lit(rng, picture.astype(np.float32), size), picture[h // 2 :].mean((0, 1)))
