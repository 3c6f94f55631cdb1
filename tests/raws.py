"""Raw files of a made-up camera: a Bayer mosaic as DNG (Adobe's specification 1.4, tags of TIFF 6.0)."""

import struct

import numpy as np

GAINS = (0.45, 1.0, 0.62)
"""What its sensor makes of white, against green."""
_FROM_XYZ = np.array([[3.2404542, -1.5371385, -0.4985314], [-0.9692660, 1.8760108, 0.0415560],
                      [0.0556434, -0.2040259, 1.0572252]])  # fmt: skip
_BLACK, _WHITE = 512, 15800
_KINDS = {"B": (1, "B"), "s": (2, "B"), "H": (3, "H"), "I": (4, "I"), "R": (5, "I"), "r": (10, "i")}

Tags = dict[int, tuple[str, list[int]]]


def dng(
    light: np.ndarray,
    *,
    holds: float = 1.0,
    turn: int = 1,
    gains: tuple[float, ...] = GAINS,
    beside: tuple[bytes, int, int] | None = None,
) -> bytes:
    """A raw file of (h, w, 3) linear sRGB with even sides. holds: light at which the greenest channel is full. turn:
    EXIF's, by which it is to be shown. gains: what white is in its channels. beside: a JPEG that the camera stored with
    it, its width and height."""
    cast = light * np.array(gains)
    h, w = light.shape[:2]
    mosaic = np.empty((h, w))
    for (y, x), channel in {(0, 0): 0, (0, 1): 1, (1, 0): 1, (1, 1): 2}.items():
        mosaic[y::2, x::2] = cast[y::2, x::2, channel]
    levels = _BLACK + np.clip(mosaic / holds, 0, 1) * (_WHITE - _BLACK)
    data = np.round(levels).astype("<u2").tobytes()
    matrix = [round(float(v) * 10000) for v in (np.diag(gains) @ _FROM_XYZ).ravel()]
    sensor: Tags = {
        254: ("I", [0]), 256: ("I", [w]), 257: ("I", [h]), 258: ("H", [16]), 259: ("H", [1]), 262: ("H", [32803]),
        277: ("H", [1]), 278: ("I", [h]), 33421: ("H", [2, 2]), 33422: ("B", [0, 1, 1, 2]), 50714: ("H", [_BLACK]),
        50717: ("I", [_WHITE]),
    }  # fmt: skip
    camera: Tags = {
        274: ("H", [turn]), 50706: ("B", [1, 4, 0, 0]), 50708: ("s", list(b"Made-up\0")),
        50721: ("r", [v for n in matrix for v in (n, 10000)]),
        50728: ("R", [v for gain in gains for v in (round(gain * 10000), 10000)]), 50778: ("H", [21]),
    }  # fmt: skip
    if beside is None:
        return b"II*\0" + struct.pack("<I", 8) + _directory(sensor | camera, data, 8)
    jpeg, width, height = beside
    small: Tags = {254: ("I", [1]), 256: ("I", [width]), 257: ("I", [height]), 258: ("H", [8, 8, 8]), 259: ("H", [7]),
                   262: ("H", [6]), 277: ("H", [3]), 278: ("I", [height])}  # fmt: skip
    length = len(_directory(small | camera | {330: ("I", [0])}, jpeg, 8))
    first = _directory(small | camera | {330: ("I", [8 + length])}, jpeg, 8)
    return b"II*\0" + struct.pack("<I", 8) + first + _directory(sensor, data, 8 + length)


def _directory(tags: Tags, data: bytes, at: int) -> bytes:
    """A directory of TIFF that begins at a place, its values, and the data of its one strip."""
    tags = tags | {273: ("I", [0]), 279: ("I", [len(data)])}
    start = at + 2 + 12 * len(tags) + 4
    extra, table = b"", struct.pack("<H", len(tags))
    for tag, (kind, values) in sorted(tags.items()):
        code, letter = _KINDS[kind]
        packed = struct.pack(f"<{len(values)}{letter}", *values)
        count = len(values) // 2 if kind in "Rr" else len(values)
        if tag == 273:
            table += struct.pack("<HHI", tag, code, 1) + b"@@@@"
        elif len(packed) <= 4:
            table += struct.pack("<HHI", tag, code, count) + packed.ljust(4, b"\0")
        else:
            table += struct.pack("<HHII", tag, code, count, start + len(extra))
            extra += packed + bytes(len(packed) % 2)
    table = table.replace(b"@@@@", struct.pack("<I", start + len(extra)))
    return table + bytes(4) + extra + data + bytes(len(data) % 2)
