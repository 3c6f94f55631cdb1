"""Flat things: boxes from the front, books, cards, plates, rings, brackets; plain, printed, or cut from some stuff.

No model looks like them, and a network that never saw any takes the print without the box, and a plain face for a hole.
"""

import cv2
import numpy as np

_SCALE = 16


def flat(rng: np.random.Generator, textures: list[np.ndarray], long: int = 420) -> np.ndarray:
    """A face as a cutout, (h, w, 4) uint8 RGBA, no side over `long`; textures: (h, w, 3) uint8 to print or cut from."""
    w, h = (max(24, round(long * v)) for v in (1, rng.uniform(0.2, 1)))
    if rng.uniform() < 0.5:
        w, h = h, w
    shape = _outline(rng, w, h)
    for _ in range(int(rng.integers(1, 4)) if rng.uniform() < 0.4 else 0):
        _pierced(rng, shape)
    face = _colour(rng, (h, w)) if rng.uniform() < 0.6 else _cut_from(rng, textures, (h, w))
    if rng.uniform() < 0.6:
        _printed(rng, face, textures)
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    light = np.exp(rng.normal(0, 0.12) * x + rng.normal(0, 0.12) * y)[..., None]
    return np.dstack([np.clip(face * light, 0, 255), shape]).astype(np.uint8)


def _outline(rng: np.random.Generator, w: int, h: int) -> np.ndarray:
    shape = np.zeros((h, w), np.uint8)
    kind = rng.uniform()
    if kind < 0.25:
        cv2.ellipse(shape, (w // 2, h // 2), (w // 2 - 2, h // 2 - 2), 0, 0, 360, 255, -1, cv2.LINE_AA)
        return shape
    corners = np.array([(2, 2), (w - 3, 2), (w - 3, h - 3), (2, h - 3)], np.float64)
    if kind < 0.5:  # seen askew
        corners += rng.uniform(0, 0.18, (4, 2)) * (w, h) * np.array([(1, 1), (-1, 1), (-1, -1), (1, -1)])
    elif kind < 0.65:
        angles = np.sort(rng.uniform(0, 2 * np.pi, int(rng.integers(3, 9))))
        reach = rng.uniform(0.5, 1, angles.size)
        corners = np.column_stack(
            [w / 2 + reach * np.cos(angles) * (w / 2 - 3), h / 2 + reach * np.sin(angles) * (h / 2 - 3)]
        )
    cv2.fillPoly(shape, [np.round(corners * _SCALE).astype(np.int32)], 255, cv2.LINE_AA, 4)
    if rng.uniform() < 0.4:  # rounded
        radius = max(1.0, rng.uniform(0.01, 0.08) * min(w, h))
        soft = cv2.GaussianBlur(shape.astype(np.float32), (0, 0), radius) / 255
        shape = np.clip((soft - 0.5) * radius * 2.5 + 0.5, 0, 1)
        return (255 * shape).astype(np.uint8)
    return shape


def _pierced(rng: np.random.Generator, shape: np.ndarray) -> None:
    """A hole, from a small one to one that leaves a ring."""
    h, w = shape.shape
    size = rng.uniform(0.04, 0.42) * min(w, h)
    x, y = rng.uniform(0.3, 0.7) * w, rng.uniform(0.3, 0.7) * h
    if rng.uniform() < 0.4:
        x, y, size = w / 2, h / 2, rng.uniform(0.25, 0.42) * min(w, h)
    axes = (max(1, round(size)), max(1, round(size * rng.uniform(0.3, 1))))
    if rng.uniform() < 0.6:
        cv2.ellipse(shape, (round(x), round(y)), axes, rng.uniform(0, 180), 0, 360, 0, -1, cv2.LINE_AA)
    else:
        cv2.rectangle(shape, (round(x) - axes[0], round(y) - axes[1]), (round(x) + axes[0], round(y) + axes[1]), 0, -1)


def _colour(rng: np.random.Generator, size: tuple[int, int]) -> np.ndarray:
    plain = (
        rng.choice([245, 225, 128, 60, 25]) + rng.normal(0, 8, 3) if rng.uniform() < 0.5 else rng.uniform(10, 250, 3)
    )
    return np.full((*size, 3), np.clip(plain, 4, 252), np.float32)


def _cut_from(rng: np.random.Generator, textures: list[np.ndarray], size: tuple[int, int]) -> np.ndarray:
    texture = textures[rng.integers(len(textures))]
    return cv2.resize(texture, size[::-1], interpolation=cv2.INTER_AREA).astype(np.float32)


def _printed(rng: np.random.Generator, face: np.ndarray, textures: list[np.ndarray]) -> None:
    """Pictures, panels and lines of type on a face; some panels have the colour of paper."""
    h, w = face.shape[:2]
    for _ in range(int(rng.integers(1, 9))):
        pw, ph = max(2, round(w * rng.uniform(0.05, 0.9))), max(2, round(h * rng.uniform(0.03, 0.6)))
        left, top = int(rng.integers(0, max(1, w - pw))), int(rng.integers(0, max(1, h - ph)))
        panel = face[top : top + ph, left : left + pw]
        if rng.uniform() < 0.3:
            panel[:] = _cut_from(rng, textures, panel.shape[:2])
        else:
            panel[:] = _colour(rng, panel.shape[:2])
        for row in range(3, ph - 3, max(4, ph // 8)) if rng.uniform() < 0.4 else ():
            panel[row : row + 2, 3 : max(4, round(pw * rng.uniform(0.3, 0.95)))] = _colour(rng, (1, 1))
