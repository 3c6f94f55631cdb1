"""Code cards and goods, drawn for made-up shoots."""

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
W, H = 800, 600


def ground(rng: np.random.Generator) -> Picture:
    light = np.linspace(1, rng.uniform(0.75, 1), H)[:, None, None] * (rng.integers(120, 245) + rng.normal(0, 2, 3))
    return np.clip(np.broadcast_to(light, (H, W, 3)) + rng.normal(0, 1.5, (H, W, 1)), 0, 255).astype(np.uint8)


def card(rng: np.random.Generator, on: Picture, code: str) -> Picture:
    """A sheet with a shop's name, a code as QR, and the same in print: all of a shoot are laid out alike."""
    picture = on.copy()
    x, y = (int(v) + int(rng.integers(-6, 7)) for v in (W * 0.22, H * 0.12))
    w, h = round(W * 0.56), round(H * 0.74)
    picture[y : y + h, x : x + w] = 248
    symbol = zxingcpp.create_barcode(code, zxingcpp.BarcodeFormat.QRCode)
    drawn = cv2.resize(np.asarray(zxingcpp.write_barcode_to_image(symbol)), (230, 230), interpolation=cv2.INTER_NEAREST)
    picture[y + 90 : y + 320, x + 110 : x + 340] = drawn[..., None]
    cv2.putText(picture, "Brindle Yard", (x + 30, y + 60), cv2.FONT_HERSHEY_SIMPLEX, 1.6, (20, 20, 20), 3, cv2.LINE_AA)
    cv2.putText(picture, code, (x + 60, y + 400), cv2.FONT_HERSHEY_SIMPLEX, 2, (20, 20, 20), 4, cv2.LINE_AA)
    return picture


def cutlery(rng: np.random.Generator, picture: Picture) -> None:
    """Forks lying side by side, grey on grey."""
    for k in range(int(rng.integers(2, 5))):
        x, tone = 150 + 130 * k + int(rng.integers(-20, 20)), int(rng.integers(40, 110))
        cv2.line(picture, (x, 230), (x + 10, 520), (tone,) * 3, 14, cv2.LINE_AA)
        for tine in range(-2, 3):
            cv2.line(picture, (x, 230), (x + 9 * tine, 90), (tone,) * 3, 5, cv2.LINE_AA)


def glass(rng: np.random.Generator, picture: Picture) -> None:
    """Rims, walls and sparkles of a tumbler."""
    x, r, tone = int(rng.integers(300, 500)), int(rng.integers(70, 130)), int(rng.integers(60, 120))
    for y in (140, 150, 470, 480):
        cv2.ellipse(picture, (x, y), (r, r // 4), 0, 0, 360, (tone,) * 3, 2, cv2.LINE_AA)
    for side in (-1, 1):
        cv2.line(picture, (x + side * r, 145), (x + side * (r - 12), 475), (tone,) * 3, 4, cv2.LINE_AA)
    for _ in range(int(rng.integers(4, 16))):
        a, b = int(rng.integers(-r, r)), int(rng.integers(170, 450))
        cv2.line(picture, (x + a, b), (x + a + 3, b + int(rng.integers(5, 40))), (tone,) * 3, 2, cv2.LINE_AA)


def labelled(rng: np.random.Generator, picture: Picture) -> None:
    """A white or coloured box with lines of type."""
    tone = (245, 245, 245) if rng.uniform() < 0.6 else tuple(int(v) for v in rng.integers(60, 250, 3))
    x, y = int(rng.integers(180, 330)), int(rng.integers(60, 200))
    w, h = int(rng.integers(200, 330)), int(rng.integers(220, 380))
    cv2.rectangle(picture, (x, y), (x + w, y + h), tone, -1)
    for row in range(int(rng.integers(3, 12))):
        size = rng.uniform(0.4, 1.2)
        text = "".join(rng.choice(list("abcdefgh mnopr stuv"), 12))
        cv2.putText(picture, text, (x + 10, y + 30 + 28 * row), cv2.FONT_HERSHEY_SIMPLEX, size, (30, 30, 30), 2)


def striped(rng: np.random.Generator, picture: Picture) -> None:
    """A towel with dark stripes."""
    picture[100:500, 200:600] = 235
    for y in range(110, 490, int(rng.integers(12, 40))):
        picture[y : y + int(rng.integers(3, 9)), 200:600] = int(rng.integers(20, 90))


GOODS = (cutlery, glass, labelled, striped)


def goods(rng: np.random.Generator, on: Picture) -> Picture:
    picture = on.copy()
    GOODS[int(rng.integers(len(GOODS)))](rng, picture)
    return picture
