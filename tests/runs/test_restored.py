"""A backup in the middle of a run, brought back elsewhere, where the run goes on."""

from pathlib import Path

import httpx
from sqlalchemy import func, select
from support import PHOTOS, Server, until, zero_easel

from zero_easel.library.store.database import Database
from zero_easel.library.store.models import PictureRow, PictureState, Run, RunState

NAMES = ("0102", "0103", "0105", "0106", "0108", "0109")


def counts(data: Path) -> tuple[int, int]:
    """Pictures that are done, and all."""
    database = Database(data / "zero-easel.sqlite")
    try:
        with database.session() as session:
            total = session.scalar(select(func.count(PictureRow.id))) or 0
            done = session.scalar(select(func.count(PictureRow.id)).where(PictureRow.state == PictureState.DONE)) or 0
            return done, total
    finally:
        database.close()


def test_a_run_goes_on_where_its_backup_was_brought_back(tmp_path: Path) -> None:
    data, back, kept = tmp_path / "data", tmp_path / "back", tmp_path / "kept"
    server = Server(data)
    try:
        with httpx.Client(base_url=server.address, timeout=240, follow_redirects=True) as client:
            client.post("/shoots", data={"name": "Shelf"})
            files = [("files", (f"BY-{name}_front.JPG", (PHOTOS / f"BRYD{name}.JPG").read_bytes())) for name in NAMES]
            client.post("/shoots/1/files", files=files)
            client.post("/shoots/1/runs")
        until(lambda: counts(data)[0] >= 2)
        taken = zero_easel("backup", kept, "--data", data)
        assert taken.returncode == 0, taken.stderr
    finally:
        server.stop()
    restored = zero_easel("restore", kept, "--data", back)
    assert restored.returncode == 0, restored.stderr
    done, total = counts(back)
    assert done >= 2 and total == len(NAMES)
    assert zero_easel("verify", "--data", back).returncode == 0

    second = Server(back)
    try:
        if done < total:
            until(lambda: "interrupted" in zero_easel("runs", "list", "--data", back).stdout)
            assert zero_easel("runs", "go-on", "1", "--data", back).returncode == 0
        until(lambda: counts(back)[0] == total)
    finally:
        second.stop()
    database = Database(back / "zero-easel.sqlite")
    with database.session() as session:
        assert session.get_one(Run, 1).state == RunState.DONE
    database.close()
    assert zero_easel("verify", "--data", back).returncode == 0
