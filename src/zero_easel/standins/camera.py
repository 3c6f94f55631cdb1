"""A camera's stand-in: shoots the demo shop's photos, code cards included, into a folder, as a tethered camera would.

File numbers go on where they were, and from 9999 to 0001 (DCF, JEITA CP-3461). Files grow while they are written. Now
and then one is cut off, as by a loose cable, and now and then a product is shot three times within a second.
"""

import json
import threading
import time
from datetime import datetime, timedelta
from importlib import resources
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import ExifTags, Image, ImageEnhance, ImageFilter

from zero_easel.files import write_atomically

_PHOTOS = resources.files("zero_easel.demo") / "photos"
_FIRST, _LAST, _BEGIN = 1, 9999, 9985
_MEMORY = ".camera.json"
_BURST_EVERY, _DAMAGED_EVERY = 5, 13
"""Of so many photos one is a burst, one is cut off."""
_TURN = timedelta(seconds=3)
"""Whoever presses its shutter sooner has not turned the item yet: its clock says when that would be done."""
_PIECES = 4
_CUT = 0.85
"""Share of a file that gets through where it is cut off."""


class StandInCamera:
    """Shoots into a folder, which is made; what it remembers between two shots stands in a hidden file there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._lock = threading.Lock()

    def shoot(self) -> list[str]:
        """Shoot the next photo of the demo, or a burst of it; returns the names of the files. Raises OSError."""
        with self._lock:
            self.folder.mkdir(parents=True, exist_ok=True)
            number, shots, last = self._memory()
            names = sorted(path.name for path in _PHOTOS.iterdir())
            data = (_PHOTOS / names[shots % len(names)]).read_bytes()
            shots += 1
            burst = shots % _BURST_EVERY == 0
            written = []
            taken = max(datetime.now(), last + _TURN)
            for frame in _frames(data, taken, shots, 3 if burst else 1):
                if shots % _DAMAGED_EVERY == 0:
                    frame = frame[: int(_CUT * len(frame))]
                written.append(f"BRYD{number:04}.JPG")
                _write_slowly(self.folder / written[-1], frame)
                number = _FIRST if number >= _LAST else number + 1
            memory = {"number": number, "shots": shots, "taken": taken.isoformat()}
            write_atomically(self.folder / _MEMORY, json.dumps(memory).encode())
            return written

    def _memory(self) -> tuple[int, int, datetime]:
        try:
            known = json.loads((self.folder / _MEMORY).read_text())
            return int(known["number"]), int(known["shots"]), datetime.fromisoformat(known["taken"])
        except (OSError, ValueError, KeyError, TypeError):
            return _BEGIN, 0, datetime.min


class Shutter:
    """Presses a camera's shutter again and again, until it is let go of or the folder cannot be written."""

    def __init__(self, camera: StandInCamera, seconds: float) -> None:
        self.camera, self.seconds = camera, seconds
        self._released = threading.Event()
        self._thread = threading.Thread(target=self._press, name="shutter", daemon=True)
        self._thread.start()

    @property
    def pressed(self) -> bool:
        """Whether it still shoots."""
        return self._thread.is_alive() and not self._released.is_set()

    def release(self) -> None:
        """Let go; a photo in hand is finished."""
        self._released.set()

    def _press(self) -> None:
        while not self._released.is_set():
            try:
                self.camera.shoot()
            except OSError:
                return
            self._released.wait(self.seconds)


def _frames(data: bytes, taken: datetime, seed: int, count: int) -> list[bytes]:
    """A photo as shot so many times at a moment: by hand each time, so that only one of several is sharp and light
    enough."""
    chance = np.random.default_rng(seed)
    best = int(chance.integers(count))
    frames = []
    with Image.open(BytesIO(data)) as photo:
        photo.load()
        exif = photo.getexif()
        exif[ExifTags.Base.DateTime] = f"{taken:%Y:%m:%d %H:%M:%S}"
        exif.get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.DateTimeOriginal] = f"{taken:%Y:%m:%d %H:%M:%S}"
        for at in range(count):
            frame = photo if at == best else _shaken(photo, chance)
            file = BytesIO()
            frame.save(file, "JPEG", quality=92, exif=exif)
            frames.append(file.getvalue())
    return frames


def _shaken(photo: Image.Image, chance: np.random.Generator) -> Image.Image:
    """Moved by up to a hundredth of the frame, blurred, and lit a third of a stop otherwise."""
    wide = photo.width
    dx, dy = chance.uniform(-0.01, 0.01, 2) * wide
    moved = photo.transform(photo.size, Image.Transform.AFFINE, (1, 0, dx, 0, 1, dy), Image.Resampling.BICUBIC)
    moved.paste(photo, mask=Image.eval(_inside(photo.size, dx, dy), lambda level: 255 - level))
    blurred = moved.filter(ImageFilter.GaussianBlur(chance.uniform(1.2, 2.4) * wide / 2000))
    return ImageEnhance.Brightness(blurred).enhance(float(2 ** chance.uniform(-0.3, 0.1)))


def _inside(size: tuple[int, int], dx: float, dy: float) -> Image.Image:
    """White where a moved photo has px of its own."""
    full = Image.new("L", size, 255)
    return full.transform(size, Image.Transform.AFFINE, (1, 0, dx, 0, 1, dy))


def _write_slowly(path: Path, data: bytes) -> None:
    """As a camera does: under its name from the first byte on, a piece at a time."""
    step = -(-len(data) // _PIECES)
    with path.open("wb") as file:
        for at in range(0, len(data), step):
            file.write(data[at : at + step])
            file.flush()
            time.sleep(0.05)
