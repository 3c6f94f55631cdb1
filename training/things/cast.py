"""Casts rays at things and keeps what a composite is made of: paint, light, mirrored light, form, and shadow.

One view of a thing is a few small pictures (a Cast) that composites.py paints anew, lights in its own colours and sets
before any ground: the light on the thing and the shadow on the ground are true, all else is chosen afterwards. Rays are
traced by Embree (Wald et al., ACM Trans. Graph. 33(4), 2014).
"""

from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from meshes import Part, Surface, standing, turned

LONG = 448
"""Longer side of the thing in px."""
BEYOND = 0.6
"""How far the ground is kept around the thing, in its longer sides."""
_RAYS = 8
"""Rays to the lamp and to the sky from each point."""
_TINY = 2e-4


class Cast(NamedTuple):
    """One view of a thing. All are uint8 over the thing's own box but for the last three.

    paint: (h, w, 3) sRGB. cover: (h, w), coverage. light: (h, w), square root of a quarter of the light that falls
    there. shine: (h, w), square root of mirrored light. form: (h, w, 2) int8, normal to the right and downwards,
    in 127ths. clear: (h, w), share of light that goes through. lamp, sky: (H, W) at half the size, share of the lamp's
    and of the sky's light that reaches the ground, over the box and `margin` px (of the thing's) around it.
    """

    paint: np.ndarray
    cover: np.ndarray
    light: np.ndarray
    shine: np.ndarray
    form: np.ndarray
    clear: np.ndarray
    lamp: np.ndarray
    sky: np.ndarray
    margin: np.ndarray


@dataclass
class _World:
    """All triangles in one: vertices (n, 3), faces (m, 3), normals (n, 3), uv (n, 2), number of the surface (m,)."""

    scene: EmbreeScene
    vertices: np.ndarray
    faces: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    number: np.ndarray
    surfaces: list[Surface]


@dataclass
class _Lamp:
    """A square lamp: where, half its side in all directions, and its strength against the sky's."""

    at: np.ndarray
    half: float
    strength: float


@dataclass
class _Camera:
    """A pinhole at `at`; right, up, ahead: unit vectors. focal: px. middle: px of the point ahead."""

    at: np.ndarray
    right: np.ndarray
    up: np.ndarray
    ahead: np.ndarray
    focal: float
    middle: np.ndarray

    def rays(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        """Unit directions through positions in px, (n, 3) float32."""
        right, up = (x - self.middle[0]) / self.focal, (self.middle[1] - y) / self.focal
        d = self.ahead + right[:, None] * self.right + up[:, None] * self.up
        return (d / np.linalg.norm(d, axis=1, keepdims=True)).astype(np.float32)


def cast(parts: list[Part], rng: np.random.Generator, long: int = LONG) -> Cast | None:
    """One view of a thing that stands on z = 0; None if next to nothing of it is seen."""
    world = _world(parts)
    camera, size = _framed(world.vertices, rng, long)
    lamp = _lamp(rng)
    w, h = size
    hits = _first_hits(world, camera, w, h, rng)
    cover = hits.met.reshape(h, w, 4).mean(2)
    if cover.mean() < 0.01:
        return None
    light, shine, form, mirrored = _lit(world, hits, camera, lamp, rng, (h, w))
    paint, clear = _painted(world, hits, camera, mirrored, (h, w))
    margin = round(BEYOND * long / 2) * 2
    on_lamp, on_sky = _ground(world, camera, lamp, rng, (w, h), margin)
    return Cast(paint, _bytes(cover), _bytes(np.sqrt(light / 4)), _bytes(np.sqrt(shine)),
                np.round(form * 127).astype(np.int8), clear, on_lamp, on_sky, np.array(margin))  # fmt: skip


def save(path: Path, made: Cast) -> None:
    """Written whole or not at all."""
    part = path.with_suffix(".part.npz")
    np.savez(part, **made._asdict())
    part.rename(path)


def load(path: Path) -> Cast:
    with np.load(path) as kept:
        return Cast(*(kept[name] for name in Cast._fields))


def _bytes(values: np.ndarray) -> np.ndarray:
    return np.round(np.clip(values, 0, 1) * 255).astype(np.uint8)


def _world(parts: list[Part]) -> _World:
    counts = np.cumsum([0, *(len(p.vertices) for p in parts)])[:-1]
    vertices = np.concatenate([p.vertices for p in parts]).astype(np.float32)
    faces = np.concatenate([p.faces + c for p, c in zip(parts, counts, strict=True)]).astype(np.int32)
    scene = EmbreeScene()
    TriangleMesh(scene, vertices, faces)
    number = np.concatenate([np.full(len(p.faces), k) for k, p in enumerate(parts)])
    normals, uv = np.concatenate([p.normals for p in parts]), np.concatenate([p.uv for p in parts])
    return _World(scene, vertices, faces, normals, uv, number, [p.surface for p in parts])


def posed(parts: list[Part], rng: np.random.Generator) -> list[Part]:
    """The thing turned about the upright, now and then lying or upside down; it stands on z = 0."""
    kind = rng.uniform()
    turn = rng.uniform(0, 2 * np.pi)
    matrix = _rotation(2, turn)
    if kind < 0.16:
        matrix = matrix @ _rotation(int(rng.integers(2)), float(rng.choice([-1, 1])) * np.pi / 2)
    elif kind < 0.2:
        matrix = matrix @ _rotation(0, np.pi)
    return standing(turned(parts, matrix))


def _rotation(axis: int, angle: float) -> np.ndarray:
    c, s = np.cos(angle), np.sin(angle)
    i, j = (axis + 1) % 3, (axis + 2) % 3
    m = np.eye(3)
    m[i, i], m[i, j], m[j, i], m[j, j] = c, -s, s, c
    return m


def _framed(vertices: np.ndarray, rng: np.random.Generator, long: int) -> tuple[_Camera, tuple[int, int]]:
    """A camera that sees the thing `long` px large, and the size of its box."""
    kind = rng.uniform()
    steep = rng.uniform(3, 20) if kind < 0.45 else rng.uniform(20, 50) if kind < 0.8 else rng.uniform(50, 89)
    elevation = np.radians(steep)
    back = np.array([0, -np.cos(elevation), np.sin(elevation)])
    right = np.array([1.0, 0, 0])
    up = np.cross(-back, right) * -1
    low, high = vertices.min(0), vertices.max(0)
    middle, radius = (low + high) / 2, float(np.linalg.norm(high - low)) / 2
    away = radius / np.sin(np.radians(rng.uniform(4, 20)))
    camera = _Camera(middle + back * away, right, up, -back, 1.0, np.zeros(2))
    relative = vertices - camera.at
    depth = relative @ camera.ahead
    x, y = relative @ right / depth, -(relative @ up) / depth
    span = np.array([x.max() - x.min(), y.max() - y.min()])
    camera.focal = (long - 4) / float(span.max())
    w, h = (int(v) for v in np.ceil(span * camera.focal) + 4)
    camera.middle = np.array([2 - x.min() * camera.focal, 2 - y.min() * camera.focal])
    return camera, (w, h)


def _lamp(rng: np.random.Generator) -> _Lamp:
    around, height = rng.uniform(-np.pi, np.pi), np.radians(rng.uniform(22, 82))
    if rng.uniform() < 0.6:  # rather from the camera's side or from above
        around = rng.uniform(-np.pi, 0)
    away = rng.uniform(1.6, 5)
    at = away * np.array([np.cos(around) * np.cos(height), np.sin(around) * np.cos(height), np.sin(height)])
    hard = rng.uniform() < 0.35
    half = away * (rng.uniform(0.02, 0.08) if hard else rng.uniform(0.12, 0.5))
    return _Lamp(at, half, float(np.exp(rng.uniform(np.log(0.4), np.log(5 if hard else 3)))))


@dataclass
class _Hits:
    """Where rays met something: met (n,) bool; of those that did, face, u, v, distance; ray: all directions."""

    met: np.ndarray
    face: np.ndarray
    u: np.ndarray
    v: np.ndarray
    distance: np.ndarray
    ray: np.ndarray


def _traced(world: _World, origin: np.ndarray, ray: np.ndarray) -> _Hits:
    origin = np.ascontiguousarray(np.broadcast_to(origin.astype(np.float32), ray.shape))
    found = world.scene.run(origin, ray, output=1)
    met = found["primID"] >= 0
    return _Hits(met, found["primID"][met], found["u"][met], found["v"][met], found["tfar"][met], ray)


def _blocked(world: _World, origin: np.ndarray, ray: np.ndarray) -> np.ndarray:
    """Whether anything is met, (n,) bool."""
    found = world.scene.run(
        np.ascontiguousarray(origin, np.float32), np.ascontiguousarray(ray, np.float32), query="OCCLUDED"
    )
    return np.asarray(found != -1)


def _first_hits(world: _World, camera: _Camera, w: int, h: int, rng: np.random.Generator) -> _Hits:
    """Of four rays through each px, row by row."""
    yy, xx = np.mgrid[0:h, 0:w]
    offsets = np.array([(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)])
    jitter = rng.uniform(-0.2, 0.2, (h, w, 4, 2)) + offsets
    x, y = (xx[..., None] + jitter[..., 0]).ravel(), (yy[..., None] + jitter[..., 1]).ravel()
    return _traced(world, camera.at, camera.rays(x, y))


def _corners(world: _World, values: np.ndarray, hits: _Hits) -> np.ndarray:
    """Values of vertices, (n, k), at hits."""
    a, b, c = (values[world.faces[hits.face, k]] for k in range(3))
    return a + hits.u[:, None] * (b - a) + hits.v[:, None] * (c - a)


def _normals(world: _World, hits: _Hits, ray: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Smooth and true normals at hits, (n, 3) each, towards where the rays came from."""
    corners = world.vertices[world.faces[hits.face]]
    true = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    true = _unit(true)
    true *= -np.sign((true * ray).sum(1, keepdims=True) + 1e-12)
    smooth = _unit(_corners(world, world.normals, hits))
    smooth = np.where((np.abs(smooth).sum(1) < 0.1)[:, None], true, smooth)
    smooth *= np.sign((smooth * true).sum(1, keepdims=True) + 1e-12)
    return smooth, true


def _unit(v: np.ndarray) -> np.ndarray:
    return v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-12)


def _colours(world: _World, hits: _Hits) -> np.ndarray:
    """Linear paint at hits, (n, 3)."""
    number = world.number[hits.face]
    uv = _corners(world, world.uv, hits)
    colours = np.array([s.colour for s in world.surfaces], np.float32)[number]
    for k, surface in enumerate(world.surfaces):
        here = number == k
        if surface.texture is not None and here.any():
            h, w = surface.texture.shape[:2]
            at = (uv[here] * surface.repeat) % 1
            at = np.nan_to_num(at)
            texels = surface.texture[(at[:, 1] * h).astype(int) % h, (at[:, 0] * w).astype(int) % w]
            colours[here] = (texels / np.float32(255)) ** 2.2
    return colours


def _painted(
    world: _World, hits: _Hits, camera: _Camera, mirrored: np.ndarray, size: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray]:
    """(h, w, 3) uint8 sRGB paint, and (h, w) uint8 share of light that goes through: one looks through clear things."""
    h, w = size
    clearness = np.array([s.clear for s in world.surfaces], np.float32)
    metal = np.array([s.metal for s in world.surfaces])
    colour, through = _colours(world, hits), np.ones(len(hits.face), np.float32)
    share = clearness[world.number[hits.face]]
    colour = np.where(
        metal[world.number[hits.face]][:, None],
        colour * mirrored.reshape(-1, 1).repeat(4, 1).reshape(-1)[hits.met][:, None],
        colour,
    )
    tint = np.where(share[:, None] > 0.3, colour, 1.0)
    origin = np.broadcast_to(camera.at, hits.ray[hits.met].shape) + hits.ray[hits.met] * hits.distance[:, None]
    going = np.flatnonzero(share > 0.3)
    ray = hits.ray[hits.met]
    through[share <= 0.3] = 0
    for _ in range(5):
        if not going.size:
            break
        found = _traced(world, origin[going] + ray[going] * 4 * _TINY, ray[going])
        met = going[found.met]
        beyond = clearness[world.number[found.face]]
        seen = _colours(world, found)
        opaque = beyond <= 0.3
        colour[met[opaque]] = tint[met[opaque]] * seen[opaque]
        through[met[opaque]] = 0
        tint[met[~opaque]] *= seen[~opaque]
        origin[met] = origin[going[found.met]] + ray[met] * (found.distance[:, None] + 4 * _TINY)
        going = met[~opaque]
    open_way = through > 0
    colour[open_way] = tint[open_way]
    whole = np.zeros((h * w * 4, 4), np.float32)
    whole[hits.met, :3], whole[hits.met, 3] = colour, through
    whole = whole.reshape(h, w, 4, 4)
    count = np.maximum(hits.met.reshape(h, w, 4).sum(2), 1)[..., None]
    mean = whole.sum(2) / count
    return _bytes(np.clip(mean[..., :3], 0, 1) ** (1 / 2.2)), _bytes(mean[..., 3])


def _one_each(hits: _Hits) -> tuple[np.ndarray, _Hits]:
    """One hit for each px that has any: numbers of those px, and the hits."""
    index = np.flatnonzero(hits.met)
    px, first = np.unique(index // 4, return_index=True)
    pick = (hits.face[first], hits.u[first], hits.v[first], hits.distance[first])
    return px, _Hits(np.ones(len(px), bool), *pick, hits.ray[index[first]])


def _lit(
    world: _World, hits: _Hits, camera: _Camera, lamp: _Lamp, rng: np.random.Generator, size: tuple[int, int]
) -> tuple[np.ndarray, ...]:
    """(h, w) light, mirrored light, (h, w, 2) form, and (h, w) what a mirror would show."""
    h, w = size
    px, one = _one_each(hits)
    smooth, true = _normals(world, one, one.ray)
    point = camera.at + one.ray * one.distance[:, None] + true * 4 * _TINY
    on_lamp = _from_lamp(world, point, smooth, lamp, rng)
    on_sky = _from_sky(world, point, smooth, rng, bounce=0.55)
    light = (lamp.strength * on_lamp + 0.9 * on_sky) / (0.35 * lamp.strength + 0.9)
    gloss, rough = (
        np.array([getattr(s, n) for s in world.surfaces], np.float32)[world.number[one.face]]
        for n in ("gloss", "rough")
    )
    about = _unit(one.ray - 2 * (one.ray * smooth).sum(1, keepdims=True) * smooth)
    seen = _surroundings(about, point, lamp, rough)
    facing = np.clip(-(one.ray * smooth).sum(1), 0, 1)
    shine = seen * gloss * (0.08 + 0.92 * (1 - facing) ** 5) * (0.3 + 0.7 * np.minimum(on_sky, 1))
    form = np.stack([smooth @ camera.right, -(smooth @ camera.up)], 1)
    planes = np.zeros((h * w, 5), np.float32)
    metal = np.array([s.metal for s in world.surfaces])[world.number[one.face]]
    mirror = seen * (0.35 + 0.65 * np.minimum(on_sky, 1))
    planes[px] = np.column_stack([np.where(metal, 1.0, light), np.where(metal, 0, shine), form, mirror])
    planes = planes.reshape(h, w, 5)
    turn = np.dstack([planes[..., 2:4] / 2 + 0.5, np.hypot(planes[..., 2], planes[..., 3])])
    guide = np.ascontiguousarray(255 * turn, np.float32)
    calm = cv2.ximgproc.jointBilateralFilter(guide, np.ascontiguousarray(planes[..., 0]), 9, 25, 3)
    covered = np.zeros(h * w, bool)
    covered[px] = True
    return np.where(covered.reshape(h, w), calm.reshape(h, w), 0), planes[..., 1], planes[..., 2:4], planes[..., 4]


def _from_lamp(
    world: _World, point: np.ndarray, normal: np.ndarray, lamp: _Lamp, rng: np.random.Generator
) -> np.ndarray:
    """Lamp light at points, (n,): the mean cosine to the parts of the lamp that are seen."""
    n = len(point)
    strata = rng.permuted(np.tile(np.arange(_RAYS), (n, 3)).reshape(n, 3, _RAYS), axis=2)
    spread = (strata + rng.uniform(0, 1, strata.shape)) / _RAYS * 2 - 1
    to = lamp.at[:, None] + lamp.half * spread
    total = np.zeros(n, np.float32)
    for k in range(_RAYS):
        ray = _unit(to[..., k] - point).astype(np.float32)
        cosine = (ray * normal).sum(1)
        facing = np.flatnonzero(cosine > 0)
        free = ~_blocked(world, point[facing], ray[facing])
        total[facing[free]] += cosine[facing[free]]
    return total / _RAYS


def _from_sky(
    world: _World, point: np.ndarray, normal: np.ndarray, rng: np.random.Generator, bounce: float
) -> np.ndarray:
    """Sky light at points, (n,), with what the ground throws back."""
    n = len(point)
    side = _unit(np.cross(normal, np.where(np.abs(normal[:, :1]) < 0.8, [[1.0, 0, 0]], [[0, 1.0, 0]])))
    other = np.cross(normal, side)
    strata = rng.permuted(np.tile(np.arange(_RAYS), (n, 1)), axis=1)
    height = point[:, 2]
    total = np.zeros(n, np.float32)
    for k in range(_RAYS):
        angle = 2 * np.pi * (strata[:, k] + rng.uniform(0, 1, n)) / _RAYS
        square = (k + rng.uniform(0, 1, n)) / _RAYS
        out, up = np.sqrt(square), np.sqrt(1 - square)
        ray = (out * np.cos(angle))[:, None] * side + (out * np.sin(angle))[:, None] * other + up[:, None] * normal
        free = ~_blocked(world, point, ray)
        below = ray[:, 2] < 0
        value = np.where(below, bounce * (1 - 0.7 * np.exp(-np.maximum(height, 0) / 0.12)), 0.7 + 0.5 * ray[:, 2])
        total += free * value
    return total / _RAYS


def _surroundings(about: np.ndarray, point: np.ndarray, lamp: _Lamp, rough: np.ndarray) -> np.ndarray:
    """What is mirrored from directions, (n,): a room bright above and on the ground, dark between, and the lamp."""
    up = about[:, 2]
    soft = 0.15 + rough
    room = 0.12 + 0.75 / (1 + np.exp(-(up - 0.25) / soft)) + 0.5 / (1 + np.exp((up + 0.1) / (0.3 * soft)))
    to_lamp = lamp.at - point
    away = np.linalg.norm(to_lamp, axis=1)
    cosine = np.clip((about * to_lamp).sum(1) / away, -1, 1)
    wide = np.arctan(lamp.half * 1.1 / away) + 0.02
    off = np.maximum(np.arccos(cosine) - wide, 0) / (0.02 + 0.6 * rough)
    strength = 2.5 * lamp.strength * np.minimum(1, wide / (0.05 + rough))
    return np.clip(room + strength * np.exp(-np.square(off)), 0, 4).astype(np.float32)


def _ground(
    world: _World, camera: _Camera, lamp: _Lamp, rng: np.random.Generator, size: tuple[int, int], margin: int
) -> tuple[np.ndarray, np.ndarray]:
    """Shares of the lamp's and of the sky's light on the ground, uint8, at half the size, box and margin."""
    w, h = ((v + 2 * margin) // 2 for v in size)
    yy, xx = np.mgrid[0:h, 0:w]
    ray = camera.rays(2.0 * xx.ravel() + 1 - margin, 2.0 * yy.ravel() + 1 - margin)
    distance = np.where(ray[:, 2] < -1e-3, -camera.at[2] / np.minimum(ray[:, 2], -1e-3), -1)
    point = camera.at + ray * distance[:, None]
    near = np.flatnonzero((distance > 0) & (np.hypot(point[:, 0], point[:, 1]) < 3.5))
    ground, up = point[near] + np.array([0, 0, _TINY]), np.broadcast_to([0.0, 0, 1], (near.size, 3))
    maps = []
    free_sky = 0.7 + 0.5 * 2 / 3
    full = _unit(lamp.at - ground)[:, 2]
    for value in (
        _from_lamp(world, ground, up, lamp, rng) / np.maximum(full, 0.05),
        _from_sky(world, ground, up, rng, 0.0) / free_sky,
    ):
        whole = np.ones(h * w, np.float32)
        whole[near] = np.clip(value, 0, 1)
        calm = cv2.bilateralFilter(whole.reshape(h, w), 9, 0.4, 3)
        maps.append(_bytes(cv2.GaussianBlur(calm, (0, 0), 0.7)))
    return maps[0], maps[1]
