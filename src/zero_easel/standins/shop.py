"""A shop's stand-in: takes pictures over HTTP, has rules of its own, and is not always well.

Accepted pictures lie in a folder and are shown on one page. Now and then it is slow, down for a moment, or hangs up in
the middle of a picture, unless it is calm.
"""

import base64
import csv
import hashlib
import json
import mimetypes
import random
import re
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from importlib import resources
from io import BytesIO
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from jinja2 import Environment, PackageLoader
from PIL import Image, UnidentifiedImageError

import zero_easel
from zero_easel.files import write_atomically

_CATALOG = resources.files("zero_easel.demo") / "products.csv"
_STATIC = Path(zero_easel.__file__).parent / "web/static"
_PAGE = Environment(loader=PackageLoader("zero_easel.standins", "."), autoescape=True).get_template("shop.html")
_NOT_SOLD = ("BY-6004",)
"""Of the demo's products, what this shop does not sell."""
_ADDRESS = re.compile(r"/products/([^/]{1,80})/pictures/([^?#]{1,300})")
_NAME = r"[A-Za-z0-9-]+_[a-z0-9]+\.(jpg|webp)"
_LEAST, _KB, _LARGEST = 800, 400, 50_000_000
_SLOW, _DOWN, _HALF = 0.1, 0.05, 0.05
"""Share of pictures that take seconds, that find it down, that it hangs up on."""


@dataclass
class Shop:
    """folder: where accepted pictures lie. calm: always well. token: that it wants, "" for none. say: is told of each
    picture for which product it came, under which path, and why it was not taken, if it was not."""

    folder: Path
    calm: bool = False
    token: str = ""
    seed: int = 0
    codes: frozenset[str] = frozenset()
    say: Callable[[str, str, Sequence[str]], None] = lambda _code, _path, _reasons: None
    taken: dict[str, str] = field(default_factory=dict)
    """SHA-256 of what was accepted, by path."""
    came: dict[str, tuple[str, list[str]]] = field(default_factory=dict)
    """For which product each path came last, and why it was turned away."""
    received: int = 0
    """Pictures that it had in full, accepted or not: what was sent needlessly counts, too."""

    def __post_init__(self) -> None:
        rows = csv.DictReader(_CATALOG.read_text().splitlines())
        self.products = {row["code"]: row["name"] for row in rows}
        self.codes = self.codes or frozenset(self.products) - set(_NOT_SOLD)
        self.chance, self.lock = random.Random(self.seed), threading.Lock()
        self.folder.mkdir(parents=True, exist_ok=True)

    def mood(self) -> str:
        """How it is just now: well, slow, down or absent-minded."""
        if self.calm:
            return "well"
        with self.lock:
            at = self.chance.random()
        for name, share in (("slow", _SLOW), ("down", _DOWN), ("half", _HALF)):
            if at < share:
                return name
            at -= share
        return "well"

    def judged(self, code: str, path: str, data: bytes) -> list[dict[str, str]]:
        """Why it will not have a picture; nothing if it takes it, and keeps it then."""
        with self.lock:
            self.received += 1
        reasons = _reasons(code in self.codes, code, path, data)
        if not reasons:
            target = (self.folder / path).resolve()
            if not target.is_relative_to(self.folder.resolve()):
                return [{"rule": "name", "value": _NAME, "text": f"{path} leads elsewhere."}]
            target.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(target, data)
            with self.lock:
                self.taken[path] = hashlib.sha256(data).hexdigest()
        words = [reason["text"] for reason in reasons]
        with self.lock:
            self.came[path] = (code, words)
        self.say(code, path, words)
        return reasons

    def page(self, address: str) -> str:
        """What came, as a page: first what was turned away, then what is on the shelf."""
        with self.lock:
            came, taken = dict(self.came), set(self.taken)
        turned: dict[str, list[str]] = {}
        for path, (_, words) in sorted(came.items()):
            if words:
                turned.setdefault(" ".join(words), []).append(path)
        shelf = sorted((path, came[path][0], self.products.get(came[path][0], "")) for path in taken)
        return _PAGE.render(turned=turned, taken=shelf, sold=len(self.codes), address=address)


def _reasons(sold: bool, code: str, path: str, data: bytes) -> list[dict[str, str]]:
    found = [] if sold else [{"text": f"We do not sell {code}."}]
    name = path.rpartition("/")[2]
    if not re.fullmatch(_NAME, name):
        found.append({"rule": "name", "value": _NAME, "text": f"{name} should read CODE_view.jpg or CODE_view.webp."})
    if len(data) > _KB * 1000:
        found.append(
            {
                "rule": "bytes",
                "value": f"at most {_KB}",
                "text": f"{len(data) // 1000} kB are too many; {_KB} are taken.",
            }
        )
    try:
        with Image.open(BytesIO(data)) as picture:
            width, height = picture.size
            corners = _corners(picture)
    except (UnidentifiedImageError, OSError):
        return [*found, {"rule": "format", "value": "jpeg", "text": f"{name} is no picture that we can read."}]
    if max(width, height) < _LEAST:
        text = f"{width} by {height} px are too few; the longest side has {_LEAST} at least."
        found.append({"rule": "longest", "value": f"at least {_LEAST}", "text": text})
    if min(min(corner) for corner in corners) < 250:
        found.append({"rule": "ground", "value": "#FFFFFF within 5", "text": "The ground is not white at the corners."})
    return found


def _corners(picture: Image.Image) -> list[tuple[int, ...]]:
    plain, (right, down) = picture.convert("RGB"), (picture.width - 1, picture.height - 1)
    found = [plain.getpixel(at) for at in ((0, 0), (right, 0), (0, down), (right, down))]
    return [corner for corner in found if isinstance(corner, tuple)]


def _shipped(path: str) -> Path | None:
    """A style sheet or font of the application, in which the shop's page is dressed."""
    file = (_STATIC / path.removeprefix("static/")).resolve()
    return file if path.startswith("static/") and file.is_relative_to(_STATIC) and file.is_file() else None


def _kind(path: str) -> str:
    return mimetypes.guess_type(path)[0] or "application/octet-stream"


class _Counter(BaseHTTPRequestHandler):
    """One request at the shop's counter."""

    protocol_version = "HTTP/1.1"
    server: "ShopServer"

    def do_PUT(self) -> None:
        """A picture is brought."""
        shop, length = self.server.shop, int(self.headers.get("Content-Length") or 0)
        where = _ADDRESS.fullmatch(self.path)
        if shop.token and self.headers.get("Authorization") != f"Bearer {shop.token}":
            self._problem(401, "The token is not known here.", close=True)
            return
        if where is None or not 0 < length <= _LARGEST:
            self._problem(400, "PUT /products/CODE/pictures/NAME with a picture as body.", close=True)
            return
        mood = shop.mood()
        if mood == "half":
            self.rfile.read(length // 2)
            self.close_connection = True
            return
        if mood == "down":
            self._problem(503, "The shop is down for a moment.", close=True, Retry_After="1")
            return
        data = self.rfile.read(length)
        if mood == "slow":
            time.sleep(1.5)
        self._judge(unquote(where[1]), unquote(where[2]), data)

    def do_GET(self) -> None:
        """What was accepted: a page, or one of the pictures."""
        shop, path = self.server.shop, unquote(self.path).lstrip("/")
        if path in shop.taken:
            self._answer(200, (shop.folder / path).read_bytes(), _kind(path))
        elif not path:
            self._answer(200, shop.page(self.server.address).encode(), "text/html; charset=utf-8")
        elif (file := _shipped(path)) is not None:
            self._answer(200, file.read_bytes(), _kind(path))
        else:
            self._problem(404, "There is no such picture.")

    def _judge(self, code: str, path: str, data: bytes) -> None:
        told = self.headers.get("Repr-Digest", "")
        digest = base64.b64encode(hashlib.sha256(data).digest()).decode()
        if told and told != f"sha-256=:{digest}:":
            self._problem(400, "What arrived is not what was sent.")
            return
        reasons = self.server.shop.judged(code, path, data)
        if reasons:
            self._problem(422, "We cannot use this picture.", reasons=reasons)
        else:
            self._answer(201, b'{"accepted": true}', "application/json")

    def _problem(self, status: int, detail: str, *, close: bool = False, reasons: Any = None, **headers: str) -> None:
        body: dict[str, Any] = {"status": status, "title": detail, "detail": detail}
        if reasons is not None:
            body["reasons"] = reasons
        self.close_connection = self.close_connection or close
        self._answer(status, json.dumps(body).encode(), "application/problem+json", **headers)

    def _answer(self, status: int, body: bytes, kind: str, **headers: str) -> None:
        self.send_response(status)
        for name, value in headers.items():
            self.send_header(name.replace("_", "-"), value)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        if self.close_connection:
            self.send_header("Connection", "close")
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        """Says nothing."""


class ShopServer(ThreadingHTTPServer):
    """The shop on a port of this machine; 0 for any that is free."""

    daemon_threads = True

    def __init__(self, shop: Shop, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), _Counter)
        self.shop = shop

    @property
    def address(self) -> str:
        """Where it is."""
        return f"http://127.0.0.1:{self.server_address[1]}"

    def handle_error(self, request: object, client_address: object) -> None:
        """Whoever hangs up is not worth a word."""
