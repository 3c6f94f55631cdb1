"""Which files of a folder may be taken."""

from pathlib import Path

from support import PHOTOS

from zero_easel.doors.settling import Settling, files_in

WHOLE = (PHOTOS / "BRYD0105.JPG").read_bytes()


def test_a_file_is_taken_once_it_has_rested_and_not_while_it_grows(tmp_path: Path) -> None:
    settling, file = Settling(), tmp_path / "A.JPG"
    file.write_bytes(WHOLE[:1000])
    assert settling.ripe(tmp_path, files_in(tmp_path), 0.0) == []
    file.write_bytes(WHOLE)
    assert settling.ripe(tmp_path, files_in(tmp_path), 5.0) == []
    assert settling.ripe(tmp_path, files_in(tmp_path), 5.1) == []
    # It ends as a JPEG does; what only may be whole is given longer.
    assert settling.ripe(tmp_path, files_in(tmp_path), 5.4) == ["A.JPG"]
    (tmp_path / "B.JPG").write_bytes(WHOLE + b"what a camera adds")
    settling.ripe(tmp_path, files_in(tmp_path), 10.0)
    assert settling.ripe(tmp_path, files_in(tmp_path), 11.0) == ["A.JPG"]
    assert set(settling.ripe(tmp_path, files_in(tmp_path), 12.0)) == {"A.JPG", "B.JPG"}


def test_a_file_that_ends_in_mid_picture_is_given_longer(tmp_path: Path) -> None:
    settling = Settling()
    (tmp_path / "A.JPG").write_bytes(WHOLE[:-5000])
    (tmp_path / "empty.png").touch()
    (tmp_path / "list.csv").write_text("code,name\n")
    found = files_in(tmp_path)
    settling.ripe(tmp_path, found, 0.0)
    assert settling.ripe(tmp_path, found, 3.0) == ["list.csv"]
    assert set(settling.ripe(tmp_path, found, 16.0)) == {"A.JPG", "empty.png", "list.csv"}


def test_only_what_may_come_in_is_seen(tmp_path: Path) -> None:
    elsewhere = tmp_path / "elsewhere.JPG"
    elsewhere.write_bytes(WHOLE)
    root = tmp_path / "in"
    for name in ("A.JPG", "B.part", ".hidden.JPG", "inner/C.PNG", "inner/done/D.JPG", "done/E.JPG", "refused/F.JPG"):
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(b"x")
    (root / "link.JPG").symlink_to(elsewhere)
    (root / "loop").symlink_to(root)
    assert set(files_in(root)) == {"A.JPG", "inner/C.PNG", "inner/done/D.JPG"}
