"""What happens to a run when the application dies under it."""

import csv
import hashlib
import io
import re
import time
import zipfile
from pathlib import Path

import httpx
import pytest
from PIL import Image
from support import PHOTOS, Server, halved, installed

from zero_easel.files import write_atomically


def wait_for(client: httpx.Client, url: str, pattern: str, seconds: float = 240) -> re.Match[str]:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = re.search(pattern, client.get(url).text)
        if found:
            return found
        time.sleep(0.1)
    pytest.fail(f"{url} never showed {pattern}")


@pytest.mark.slow
def test_a_killed_run_loses_nothing_and_can_be_continued(tmp_path: Path) -> None:
    server = Server(tmp_path)
    with httpx.Client(base_url=server.address, follow_redirects=True, timeout=240) as client:
        shoot = str(client.post("/shoots", data={"name": "Night"}).url).split("/")[4]
        photos = [p for p in sorted(PHOTOS.glob("BRYD01*.JPG")) if int(p.stem[4:]) % 3 != 2][:5]  # no code cards
        files = [("files", (p.name, halved(p.name))) for p in photos]
        client.post(f"/shoots/{shoot}/files", files=files)
        wait_for(client, f"/shoots/{shoot}/match", r"All 5 in shooting order")
        for _ in range(2400):
            if "looking for cards" not in client.get(f"/shoots/{shoot}/match").text:
                break
            time.sleep(0.1)
        client.post(f"/shoots/{shoot}/runs")
        wait_for(client, "/runs/1", r">([1-3]) done<")
    server.kill()
    for picture in (tmp_path / "runs/1").glob("*.jpg"):
        Image.open(picture).load()

    server = Server(tmp_path)
    try:
        with httpx.Client(base_url=server.address, follow_redirects=True, timeout=240) as client:
            page = client.get("/runs/1").text
            assert "is interrupted" in page and "The application ended while this run was under way" in page
            assert not list(tmp_path.rglob(".part-*"))
            kept = {p.name: p.stat().st_mtime_ns for p in (tmp_path / "runs/1").glob("*.jpg")}
            done = int(wait_for(client, "/runs/1", r">(\d+) done<")[1])
            assert 1 <= done <= len(kept) < 5
            client.post("/runs/1/state", data={"wish": "continue"})
            wait_for(client, "/runs/1", r"Run 1 is done")
            archive = zipfile.ZipFile(io.BytesIO(client.get("/runs/1/archive").content))
            rows = list(csv.DictReader(io.StringIO(archive.read("manifest.csv").decode())))
            assert [row["status"] for row in rows] == ["done"] * 5
            for row in rows:
                assert hashlib.sha256(archive.read(row["output"])).hexdigest() == row["sha256"]
            untouched = sum(p.stat().st_mtime_ns == kept.get(p.name) for p in (tmp_path / "runs/1").glob("*.jpg"))
            assert untouched >= done
    finally:
        server.stop()
    assert server.process.returncode == 0


def test_two_applications_do_not_share_a_folder(tmp_path: Path) -> None:
    server = Server(tmp_path)
    try:
        second = installed("serve", "--data", tmp_path)
        assert second.returncode != 0 and "another Zero Easel is using" in second.stderr
    finally:
        server.stop()


def test_a_write_that_fails_leaves_the_old_file(tmp_path: Path) -> None:
    target = tmp_path / "picture.jpg"
    write_atomically(target, b"old")
    with pytest.raises(TypeError):
        write_atomically(target, "not bytes")  # type: ignore[arg-type]
    assert target.read_bytes() == b"old" and list(tmp_path.iterdir()) == [target]
