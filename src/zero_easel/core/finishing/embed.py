"""Information as files carry it: EXIF (CIPA DC-008), IPTC-IIM 4.2 and XMP (ISO 16684-1) with the IPTC Photo Metadata
standard's properties, the product in the image among them."""

import io
import re
import struct
from collections.abc import Mapping
from typing import Any, NamedTuple
from xml.sax.saxutils import escape

from anyascii import anyascii
from PIL import Image, UnidentifiedImageError

from zero_easel.core.standard.information import TEXTS, Information, Metadata
from zero_easel.core.standard.patterns import Pattern, Value

SOFTWARE = "Zero Easel"
_EXIF_IFD, _GPS_IFD = 0x8769, 0x8825
_MAIN_REDUCED = (0x010F, 0x0110)  # make, model
_EXIF_REDUCED = (0x829A, 0x829D, 0x8827, 0x9003, 0x9011, 0x920A, 0xA434)
"""Exposure time, f-number, sensitivity, time taken and its offset, focal length, lens."""
_PRIVATE_MAIN = (0xC62F, 0x9C9D, 0xC65D)  # serial number, author, raw digest
_PRIVATE_EXIF = (0xA430, 0xA431, 0xA435, 0xA420, 0x927C)
"""Owner's name, serial numbers of body and lens, the image's unique id, and the maker's notes, which hold such too."""
_OF_THE_FILE = (0x0112, 0x011A, 0x011B, 0x0128, 0x0131, 0x0213, 0x0201, 0x0202, 0x8769, 0x8825, 0xA005, 0x014A)
"""Orientation, resolution, software, sampling, thumbnail, pointers: they describe the camera's file, not this one."""
_OF_THE_PIXELS = (0xA001, 0xA002, 0xA003, 0xA005)


class Embedded(NamedTuple):
    """What goes into a file beside its pixels. icc: a colour profile. Each may be empty."""

    icc: bytes = b""
    exif: bytes = b""
    xmp: bytes = b""
    iptc: bytes = b""


class Camera(NamedTuple):
    """What a camera file brought along: EXIF, from "Exif" on or empty, and its colour profile."""

    exif: bytes = b""
    icc: bytes = b""


def camera_of(data: bytes) -> Camera:
    """Read what a camera wrote beside the pixels; empty where there is nothing, or nothing that can be read."""
    try:
        with Image.open(io.BytesIO(data)) as picture:
            exif = picture.getexif()
            return Camera(exif.tobytes() if len(exif) else b"", picture.info.get("icc_profile") or b"")
    except (OSError, ValueError, SyntaxError, UnidentifiedImageError, struct.error, TypeError, KeyError):
        return Camera()


def metadata_of(information: Information, values: Mapping[str, Value]) -> Metadata:
    """Fill the patterns of information for one picture. A field that asks for what the product does not have is
    written without it; what then is empty, is not written."""
    filled = {key: _filled(getattr(information, key), values) for key in TEXTS}
    words = [word.strip() for word in filled.pop("keywords").split(",")]
    keywords = tuple(dict.fromkeys(word for word in words if word))
    return Metadata(**filled, keywords=keywords, code=str(values.get("code") or ""))


def _filled(pattern: str, values: Mapping[str, Value]) -> str:
    if not pattern:
        return ""
    text = re.sub(r"\s+", " ", Pattern(pattern).fill(values).text).strip(" ,;-")
    return "".join(c for c in text if c.isprintable())


def exif_of(card: Metadata, information: Information, camera: Camera, density: float, *, is_srgb: bool) -> bytes:
    """EXIF of a finished picture. density: px per inch. is_srgb: whether its colours are those of sRGB."""
    exif = Image.Exif()
    if camera.exif and information.camera != "remove":
        _take_over(exif, camera.exif, information)
    exif[0x011A] = exif[0x011B] = density
    exif[0x0128] = 2
    exif[0x0131] = SOFTWARE
    # EXIF's texts are ASCII; whatever else is said in XMP, in full.
    for tag, text in ((0x010E, card.title), (0x013B, card.creator), (0x8298, card.copyright)):
        if text:
            exif[tag] = anyascii(text)
    exif.get_ifd(_EXIF_IFD)[0xA001] = 1 if is_srgb else 0xFFFF
    try:
        return exif.tobytes()
    except Exception:
        # What a camera, or whoever tampered with its file, wrote may be nothing that can be written again.
        return exif_of(card, information, Camera(), density, is_srgb=is_srgb)


def _take_over(exif: Image.Exif, given: bytes, information: Information) -> None:
    old = Image.Exif()
    try:
        old.load(given)
        main, shot, place = dict(old), dict(old.get_ifd(_EXIF_IFD)), dict(old.get_ifd(_GPS_IFD))
    except Exception:
        # Readers of EXIF raise whatever they stumble over; such a file goes without.
        return
    keep, private = information.camera == "keep", information.private == "keep"
    for source, target, reduced, secret, never in (
        (main, exif, _MAIN_REDUCED, _PRIVATE_MAIN, _OF_THE_FILE),
        (shot, exif.get_ifd(_EXIF_IFD), _EXIF_REDUCED, _PRIVATE_EXIF, _OF_THE_PIXELS),
    ):
        for tag, value in source.items():
            if tag not in never and (keep or tag in reduced or (private and tag in secret)):
                if tag in secret and not private:
                    continue
                target[tag] = value
    if private and place:
        exif.get_ifd(_GPS_IFD).update(place)


_IIM = {"title": (5, 64), "description": (120, 2000), "creator": (80, 32), "copyright": (116, 128), "place": (92, 32)}


def iptc_of(card: Metadata) -> bytes:
    """IPTC-IIM records, UTF-8; texts are cut to the lengths that the standard allows. Empty if there is nothing."""
    rows: list[tuple[int, bytes]] = []
    for key, (number, longest) in _IIM.items():
        if text := getattr(card, key):
            rows.append((number, _cut(text, longest)))
    rows += [(25, _cut(word, 64)) for word in card.keywords]
    if not rows:
        return b""
    head = _dataset(1, 90, b"\x1b%G") + _dataset(2, 0, struct.pack(">H", 4))
    return head + b"".join(_dataset(2, number, data) for number, data in sorted(rows))


def in_photoshop_block(iptc: bytes) -> bytes:
    """IPTC records as the APP13 segment of a JPEG holds them (IIM in an image resource block, id 0x0404)."""
    padded = iptc + b"\0" * (len(iptc) % 2)
    return b"Photoshop 3.0\x008BIM\x04\x04\0\0" + struct.pack(">I", len(iptc)) + padded


def _dataset(record: int, number: int, data: bytes) -> bytes:
    return struct.pack(">BBBH", 0x1C, record, number, len(data)) + data


def _cut(text: str, longest: int) -> bytes:
    while len(text.encode()) > longest:
        text = text[:-1]
    return text.encode()


_SPACES = {
    "dc": "http://purl.org/dc/elements/1.1/",
    "xmp": "http://ns.adobe.com/xap/1.0/",
    "xmpRights": "http://ns.adobe.com/xap/1.0/rights/",
    "Iptc4xmpCore": "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/",
    "Iptc4xmpExt": "http://iptc.org/std/Iptc4xmpExt/2008-02-29/",
}


def xmp_of(card: Metadata) -> bytes:
    """An XMP packet with Dublin Core, rights and IPTC properties. Empty if there is nothing to say."""
    rows = [
        _alternatives("dc:title", card.title),
        _alternatives("dc:description", card.description),
        _listed("dc:creator", "Seq", [card.creator]),
        _alternatives("dc:rights", card.copyright),
        _listed("dc:subject", "Bag", card.keywords),
        _plain("xmpRights:Marked", "True" if card.copyright else ""),
        _plain("xmpRights:WebStatement", card.licence),
        _plain("Iptc4xmpCore:Location", card.place),
        _product(card),
    ]
    body = "".join(rows)
    if not body:
        return b""
    spaces = " ".join(f'xmlns:{key}="{uri}"' for key, uri in _SPACES.items())
    text = (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        f'<rdf:Description rdf:about="" {spaces}><xmp:CreatorTool>{SOFTWARE}</xmp:CreatorTool>{body}</rdf:Description>'
        '</rdf:RDF></x:xmpmeta><?xpacket end="r"?>'
    )
    return text.encode()


def _product(card: Metadata) -> str:
    """The Product in the Image structure (IPTC Photo Metadata Standard, Extension schema)."""
    fields = (
        _alternatives("Iptc4xmpExt:ProductName", card.product_name)
        + _plain("Iptc4xmpExt:ProductGTIN", card.gtin)
        + _alternatives("Iptc4xmpExt:ProductDescription", card.product_description)
    )
    if not fields:
        return ""
    fields += _plain("Iptc4xmpExt:ProductId", card.code)
    return (
        '<Iptc4xmpExt:ProductInImage><rdf:Bag><rdf:li rdf:parseType="Resource">'
        f"{fields}</rdf:li></rdf:Bag></Iptc4xmpExt:ProductInImage>"
    )


def _plain(name: str, text: str) -> str:
    return f"<{name}>{escape(text)}</{name}>" if text else ""


def _alternatives(name: str, text: str) -> str:
    if not text:
        return ""
    return f'<{name}><rdf:Alt><rdf:li xml:lang="x-default">{escape(text)}</rdf:li></rdf:Alt></{name}>'


def _listed(name: str, kind: str, texts: Any) -> str:
    rows = "".join(f"<rdf:li>{escape(text)}</rdf:li>" for text in texts if text)
    return f"<{name}><rdf:{kind}>{rows}</rdf:{kind}></{name}>" if rows else ""
