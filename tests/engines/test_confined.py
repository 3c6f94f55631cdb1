"""What decodes strangers' files can do nothing else, and falls over alone."""

import os
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from support import PHOTOS

from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.engines.confining import Confinement
from zero_easel.engines.decoders import Decoders
from zero_easel.engines.workers import Workers


def tried(what: Callable[..., object], *arguments: object) -> int:
    """0 if it can be done, else why not, as the system numbers it."""
    try:
        what(*arguments)
    except OSError as error:
        return error.errno or -1
    return 0


def written(path: str) -> int:
    return tried(Path(path).write_text, "x")


def removed(path: str) -> int:
    return tried(os.remove, path)


def connected() -> int:
    return tried(socket.socket, socket.AF_INET, socket.SOCK_STREAM)


def started() -> int:
    return tried(subprocess.run, ["true"])


def grown() -> int:
    return len(bytearray(3_000_000_000))


def slept() -> None:
    time.sleep(600)


def died() -> None:
    os.kill(os.getpid(), signal.SIGSEGV)


@pytest.fixture
def there(tmp_path: Path) -> Path:
    (tmp_path / "mine").mkdir()
    (tmp_path / "other").mkdir()
    (tmp_path / "other/kept.txt").write_text("kept")
    return tmp_path


def test_a_worker_writes_into_its_folders_alone_and_reaches_no_network(there: Path) -> None:
    if not (Path("/sys/kernel/security").exists() or os.uname().release >= "5.13"):
        pytest.skip("this kernel has no Landlock")
    workers = Workers(1, confinement=Confinement((str(there / "mine"),)))
    asked = [
        (written, (str(there / "mine/a.txt"),)),
        (written, (str(there / "other/a.txt"),)),
        (written, (str(there / "other/kept.txt"),)),
        (removed, (str(there / "other/kept.txt"),)),
        (connected, ()),
        (started, ()),
    ]
    tickets = [workers.submit(function, *arguments) for function, arguments in asked]
    found: dict[int, object] = {}
    while len(found) < len(tickets):
        found |= dict(workers.results(1))
    workers.close()
    mine, *others = [found[ticket] for ticket in tickets]
    assert mine == 0 and (there / "mine/a.txt").exists()
    assert all(isinstance(one, int) and one in (1, 13) for one in others), others
    assert (there / "other/kept.txt").read_text() == "kept" and not (there / "other/a.txt").exists()


def test_a_worker_whose_storage_is_elsewhere_reaches_it(there: Path) -> None:
    workers = Workers(1, confinement=Confinement((str(there / "mine"),), network=True))
    workers.submit(connected)
    assert [value for _, value in workers.results(240)] == [0]
    workers.close()


def test_a_decoder_decodes_and_does_nothing_else(there: Path) -> None:
    decoders = Decoders(1)
    photo = decoders.do("a photo", read_photo, PHOTOS / "BRYD0105.JPG")
    assert np.array_equal(photo.pixels, read_photo(PHOTOS / "BRYD0105.JPG").pixels)
    assert decoders.do("x", connected) != 0 and decoders.do("x", started) != 0
    assert decoders.do("x", written, str(there / "a.txt")) == (
        0 if str(there).startswith(tempfile.gettempdir()) else 13
    )
    assert decoders.do("x", written, str(Path.home() / "made-up.txt")) != 0
    assert not (Path.home() / "made-up.txt").exists()
    decoders.close()


@pytest.mark.parametrize(("what", "said"), [(grown, "memory"), (slept, "more than 2 seconds"), (died, "falls over")])
def test_what_ends_a_decoder_takes_nothing_else_with_it(what: Callable[[], object], said: str) -> None:
    decoders = Decoders(1, seconds=2 if what is slept else 60, megabytes=1_500)
    with pytest.raises(PhotoError, match=said):
        decoders.do("bad.jpg", what)
    patient = Decoders(1)
    assert patient.do("x", os.getpid) != os.getpid()
    if what is not slept:
        assert decoders.do("x", os.getpid) != os.getpid()
    decoders.close()
    patient.close()
