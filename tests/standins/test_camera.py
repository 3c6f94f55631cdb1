"""The camera's stand-in."""

import threading
from datetime import datetime
from pathlib import Path

from PIL import ExifTags, Image

from zero_easel.core.catalog.bursts import Take, folded
from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.photos.reading import read
from zero_easel.standins.camera import Shutter, StandInCamera


def test_it_shoots_the_demo_with_bursts_and_damage_and_its_numbers_roll_over(tmp_path: Path) -> None:
    shots = [StandInCamera(tmp_path).shoot() for _ in range(26)]
    names = [name for shot in shots for name in shot]
    assert len(set(names)) == len(names) and names[0] == "BRYD9985.JPG" and "BRYD0001.JPG" in names
    assert "BRYD0000.JPG" not in names
    assert [len(shot) for shot in shots].count(3) == 5
    damaged = []
    for name in names:
        try:
            decode_photo((tmp_path / name).read_bytes(), name)
        except PhotoError:
            damaged.append(name)
    assert damaged == [shots[12][0], shots[25][0]]


def test_a_burst_is_one_and_its_sharp_frame_counts(tmp_path: Path) -> None:
    camera = StandInCamera(tmp_path)
    for _ in range(4):
        camera.shoot()
    names = camera.shoot()
    takes = []
    for name in names:
        photo = decode_photo((tmp_path / name).read_bytes(), name)
        seen = read(photo.pixels)
        takes.append(Take(name, photo.facts.taken, "", "", seen.look, seen.blur, seen.paper, seen.clipped))
    assert len(names) == 3 and len(folded(takes)) == 2
    sharpest = min(takes, key=lambda one: one.blur or 99)
    assert {takes[one.best].name for one in folded(takes).values()} == {sharpest.name}


def test_files_say_when_they_were_taken(tmp_path: Path) -> None:
    name = StandInCamera(tmp_path).shoot()[0]
    with Image.open(tmp_path / name) as photo:
        taken = photo.getexif().get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.DateTimeOriginal]
    told = decode_photo((tmp_path / name).read_bytes(), name).facts.taken
    assert told is not None and f"{told:%Y:%m:%d %H:%M:%S}" == taken
    assert abs((datetime.now() - told).total_seconds()) < 3600


def test_a_shutter_that_is_held_goes_on_until_it_is_let_go_of(tmp_path: Path) -> None:
    enough = threading.Event()

    class Counted(StandInCamera):
        """Says when it has shot three times."""

        def shoot(self) -> list[str]:
            names = super().shoot()
            if len(list(self.folder.glob("*.JPG"))) >= 3:
                enough.set()
            return names

    shutter = Shutter(Counted(tmp_path), 0.01)
    assert enough.wait(120) and shutter.pressed
    shutter.release()
    assert not shutter.pressed
