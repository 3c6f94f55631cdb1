"""Folders that are watched from the command line, and the camera's stand-in."""

import json
import shutil
import signal
import subprocess
from pathlib import Path

from support import PHOTOS, Server, until, zero_easel, zero_easel_command


def test_a_folder_is_watched_without_an_application(tmp_path: Path) -> None:
    folder = tmp_path / "shots"
    folder.mkdir()
    shutil.copy(PHOTOS / "BRYD0105.JPG", folder / "BY-2104_front.jpg")
    (folder / "bad.jpg").write_bytes(b"nothing")
    command = zero_easel_command("watch", folder, "--shoot", "Shelf", "--move", "--json", "--data", tmp_path / "data")
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    told = {fact["file"]: fact for fact in (json.loads(process.stdout.readline()) for _ in range(2))}
    assert told["BY-2104_front.jpg"]["taken"] and len(told["BY-2104_front.jpg"]["sha256"]) == 64
    assert not told["bad.jpg"]["taken"] and "bad.jpg" in told["bad.jpg"]["said"]
    until(lambda: (folder / "done/BY-2104_front.jpg").exists() and (folder / "refused/bad.jpg.txt").exists())
    process.send_signal(signal.SIGINT)
    assert process.wait(60) == 130


def test_an_application_that_is_running_is_told(tmp_path: Path) -> None:
    server = Server(tmp_path / "data")
    try:
        folder = tmp_path / "shots"
        done = zero_easel("camera", folder, "--count", "1", "--every", "1s")
        assert done.returncode == 0 and done.stdout == "BRYD9985.JPG\n"
        asked = zero_easel("watch", folder, "--shoot", "Shelf", "--move", "--data", tmp_path / "data")
        assert asked.returncode == 0 and "watches" in asked.stdout
        until(lambda: (folder / "done/BRYD9985.JPG").exists())
    finally:
        server.stop()


def test_what_cannot_be_watched_is_wrong_usage(tmp_path: Path) -> None:
    nowhere = zero_easel("watch", tmp_path / "nowhere", "--shoot", "Shelf", "--data", tmp_path / "data")
    assert nowhere.returncode == 2 and "no folder" in nowhere.stderr
    assert zero_easel("camera", tmp_path, "--every", "soon").returncode == 2
    (tmp_path / "file").touch()
    assert zero_easel("camera", tmp_path / "file", "--count", "1").returncode == 2
