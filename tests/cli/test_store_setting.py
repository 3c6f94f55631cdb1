"""An application whose place for files cannot be used says so and does not start."""

from pathlib import Path

import pytest
from support import PHOTOS, installed


@pytest.mark.parametrize(("place", "reason"), [("nonsense://x", "Protocol not known"), ("/proc/none", "No such file")])
def test_a_place_that_cannot_be_used_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, place: str, reason: str
) -> None:
    monkeypatch.setenv("ZERO_EASEL_STORE", place)
    said = installed("serve", "--data", tmp_path, "--port", "0")
    assert said.returncode == 1 and place in said.stderr and reason in said.stderr and "Traceback" not in said.stderr


def test_files_go_where_the_settings_say(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "share").mkdir()
    monkeypatch.setenv("ZERO_EASEL_STORE", str(tmp_path / "share"))
    done = installed("bring-in", PHOTOS / "BRYD0105.JPG", "--shoot", "Shelf", "--data", tmp_path / "data")
    assert done.returncode == 0, done.stderr
    assert list((tmp_path / "share/originals").rglob("*")) and not (tmp_path / "data/originals").exists()
