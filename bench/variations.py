"""Changed versions of the demo shop's photos with exact truth, to know how the engine stands on photos unlike them."""

from collections.abc import Callable, Iterator

import cv2
import numpy as np

from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.fill import fill_from

Pair = tuple[np.ndarray, np.ndarray]


def variations(photo: np.ndarray, truth: np.ndarray, seed: int) -> Iterator[tuple[str, np.ndarray, np.ndarray]]:
    """Name, photo (h, w, 3) uint8 and truth (h, w) uint8 of every variation."""
    for index, change in enumerate(CHANGES):
        changed = change(np.random.default_rng(100 * seed + index), photo, truth)
        yield change.__name__, *(np.ascontiguousarray(part) for part in changed)


def flipped(_rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """Mirrored, left to right."""
    return photo[:, ::-1], truth[:, ::-1]


def cast(rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """Wrong white balance and exposure."""
    gain = np.exp(rng.uniform(-0.35, 0.35, 3) - rng.uniform(0, 0.5))
    return to_srgb8((to_linear(photo) * gain).astype(np.float32)), truth


def gradient(rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """Light that falls off by a third to a half across the frame."""
    h, w = truth.shape
    angle = rng.uniform(0, 2 * np.pi)
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    fall = np.exp(-rng.uniform(0.2, 0.35) * (1 + x * np.cos(angle) + y * np.sin(angle)))
    return to_srgb8((to_linear(photo) * fall[..., None]).astype(np.float32)), truth


def noisy(rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """High sensitivity: shot and read noise, then JPEG of quality 70."""
    light = to_linear(photo)
    grain = rng.normal(0, 1, light.shape) * np.sqrt(light * 1.2e-3 + 2e-5)
    packed = cv2.imencode(".jpg", to_srgb8((light + grain).astype(np.float32)), [cv2.IMWRITE_JPEG_QUALITY, 70])[1]
    return cv2.imdecode(packed, cv2.IMREAD_COLOR), truth


def soft(rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """Out of focus by a few pixels, item and matte alike."""
    sigma = float(rng.uniform(1.5, 3))
    return to_srgb8(cv2.GaussianBlur(to_linear(photo), (0, 0), sigma)), cv2.GaussianBlur(truth, (0, 0), sigma)


def recoloured(rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """On paper of another colour: the old one is divided out, with its shadows kept."""
    light, alpha = to_linear(photo), (truth / np.float32(255))[..., None]
    rim = np.concatenate([light[:30].reshape(-1, 3), light[-30:].reshape(-1, 3)])
    paper = np.median(rim, 0) + 1e-3
    colour = to_linear(rng.integers(20, 245, 3).astype(np.uint8)[None])[0] + 1e-3
    behind = fill_from(light, cv2.dilate(truth, np.ones((5, 5))) == 0)
    own = np.clip(light - (1 - alpha) * behind, 0, None)
    return to_srgb8(own + (1 - alpha) * behind * (colour / paper)), truth


def on_a_table(rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """The paper no longer fills the frame: table and wall around it."""
    h, w = truth.shape
    scale = rng.uniform(0.6, 0.75)
    sh, sw = round(h * scale), round(w * scale)
    table = rng.uniform((90, 60, 40), (190, 150, 110))
    grain = cv2.GaussianBlur(rng.normal(0, 1, (h, w)).astype(np.float32), (0, 0), sigmaX=60, sigmaY=1.5)
    room = np.clip(table + 160 * grain[..., None], 0, 255)
    horizon = round(h * rng.uniform(0.1, 0.25))
    room[:horizon] = rng.uniform(120, 215) + rng.normal(0, 2, (horizon, w, 1))
    top, left = h - sh - round((h - sh) * rng.uniform(0.1, 0.6)), round((w - sw) * rng.uniform(0.2, 0.8))
    room[top : top + sh, left : left + sw] = cv2.resize(photo, (sw, sh), interpolation=cv2.INTER_AREA)
    placed = np.zeros_like(truth)
    placed[top : top + sh, left : left + sw] = cv2.resize(truth, (sw, sh), interpolation=cv2.INTER_AREA)
    return room.astype(np.uint8), placed


def on_a_plain_table(rng: np.random.Generator, photo: np.ndarray, truth: np.ndarray) -> Pair:
    """The paper lies on a table without grain that goes all around it, as an item would."""
    h, w = truth.shape
    place = np.array([[0.65, 0, 0.175 * w], [0, 0.65, rng.uniform(0.1, 0.25) * h]])
    light = 1 + 0.15 * np.linspace(-1, 1, w)[None, :, None]
    table = rng.uniform(30, 200, 3) * light + rng.normal(0, 1.2, (h, w, 1))
    paper, placed, sheet = (
        cv2.warpAffine(p, place, (w, h), flags=cv2.INTER_AREA) for p in (photo, truth, np.full((h, w), 255, np.uint8))
    )
    share = sheet[..., None] / 255
    return np.clip(paper * share + table * (1 - share), 0, 255).astype(np.uint8), placed


CHANGES: tuple[Callable[[np.random.Generator, np.ndarray, np.ndarray], Pair], ...] = (
    flipped,
    cast,
    gradient,
    noisy,
    soft,
    recoloured,
    on_a_table,
    on_a_plain_table,
)
