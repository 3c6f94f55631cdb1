"""Write the profile of the wide space: ROMM RGB's primaries (ISO 22028-2) with the curve of sRGB (IEC 61966-2-1).

A display profile of three colorants and one curve (ICC.1:2022, version 4): python scripts/wide_profile.py
"""

import struct
from pathlib import Path

TARGET = Path(__file__).parents[1] / "src/zero_easel/core/photos/wide.icc"
_WHITE = (0.9642, 1.0, 0.8249)
_COLORANTS = {
    b"rXYZ": (0.7976749, 0.2880402, 0.0),
    b"gXYZ": (0.1351917, 0.7118741, 0.0),
    b"bXYZ": (0.0313534, 0.0000857, 0.8252100),
}
_CURVE = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)


def profile() -> bytes:
    """The file."""
    curve = b"para" + bytes(4) + struct.pack(">HH", 3, 0) + b"".join(map(_fixed, _CURVE))
    tags = {b"desc": _text("Zero Easel wide"), b"cprt": _text("No copyright, use freely"), b"wtpt": _xyz(_WHITE)}
    tags |= {name: _xyz(colour) for name, colour in _COLORANTS.items()}
    tags |= dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve)
    start = 128 + 4 + 12 * len(tags)
    table, data, placed = b"", b"", {}
    for name, value in tags.items():
        if value not in placed:
            placed[value] = start + len(data)
            data += value + bytes(-len(value) % 4)
        table += name + struct.pack(">II", placed[value], len(value))
    return _header(start + len(data)) + struct.pack(">I", len(tags)) + table + data


def _header(size: int) -> bytes:
    head = struct.pack(">I4sI4s4s4s", size, bytes(4), 0x04400000, b"mntr", b"RGB ", b"XYZ ")
    head += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + bytes(4 + 4 + 4 + 4 + 8 + 4)
    return (head + b"".join(map(_fixed, _WHITE))).ljust(128, b"\0")


def _fixed(value: float) -> bytes:
    return struct.pack(">i", round(value * 65536))


def _xyz(colour: tuple[float, ...]) -> bytes:
    return b"XYZ " + bytes(4) + b"".join(map(_fixed, colour))


def _text(words: str) -> bytes:
    data = words.encode("utf-16-be")
    return b"mluc" + bytes(4) + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(data), 28) + data


if __name__ == "__main__":
    TARGET.write_bytes(profile())
