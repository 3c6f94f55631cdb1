"""Renders made-up studio scenes with exact coverage, for training the region network.

    python training/scenes.py --out SCENES --first 0 --count 1000

Needs the packages of training/requirements.txt and an LLVM library (Debian: libllvm19). Writes NNNNN.photo.png (16 bits
a channel: what a large photo keeps of faint edges when it is reduced), NNNNN.png (8-bit coverage) and NNNNN.empty.png
(the same place without the item, at an exposure of its own). Every scene follows from its number alone. Shapes are
random families of vessels, boxes, wires, brushes, boards, cloths and stones; none is a model of a particular product.
"""

import argparse
import math
from pathlib import Path

import cv2
import numpy as np
from shots import take
from studio import (
    Obj,
    camera,
    corner,
    develop,
    diffuse,
    flat,
    glass,
    glaze,
    grid_mesh,
    lathe,
    lights,
    metal,
    noise,
    quad,
    rbox,
    satin,
    shell,
    spl,
    sweep,
    tex,
    torus,
    tube,
    wood_tex,
)

LONG, SHORT = 480, 360


class Rng(np.random.Generator):
    """A scene's dice. alike: a colour that item and backdrop share, if they do. share: how many of the item's colours
    are that one."""

    alike: np.ndarray | None = None
    share: float = 1


def colour(rng: Rng) -> np.ndarray:
    """An sRGB colour, 0..255; white, black and grey things are common in shops."""
    if rng.alike is not None and rng.uniform() < rng.share:
        return np.clip(rng.alike + rng.uniform(-9, 9) + rng.uniform(-4, 4, 3), 8, 252)
    kind = rng.uniform()
    if kind < 0.28:
        return np.clip(rng.uniform(225, 252) + rng.uniform(-5, 5, 3), 0, 255)
    if kind < 0.40:
        return rng.uniform(15, 60) + rng.uniform(-6, 6, 3)
    if kind < 0.5:
        return rng.uniform(90, 210) + rng.uniform(-12, 12, 3)
    hue, saturation, value = rng.uniform(0, 180), rng.uniform(40, 230), rng.uniform(60, 250)
    return cv2.cvtColor(np.uint8([[[hue, saturation, value]]]), cv2.COLOR_HSV2RGB)[0, 0].astype(float)


def texture(rng: Rng) -> np.ndarray:
    """A printed, woven, speckled or grained surface, (h, w, 3) uint8."""
    seed = int(rng.integers(1 << 30))
    kind = rng.integers(5)
    first, second = colour(rng), colour(rng)
    if kind == 0:
        return wood_tex(256, 512, (first + 200) / 2, first * 0.5 + 20, seed, rings=int(rng.integers(3, 14)))
    h, w = 256, 512
    if kind == 1:
        wave = np.sin(np.linspace(0, rng.uniform(4, 60) * math.pi, h if rng.uniform() < 0.5 else w))
        mix = np.broadcast_to((wave > rng.uniform(-0.8, 0.8))[:, None] if len(wave) == h else wave > 0, (h, w))
    elif kind == 2:
        mix = noise(h, w, rng.uniform(0.8, 3), rng.uniform(0.8, 3), seed) > rng.uniform(0.5, 2.2)
    elif kind == 3:
        mix = np.zeros((h, w))
        for _ in range(int(rng.integers(2, 9))):
            x, y = rng.integers(0, w - 40), rng.integers(0, h - 30)
            mix[y : y + rng.integers(8, 90), x : x + rng.integers(20, 200)] += rng.choice([-1, 1]) * rng.uniform(0.3, 1)
        mix = np.clip(mix, 0, 1)
    else:
        mix = np.clip(0.5 + 0.4 * noise(h, w, rng.uniform(5, 80), rng.uniform(5, 80), seed), 0, 1)
    grain = rng.uniform(0, 9) * noise(h, w, 1.2, 1.2, seed + 1)
    blended = first * (1 - np.asarray(mix, float)[..., None]) + second * np.asarray(mix, float)[..., None]
    return np.clip(blended + grain[..., None], 0, 255).astype(np.uint8)


def material(rng: Rng, clear: bool = True) -> dict:
    """Some surface. clear: whether it may be glass."""
    kind = rng.uniform()
    if kind < 0.28:
        return glaze(colour(rng), rng.uniform(0.03, 0.25))
    if kind < 0.40:
        return satin(colour(rng), rng.uniform(0.25, 0.7), rng.uniform(0.1, 0.5))
    if kind < 0.50:
        return diffuse(colour(rng))
    if kind < 0.70:
        surface = tex(texture(rng), rng.uniform(0.5, 3))
        return glaze(surface, rng.uniform(0.05, 0.3)) if rng.uniform() < 0.5 else diffuse(surface)
    if kind < 0.80 or not clear:
        tint = tuple(rng.uniform(0.45, 1) * (1 + rng.uniform(-0.15, 0.15, 3)))
        return metal(
            str(rng.choice(["Al", "Cu", "Au", "Cr"])),
            rng.uniform(0.04, 0.35),
            tint=tuple(float(v) for v in np.clip(tint, 0, 1)),
        )
    tint = (0.98, 0.99, 0.985) if rng.uniform() < 0.5 else tuple(rng.uniform(0.45, 0.97, 3))
    return glass(tint)


def is_glass(surface: dict) -> bool:
    """Whether light goes through."""
    return surface.get("type") == "dielectric"


def vessel(rng: Rng) -> Obj:
    """A turned vessel, open or closed, perhaps with a handle, a rim, a lid or a spout's bulge."""
    height, foot = rng.uniform(40, 260), rng.uniform(20, 70)
    knots = int(rng.integers(2, 5))
    heights = np.linspace(0, height, knots + 1)
    radii = np.clip(foot * (1 + np.cumsum(rng.normal(0, 0.33, knots + 1))), 9, 130)
    outline = np.concatenate([[(1e-3, 0), (radii[0] * 0.9, 0)], spl(np.stack([radii, heights], 1), 60)[1:]])
    outline[:, 0] = np.clip(outline[:, 0], 1e-3, None)
    surface = material(rng)
    item = Obj()
    wobble = rng.uniform(0, 0.03) if rng.uniform() < 0.3 else 0.0
    sides = int(rng.integers(3, 9))

    def deform(r, z, a):
        return r * (1 + wobble * np.cos(sides * a)), z, a

    wall = shell(outline, rng.uniform(1.5, 6)) if rng.uniform() < 0.75 else np.concatenate([outline, [(1e-3, height)]])
    item.mesh(lathe(wall, 128, deform if wobble else None), surface)
    other = surface if rng.uniform() < 0.5 else material(rng, clear=False)
    if rng.uniform() < 0.3:
        item.mesh(torus(radii[-1], rng.uniform(1.2, 4), height), other)
    for side in (1, -1):
        if rng.uniform() < (0.45 if side == 1 else 0.12):
            item.join(handle(rng, side * radii[-1], side * radii[0], height, other))
    if rng.uniform() < 0.2:
        knob = rng.uniform(5, 14)
        top = np.array(
            [
                (1e-3, height),
                (radii[-1], height),
                (radii[-1] * 0.8, height + 8),
                (knob, height + 12),
                (knob * 1.3, height + 26),
                (1e-3, height + 30),
            ]
        )
        item.mesh(lathe(top, 96), other)
    if is_glass(surface) and rng.uniform() < 0.5:
        fill = np.array([(1e-3, 6), (radii.min() * 0.6, 6), (radii.min() * 0.6, height * 0.3), (1e-3, height * 0.3)])
        item.mesh(lathe(fill, 64), diffuse(colour(rng)))
    return item


def handle(rng: Rng, top: float, bottom: float, height: float, surface: dict) -> Obj:
    """A bent or a long straight handle on one side."""
    reach = np.sign(top) * rng.uniform(18, 60)
    upper, lower = height * rng.uniform(0.7, 0.95), height * rng.uniform(0.1, 0.5)
    if rng.uniform() < 0.3:
        path = spl(
            [(top, 0, upper), (top + reach, 0, upper + 5), (top + reach * 3.5, 0, upper + rng.uniform(-10, 40))], 40
        )
    else:
        path = spl(
            [
                (top * 0.97, 0, upper),
                (top + reach, 0, upper),
                (bottom + reach * 0.9, 0, lower),
                (bottom * 0.9, 0, lower),
            ],
            50,
        )
    return Obj().mesh(tube(path, rng.uniform(2, 8), aspect=rng.uniform(0.6, 1.6), up=(0, 1, 0), n=16), surface)


def box(rng: Rng) -> Obj:
    """A tin, carton, book, board or block."""
    size = rng.uniform(25, 220, 3)
    if rng.uniform() < 0.4:
        size[rng.integers(3)] = rng.uniform(4, 25)
    item = Obj().mesh(rbox(*size, r=min(size) * rng.uniform(0.04, 0.3)), material(rng, clear=rng.uniform() < 0.2))
    if rng.uniform() < 0.3:
        lid = rbox(size[0] + 3, size[1] + 3, size[2] * 0.25, r=1.2, centre=(0, 0, size[2] / 2))
        item.mesh(lid, material(rng, clear=False))
    if rng.uniform() < 0.3:
        path = np.array([(size[0] / 2, 0, 0), (size[0] / 2 + rng.uniform(30, 140), 0, rng.uniform(-8, 20))])
        item.mesh(tube(path, min(size) * 0.3, n=16), material(rng, clear=False))
    return item


def wires(rng: Rng) -> Obj:
    """A basket, rack or tangle of wire."""
    item, surface = Obj(), material(rng, clear=False)
    thick = rng.uniform(0.9, 3)
    height, low, high = rng.uniform(40, 200), rng.uniform(40, 90), rng.uniform(40, 110)
    if rng.uniform() < 0.35:
        for k in range(int(rng.integers(4, 12))):
            y = (k - 5) * rng.uniform(12, 20)
            path = spl(
                [(-high, y, 0), (-low, y, height * 0.3), (0, y, height * 0.35), (low, y, height * 0.3), (high, y, 0)],
                30,
            )
            item.mesh(tube(path, thick, n=8), surface)
        for x in (-low, low):
            item.mesh(tube(np.array([(x, -90, height * 0.3), (x, 90, height * 0.3)]), thick * 1.3, n=8), surface)
        return item
    outline = spl([(low, 0), (max(low, high) * rng.uniform(0.9, 1.3), height * 0.5), (high, height)], 30)
    spokes = int(rng.integers(8, 30))
    for k in range(spokes):
        angle = 2 * math.pi * k / spokes
        twist = np.linspace(0, rng.uniform(0, 0.02), 30)
        path = np.stack(
            [outline[:, 0] * np.cos(angle + twist), outline[:, 0] * np.sin(angle + twist), outline[:, 1]], 1
        )
        item.mesh(tube(path, thick, n=8), surface)
    for z in np.linspace(0, height, int(rng.integers(2, 7))):
        item.mesh(torus(np.interp(z, outline[:, 1], outline[:, 0]), thick, z, 90, 8), surface)
    if rng.uniform() < 0.5:
        turn = np.linspace(0, math.pi, 40)
        path = np.stack([high * np.cos(turn), 0 * turn, height + rng.uniform(40, 100) * np.sin(turn)], 1)
        item.mesh(tube(path, thick * 1.5, n=8), surface)
    return item


def brush(rng: Rng) -> Obj:
    """A block or stick with bristles."""
    size = rng.uniform(30, 170), rng.uniform(15, 60), rng.uniform(10, 25)
    item = Obj().mesh(rbox(*size, r=5, centre=(0, 0, 40)), material(rng, clear=False))
    hairs, length = [], rng.uniform(15, 45)
    for x in np.arange(-size[0] / 2 + 6, size[0] / 2 - 5, 8):
        for y in np.arange(-size[1] / 2 + 5, size[1] / 2 - 4, 8):
            for _ in range(22):
                start = np.array([x, y, 36.0]) + rng.normal(0, 1.2, 3) * (1, 1, 0)
                lean = rng.normal(0, 0.07, 2) + np.array([x, y]) * 0.0015
                steps = np.linspace(0, length + rng.normal(0, 1), 4)
                bend = np.stack([start[0] + lean[0] * steps, start[1] + lean[1] * steps, start[2] - steps], 1)
                hairs.append((bend, np.full(4, rng.uniform(0.2, 0.45))))
    item.curves(hairs, diffuse(colour(rng)))
    if rng.uniform() < 0.4:
        item.rot("x", 180)
    if rng.uniform() < 0.3:
        item.mesh(
            tube(np.array([(size[0] / 2, 0, 40), (size[0] / 2 + 150, 0, 46)]), 6, n=14), material(rng, clear=False)
        )
    return item


def utensil(rng: Rng) -> Obj:
    """A long thin thing with a wider end."""
    surface = material(rng, clear=False)
    length, thick = rng.uniform(120, 320), rng.uniform(2, 9)
    path = spl([(-length / 2, 0, 8), (0, rng.uniform(-6, 6), 8 + rng.uniform(0, 12)), (length / 2, 0, 8)], 60)
    radii = thick * (1 + 0.4 * np.sin(np.linspace(0, rng.uniform(2, 7), 60)))
    item = Obj().mesh(tube(path, radii, aspect=rng.uniform(0.4, 1.2), up=(0, 0, 1), n=18), surface)
    angle = np.linspace(0, math.pi, 40)
    head = np.stack([rng.uniform(14, 38) * np.sin(angle) + 1e-3, rng.uniform(4, 30) * -np.cos(angle)], 1)
    end = Obj().mesh(lathe(head, 64), surface if rng.uniform() < 0.7 else material(rng, clear=False))
    return item.join(end.move(-length / 2 - 10, 0, 12))


def stone(rng: Rng) -> Obj:
    """A lump: fruit, soap, stone, dough, cushion."""
    angle = np.linspace(0, math.pi, 70)
    size = rng.uniform(25, 90)
    outline = np.stack([size * np.sin(angle) + 1e-3, -size * rng.uniform(0.3, 1.2) * np.cos(angle)], 1)
    waves = [(int(rng.integers(1, 7)), rng.uniform(0, 7), rng.uniform(0, 0.12)) for _ in range(3)]

    def deform(r, z, a):
        return r * (1 + sum(s * np.cos(k * a + p + z * 0.02) for k, p, s in waves)), z, a

    return Obj().mesh(lathe(outline, 128, deform), material(rng))


def cloth(rng: Rng) -> Obj:
    """A folded cloth, a rug, a soft slab."""
    u, v = np.meshgrid(np.linspace(-1, 1, 70), np.linspace(-1, 1, 70), indexing="ij")
    wide, deep = rng.uniform(60, 150, 2)
    seed = int(rng.integers(1 << 30))
    bumps = noise(70, 70, 9, 9, seed) * rng.uniform(0, 4)
    item, surface = Obj(), diffuse(tex(texture(rng), rng.uniform(0.5, 4)))
    for layer in range(int(rng.integers(1, 6))):
        shrink, lift = 1 - 0.015 * layer + rng.uniform(-0.01, 0.01), layer * rng.uniform(4, 9)
        edge = np.clip(np.minimum(1 - np.abs(u), 1 - np.abs(v)) * 18, 0, 1) ** 0.5
        top = np.stack([u * wide * shrink, v * deep * shrink, lift + 7 * edge + bumps * edge], -1)
        item.mesh(_sheet(top), surface)
    return item


def _sheet(points: np.ndarray):
    return grid_mesh(points, outward=False)


def ring(rng: Rng) -> Obj:
    """Rings, a chain, a bracelet, a wreath."""
    item, surface = Obj(), material(rng)
    radius, thick = rng.uniform(20, 90), rng.uniform(2, 18)
    for k in range(int(rng.integers(1, 5))):
        loop = Obj().mesh(torus(radius * rng.uniform(0.8, 1.1), thick, 0, 120, 16), surface)
        item.join(loop.rot("x", rng.uniform(0, 30) * k).move(k * radius * 0.9, 0, 0))
    return item.rot("x", float(rng.choice([0, 0, 80, 90])))


FAMILIES = (
    (vessel, 0.36),
    (box, 0.12),
    (wires, 0.15),
    (brush, 0.08),
    (utensil, 0.11),
    (stone, 0.06),
    (cloth, 0.07),
    (ring, 0.05),
)


def thing(rng: Rng) -> Obj:
    """One random item, standing, lying or leaning."""
    make = rng.choice(len(FAMILIES), p=np.array([w for _, w in FAMILIES]) / sum(w for _, w in FAMILIES))
    item = FAMILIES[make][0](rng)
    if rng.uniform() < 0.22:
        item.rot("x", float(rng.choice([90, -90, 180])))
    elif rng.uniform() < 0.1:
        item.rot("y", rng.uniform(-25, 25))
    return item.rot("z", rng.uniform(0, 360)).centre().ground()


def items(rng: Rng) -> Obj:
    """One item, or a few beside each other."""
    item = thing(rng)
    for _ in range(int(rng.choice([0, 1, 2], p=[0.86, 0.09, 0.05]))):
        second = thing(rng)
        gap = item.dims()[0] / 2 + second.dims()[0] / 2 + rng.uniform(3, 50)
        item.join(second.move(gap, rng.uniform(-40, 40), 0)).centre()
    return item


def surface(rng: Rng) -> dict:
    """What tables and walls are made of."""
    kind = rng.uniform()
    if kind < 0.45:
        tone = rng.uniform((90, 60, 35), (215, 185, 150))
        seed = int(rng.integers(1 << 30))
        return diffuse(
            tex(wood_tex(512, 1024, tone, tone * 0.7, seed, rings=int(rng.integers(3, 14))), rng.uniform(1, 4))
        )
    return diffuse(colour(rng)) if kind < 0.85 else diffuse(tex(texture(rng), rng.uniform(1, 4)))


def sheet(rng: Rng, tone: np.ndarray, across: float, topdown: bool) -> list[Obj]:
    """Paper that does not fill the frame, on a table, with things of the room beyond its edges."""
    left, right, front = (
        -across * rng.uniform(0.4, 0.95),
        across * rng.uniform(0.4, 0.95),
        -across * rng.uniform(0.4, 1),
    )
    back, bend = across * rng.uniform(0.4, 0.9), across * rng.uniform(0.05, 0.5)
    turn = np.linspace(0, math.pi / 2, 24)
    upright = not topdown and rng.uniform() < 0.7
    profile = [(front, 0.0), *((back + bend * math.sin(t), bend * (1 - math.cos(t))) for t in turn)]
    if upright:
        profile.append((back + bend, across * rng.uniform(0.5, 1.6)))
    else:
        profile = [(front, 0.0), (back + bend, 0.0)]
    points = np.array([[(x, y, z) for x in (left, right)] for y, z in profile])
    paper = Obj().mesh(grid_mesh(points, outward=False), diffuse(tone)).rot("z", rng.normal(0, 4))
    far = across * rng.uniform(1.2, 3)
    room = Obj().mesh(
        quad((-8 * across, -8 * across, -0.8), (16 * across, 0, 0), (0, 8 * across + far, 0)), surface(rng)
    )
    room.mesh(quad((-8 * across, far, -0.8), (16 * across, 0, 0), (0, 0, 8 * across)), surface(rng))
    for _ in range(int(rng.integers(0, 4))):
        side = right if rng.uniform() < 0.5 else left
        clutter = thing(rng)
        clutter.move(
            side + np.sign(side) * (clutter.dims()[0] / 2 + rng.uniform(5, 60)), rng.uniform(front, far * 0.8), 0
        )
        room.join(clutter)
    return [paper, room]


def backdrop(rng: Rng, topdown: bool, scale: float, across: float, on_table: bool) -> tuple[list[Obj], float]:
    """The paper, wall or table, and the sRGB level that its median is to reach. on_table: paper that leaves some of
    the frame to table and room."""
    kind = rng.uniform()
    if rng.alike is not None:
        tone = np.clip(rng.alike + rng.uniform(-5, 5) + rng.uniform(-2, 2, 3), 8, 252)
        level = float(np.clip(tone.mean() * rng.uniform(0.9, 1.0), 18, 240))
    elif kind < 0.55:
        tone, level = rng.uniform(226, 248) + rng.uniform(-3, 3, 3), rng.uniform(200, 244)
    elif kind < 0.68:
        tone, level = rng.uniform(120, 210) + rng.uniform(-5, 5, 3), rng.uniform(110, 205)
    elif kind < 0.87:
        tone = colour(rng)
        level = float(np.clip(tone.mean() * rng.uniform(0.8, 1.1), 40, 225))
    else:
        tone, level = rng.uniform(14, 50) + rng.uniform(-4, 4, 3), rng.uniform(18, 60)
    place = rng.uniform()
    if place < 0.18 or on_table:
        return sheet(rng, tone, across, topdown), level
    if place < 0.27:
        return [flat(tone, scale, surface(rng))], float(rng.uniform(90, 200))
    if topdown or place < 0.39:
        return [flat(tone, scale)], level
    if place < 0.55:
        wall = tone * rng.uniform(0.8, 1.1) if rng.uniform() < 0.7 else colour(rng)
        return [corner(tone, np.clip(wall, 0, 250), scale, y=rng.uniform(150, 500))], level
    return [sweep(tone, scale, y_back=rng.uniform(250, 600), rad=rng.uniform(120, 450))], level


def has_glass(item: Obj) -> bool:
    """Whether any part of an item is of glass."""
    return any(is_glass(part["bsdf"]) for part in item.parts)


def scene(number: int, kind: str = "", long: int = LONG) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(H, W, 3) uint16 sRGB photo, (H, W) float coverage, and (H, W, 3) uint16 empty frame of one scene.

    kind: "hard" for a small lamp, "white" for a white item on white paper, "sheet" for paper on a table, or "" for
    whatever comes. long: longer side.
    """
    rng = Rng(np.random.PCG64(number))
    rng.alike = colour(rng) if rng.uniform() < 0.2 else None
    rng.share = 1 if kind == "white" or rng.uniform() < 0.5 else rng.uniform(0.3, 0.9)
    if kind == "white" or (rng.uniform() < 0.15 and not kind):
        rng.alike = rng.uniform(226, 246) + rng.uniform(-4, 4, 3)
    elif kind:
        rng.alike = None
    item = items(rng)
    lo, hi = item.bbox()
    size = float(np.linalg.norm(hi - lo))
    short = long * SHORT // LONG
    width, height = (long, short) if rng.uniform() < 0.75 else (short, long)
    topdown = rng.uniform() < 0.22
    # A 45 mm lens on a 17.3 mm sensor sees 0.384 of its distance across.
    across = size * rng.uniform(0.95, 2.2) * (0.72 if rng.uniform() < 0.1 else 1)
    distance = across / 0.384 * (width / long) ** 0.5
    drift = rng.normal(0, 0.1 if rng.uniform() < 0.85 else 0.3, 2) * across
    target = np.array([drift[0], 0, (hi[2] - lo[2]) * 0.45 + drift[1] * 0.5])
    view = camera(
        width,
        height,
        dist=distance,
        elev=rng.uniform(3, 58),
        target=target,
        topdown=topdown,
        fstop=float(rng.choice([2.8, 4, 5.6, 8, 11])),
        roll=rng.normal(0, 1),
    )
    scale = max(1.0, distance / 1100)
    lamp = str(rng.choice(["soft", "left", "right", "hard", "back", "flat"], p=[0.27, 0.18, 0.18, 0.2, 0.09, 0.08]))
    lamps = lights("hard" if kind == "hard" else lamp, scale * rng.uniform(0.8, 1.3), env=rng.uniform(0.08, 0.5))
    ground, level = backdrop(rng, topdown, scale, across, kind == "sheet")
    # Light that enters glass needs many turns to come out.
    shot = take(item, ground, lamps, view, 14 if has_glass(item) else 6, rng.uniform(0.3, 0.8), number % 100_000)
    grain = float(np.exp(rng.uniform(np.log(0.08), np.log(1.2))))
    finish = dict(wb=1 + rng.normal(0, 0.04, 3), vignette=rng.uniform(0, 0.3), noise_amt=grain, bits=16)
    photo, exposure = develop(shot.photo, shot.coverage, bg=level, seed=number, **finish)
    finish["wb"] = finish["wb"] * (1 + rng.normal(0, 0.01, 3))
    empty, _ = develop(
        shot.empty, shot.coverage * 0, seed=number + 1, expo=exposure * rng.uniform(0.85, 1.12), **finish
    )
    return photo, shot.coverage, empty


def main() -> None:
    """Render a range of scenes, leaving out what is there."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--count", type=int, default=1000)
    parser.add_argument("--kind", choices=["", "hard", "white", "sheet"], default="")
    parser.add_argument("--long", type=int, default=LONG)
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    for number in range(args.first, args.first + args.count):
        target = args.out / f"{args.kind + '-' if args.kind else ''}{number:05d}.png"
        if target.exists():
            continue
        try:
            photo, alpha, empty = scene(number, args.kind, args.long)
        except Exception as error:  # a shape may fall outside the frame or be degenerate; the next one will do
            print(f"{number}: {type(error).__name__}: {error}", flush=True)
            continue
        cv2.imwrite(str(target.with_suffix(".photo.png")), photo[..., ::-1])
        cv2.imwrite(str(target.with_suffix(".empty.png")), empty[..., ::-1])
        cv2.imwrite(str(target), np.round(alpha * 255).astype(np.uint8))


if __name__ == "__main__":
    main()
