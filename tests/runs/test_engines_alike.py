"""Whatever works on it, a run gives the same files: processes here, Dask workers here, and elsewhere over S3."""

from pathlib import Path

import pytest
from clusters import new_scheduler, new_storage, new_worker
from sqlalchemy import select
from support import until

from zero_easel.demo import load_demo
from zero_easel.library.lists.lines import takes_part
from zero_easel.library.store.models import PhotoRow, PictureRow, PictureState, Run, RunState, Shoot
from zero_easel.runs.service import start_run
from zero_easel.settings import Settings
from zero_easel.workbench import Workbench, build_workbench


def finished(bench: Workbench, at_half: object = None) -> dict[str, str]:
    """Digests of all files of both demo shoots, by shoot and name. at_half: is called in the middle."""
    load_demo(bench)
    bench.open()
    try:
        with bench.database.session() as session:
            shelf = session.scalars(select(Shoot).order_by(Shoot.id.desc())).first()
            assert shelf is not None
            shelf_id = shelf.id
        until(lambda: _all_read(bench, shelf_id))
        with bench.database.session() as session:
            start_run(session, bench.vault, session.get_one(Shoot, shelf_id))
        bench.dispatcher.wake()
        if callable(at_half):
            until(lambda: _done(bench) >= 3)
            at_half()
        until(lambda: _states(bench) == {RunState.DONE})
        with bench.database.session() as session:
            rows = session.scalars(select(PictureRow).where(PictureRow.output != "")).all()
            assert {row.state for row in rows} == {PictureState.DONE}
            kept = {row.id: bench.vault.picture(row.run_id, row.output).size() for row in rows}
            assert all(kept[row.id] == row.bytes for row in rows)
            return {f"{row.run_id} {row.output}": row.sha256 for row in rows}
    finally:
        bench.close()


def _all_read(bench: Workbench, shoot_id: int) -> bool:
    with bench.database.session() as session:
        shoot = session.get_one(Shoot, shoot_id)
        photos = session.scalars(select(PhotoRow).where(PhotoRow.shoot_id == shoot_id)).unique().all()
        return not shoot.stale and all(photo.original.read for photo in photos if takes_part(photo))


def _done(bench: Workbench) -> int:
    with bench.database.session() as session:
        made = select(PictureRow.id).where(PictureRow.state == PictureState.DONE, PictureRow.run_id == 2)
        return len(session.scalars(made).all())


def _states(bench: Workbench) -> set[RunState]:
    with bench.database.session() as session:
        return set(session.scalars(select(Run.state)))


@pytest.mark.slow
def test_the_demo_is_the_same_by_all_engines(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    here = finished(build_workbench(Settings(data=tmp_path / "here", jobs=2)))
    assert len(here) > 40
    dask = finished(build_workbench(Settings(data=tmp_path / "dask", jobs=2, engine="dask")))
    assert dask == here
    storage, environment = new_storage()
    for name, value in environment.items():
        monkeypatch.setenv(name, value)
    scheduler = new_scheduler()
    # Each with copies of its own, as on machines of their own.
    workers = [
        new_worker(scheduler.address, {**environment, "XDG_CACHE_HOME": str(tmp_path / f"cache-{n}")}) for n in range(2)
    ]
    try:
        settings = Settings(data=tmp_path / "elsewhere", store="s3://brindle/yard", scheduler=scheduler.address)
        bench = build_workbench(settings)
        assert finished(bench, at_half=workers[0].kill) == here
        # Nothing of it lies on this machine but the library itself.
        assert not (tmp_path / "elsewhere/originals").exists() and not (tmp_path / "elsewhere/runs").exists()
        assert bench.vault.entries("originals") and bench.vault.cutouts()
    finally:
        for machine in (*workers, scheduler, storage):
            machine.end()
