"""Things to cast light on, as triangles with surfaces: 3D models in Wavefront OBJ, and the families of scenes.py.

Units do not matter, z is up.
"""

import re
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np

MOST_FACES = 600_000
"""Larger models would keep all others waiting."""
_TEXTURE = 768


@dataclass(frozen=True)
class Surface:
    """colour: linear light, 3 numbers in [0, 1]. texture: (h, w, 3) uint8 sRGB, or None. repeat: of the texture along u
    and v. gloss: strength of mirrored light, [0, 1]. rough: how far it is spread, [0, 1]. metal: whether mirrored light
    is all that it gives. clear: share of light that goes through, [0, 1]."""

    colour: tuple[float, float, float] = (0.5, 0.5, 0.5)
    texture: np.ndarray | None = None
    repeat: tuple[float, float] = (1.0, 1.0)
    gloss: float = 0.1
    rough: float = 0.3
    metal: bool = False
    clear: float = 0.0


@dataclass(frozen=True)
class Part:
    """vertices, normals: (n, 3) float32. uv: (n, 2) float32. faces: (m, 3) int32. surface: what it is made of."""

    vertices: np.ndarray
    faces: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    surface: Surface


def turned(parts: list[Part], matrix: np.ndarray) -> list[Part]:
    """The parts turned by a (3, 3) rotation about the origin."""
    m = matrix.astype(np.float32)
    return [replace(p, vertices=p.vertices @ m.T, normals=p.normals @ m.T) for p in parts]


def moved(parts: list[Part], by: np.ndarray, scale: float = 1.0) -> list[Part]:
    """The parts scaled about the origin, then moved."""
    return [replace(p, vertices=(p.vertices * scale + by).astype(np.float32)) for p in parts]


def bounds(parts: list[Part]) -> tuple[np.ndarray, np.ndarray]:
    """Least and greatest coordinates, (3,) each."""
    return (
        np.min([p.vertices.min(0) for p in parts], 0),
        np.max([p.vertices.max(0) for p in parts], 0),
    )


def standing(parts: list[Part]) -> list[Part]:
    """The parts standing on z = 0 around the z axis, their longest side 1."""
    low, high = bounds(parts)
    middle = np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
    scale = 1 / max(float((high - low).max()), 1e-9)
    return moved(moved(parts, -middle), np.zeros(3), scale)


def read_obj(path: Path) -> list[Part]:
    """A Wavefront OBJ file and its material library, y up in the file. Raises ValueError if it has no faces or too
    many."""
    reader = _Obj(path)
    parts = reader.parts()
    if not parts:
        raise ValueError(f"{path}: no faces")
    upright = np.array([[1, 0, 0], [0, 0, -1], [0, 1, 0]])
    return standing(turned(parts, upright))


class _Obj:
    def __init__(self, path: Path) -> None:
        self.path = path
        self.v: list[list[float]] = []
        self.vt: list[list[float]] = []
        self.vn: list[list[float]] = []
        self.surfaces: dict[str, Surface] = {}
        self.faces: dict[str, list[list[tuple[int, int, int]]]] = {}
        self._read()

    def _read(self) -> None:
        current, count = "", 0
        for line in self.path.read_text(errors="replace").splitlines():
            word, _, rest = line.strip().partition(" ")
            if word == "v":
                self.v.append([float(x) for x in rest.split()[:3]])
            elif word == "vt":
                self.vt.append([float(x) for x in (*rest.split(), "0")[:2]])
            elif word == "vn":
                self.vn.append([float(x) for x in rest.split()[:3]])
            elif word == "usemtl":
                current = rest.strip()
            elif word == "mtllib":
                self.surfaces |= read_materials(self.path.with_name(rest.strip()))
            elif word == "f":
                corners = [self._corner(c) for c in rest.split()]
                count += len(corners) - 2
                if count > MOST_FACES:
                    raise ValueError(f"{self.path}: more than {MOST_FACES} faces")
                fan = [[corners[0], corners[k], corners[k + 1]] for k in range(1, len(corners) - 1)]
                self.faces.setdefault(current, []).extend(fan)

    def _corner(self, text: str) -> tuple[int, int, int]:
        numbers = [int(x) if x else 0 for x in [*text.split("/"), "", ""][:3]]
        counts = (len(self.v), len(self.vt), len(self.vn))
        v, t, n = (k - 1 if k > 0 else (count + k if k < 0 else -1) for k, count in zip(numbers, counts, strict=True))
        return v, t, n

    def parts(self) -> list[Part]:
        v, vt, vn = (np.array(a or [[0.0] * k], np.float32) for a, k in ((self.v, 3), (self.vt, 2), (self.vn, 3)))
        made = []
        for name, faces in self.faces.items():
            corners = np.array(faces, np.int64).reshape(-1, 3)
            unique, index = np.unique(corners, axis=0, return_inverse=True)
            triangles = index.reshape(-1, 3).astype(np.int32)
            vertices = v[unique[:, 0]]
            uv = np.where(unique[:, 1:2] >= 0, vt[unique[:, 1]], 0)
            normals = np.where(unique[:, 2:3] >= 0, vn[unique[:, 2]], 0)
            if not normals.any():
                vertices, triangles, uv, normals = _flat(vertices, triangles, uv)
            surface = self.surfaces.get(name, Surface())
            made.append(Part(vertices, triangles, normals.astype(np.float32), uv.astype(np.float32), surface))
        return made


def _flat(vertices: np.ndarray, faces: np.ndarray, uv: np.ndarray) -> tuple[np.ndarray, ...]:
    """With corners of their own for all faces, and the faces' normals."""
    corners = vertices[faces]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    own = np.arange(faces.size, dtype=np.int32).reshape(-1, 3)
    return corners.reshape(-1, 3), own, uv[faces].reshape(-1, 2), np.repeat(normal, 3, 0)


def read_materials(path: Path) -> dict[str, Surface]:
    """The surfaces of a Wavefront material library; textures that are missing or cannot be read are left out."""
    found: dict[str, Surface] = {}
    name = ""
    for line in path.read_text(errors="replace").splitlines() if path.exists() else ():
        word, _, rest = line.strip().partition(" ")
        rest = rest.strip()
        if word == "newmtl":
            name, found[rest] = rest, Surface()
        elif name and word == "Kd":
            r, g, b = (np.clip(float(x), 0, 1) ** 2.2 for x in rest.split()[:3])
            found[name] = replace(found[name], colour=(float(r), float(g), float(b)))
        elif name and word == "Ks":
            gloss = float(np.clip(np.mean([float(x) for x in rest.split()[:3]]), 0, 1))
            found[name] = replace(found[name], gloss=0.4 * gloss)
        elif name and word == "Ns":
            found[name] = replace(found[name], rough=float(np.clip(1.2 / np.sqrt(1 + float(rest)), 0.03, 1)))
        elif name and word == "d":
            found[name] = replace(found[name], clear=float(np.clip(1 - float(rest.split()[-1]), 0, 1)))
        elif name and word == "map_Kd":
            picture = _texture(path.with_name(re.split(r"[\\/]", rest)[-1]))
            if picture is not None:
                found[name] = replace(found[name], texture=picture, colour=(1.0, 1.0, 1.0))
    return found


@lru_cache(64)
def _texture(path: Path) -> np.ndarray | None:
    picture = cv2.imread(str(path), cv2.IMREAD_COLOR)
    if picture is None:
        return None
    scale = _TEXTURE / max(picture.shape[:2])
    if scale < 1:
        picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(picture[::-1, :, ::-1])  # v counts from below


def parts_of(item: Any) -> list[Part]:
    """The triangles of a thing of studio.py (an Obj); its bristles become three-sided sticks."""
    made = []
    for p in item.parts:
        surface = _surface_of(p["bsdf"])
        if p["k"] == "mesh":
            v, n, uv = (np.asarray(p[k], np.float32) for k in ("V", "N", "UV"))
            made.append(Part(v, np.asarray(p["F"], np.int32), n, uv, surface))
        else:
            v, f, n = _sticks(p["C"])
            made.append(Part(v, f, n, np.zeros((len(v), 2), np.float32), surface))
    return standing(made)


def _sticks(curves: list[tuple[np.ndarray, np.ndarray]]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    angles = np.arange(3) * 2 * np.pi / 3
    ring = np.stack([np.cos(angles), np.sin(angles), 0 * angles], 1)
    vertices, faces, normals, count = [], [], [], 0
    for points, radii in curves:
        around = points[:, None] + ring * radii[:, None, None]
        vertices.append(around.reshape(-1, 3))
        normals.append(np.broadcast_to(ring, around.shape).reshape(-1, 3))
        for k in range(len(points) - 1):
            for j in range(3):
                a, b = count + 3 * k + j, count + 3 * k + (j + 1) % 3
                faces += [(a, b, a + 3), (b, b + 3, a + 3)]
        count += 3 * len(points)
    return np.concatenate(vertices).astype(np.float32), np.array(faces, np.int32), np.concatenate(normals).astype("f4")


_METALS = {"Al": (0.91, 0.92, 0.92), "Cu": (0.95, 0.64, 0.54), "Au": (1.0, 0.78, 0.34), "Cr": (0.55, 0.56, 0.55)}


def _surface_of(bsdf: dict[str, Any]) -> Surface:
    """A material of studio.py, as far as a caster of rays can show it."""
    inner = bsdf.get("bsdf", bsdf)
    kind = inner["type"]
    if kind == "dielectric":
        tint = np.asarray(inner["specular_transmittance"]["value"], float)
        return Surface(tuple(tint), gloss=0.6, rough=0.03, clear=0.95)
    if kind == "roughconductor":
        tint = np.asarray(inner.get("specular_reflectance", {"value": [1, 1, 1]})["value"], float)
        colour = tuple(np.array(_METALS.get(inner["material"], (0.8, 0.8, 0.8))) * tint)
        return Surface(colour, gloss=1.0, rough=float(inner.get("alpha", inner.get("alpha_u", 0.15))), metal=True)
    paint = inner.get("reflectance") or inner.get("diffuse_reflectance") or inner["base_color"]
    gloss, rough = {"diffuse": (0.02, 0.9), "roughplastic": (0.35, inner.get("alpha", 0.1))}.get(
        kind, (0.12, inner.get("roughness", 0.4))
    )
    if paint["type"] == "rgb":
        return Surface(tuple(paint["value"]), gloss=gloss, rough=float(rough))
    picture = np.array(paint["bitmap"])
    picture = np.repeat(picture, 3, 2) if picture.shape[2] == 1 else picture[..., :3]
    repeat = (1.0, 1.0)
    if "to_uv" in paint:
        matrix = np.array(paint["to_uv"].matrix)
        repeat = (float(matrix[0, 0]), float(matrix[1, 1]))
    return Surface((1.0, 1.0, 1.0), picture.astype(np.uint8), repeat, gloss, float(rough))
