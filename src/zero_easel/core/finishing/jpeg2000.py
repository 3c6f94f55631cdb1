"""What a JPEG 2000 file says beside its pixels, as boxes (ISO/IEC 15444-1, annex I; XMP: ISO 16684-1)."""

import struct
import uuid
from collections.abc import Iterator

from zero_easel.core.finishing.embed import Embedded

_XMP = uuid.UUID("be7acfcb-97a9-42e8-9c71-999491e3afac").bytes
_IPTC = uuid.UUID("33c7a4d2-b81d-4723-a0ba-f1a3e097ad38").bytes
_EXIF = b"JpgTiffExif->JP2"


def with_boxes(data: bytes, density: float, more: Embedded, *, is_srgb: bool) -> bytes:
    """A JP2 file with its density (px per inch), colour and information written into it. sRGB is said by the number
    that the standard has for it, any other profile as it is. Raises ValueError if data is no JP2 file."""
    head: list[bytes] = []
    rest: list[bytes] = []
    for kind, content in _boxes(data):
        if kind == b"jp2h":
            content = _header(content, density, b"" if is_srgb else more.icc)
        (rest if kind == b"jp2c" else head).append(_box(kind, content))
    extra = [
        _box(b"uuid", identity + content)
        for identity, content in ((_XMP, more.xmp), (_IPTC, more.iptc), (_EXIF, more.exif.removeprefix(b"Exif\0\0")))
        if content
    ]
    return b"".join([*head, *extra, *rest])


def facts_of(data: bytes) -> tuple[bytes, float]:
    """The ICC profile of a JP2 file, empty if it names its colours by number, and its density in px per inch, 0 if it
    does not say. Raises ValueError if data is no JP2 file."""
    icc, density = b"", 0.0
    for kind, content in _boxes(data):
        if kind != b"jp2h":
            continue
        for inner_kind, inner in _boxes(content):
            if inner_kind == b"colr" and inner[:1] == b"\x02":
                icc = inner[3:]
            if inner_kind == b"res ":
                _, resolution = next(_boxes(inner))
                _, _, number, divisor, _, exponent = struct.unpack(">HHHHbb", resolution)
                density = number / divisor * 10.0**exponent * 0.0254
    return icc, density


def _header(content: bytes, density: float, icc: bytes) -> bytes:
    kept = []
    for kind, inner in _boxes(content):
        if kind == b"colr" and icc:
            inner = struct.pack(">BBB", 2, 0, 0) + icc
        if kind != b"res ":
            kept.append(_box(kind, inner))
    # px per metre, as a fraction times a power of ten.
    exponent = 1 if density / 0.0254 > 65535 else 0
    number = round(density / 0.0254 / 10**exponent)
    capture = _box(b"resc", struct.pack(">HHHHBB", number, 1, number, 1, exponent, exponent))
    return b"".join([*kept, _box(b"res ", capture)])


def _box(kind: bytes, content: bytes) -> bytes:
    return struct.pack(">I", len(content) + 8) + kind + content


def _boxes(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    at = 0
    while at < len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        start = at + 8
        if length == 1:
            (length,) = struct.unpack_from(">Q", data, at + 8)
            start = at + 16
        end = at + length if length else len(data)
        if (length and length < 8) or end > len(data):
            raise ValueError("this is not a JPEG 2000 file")
        yield kind, data[start:end]
        at = end
