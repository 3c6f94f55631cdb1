"""A camera at one end and a shop at the other: nobody does anything, and the application is killed twice on the way."""

import shutil
import subprocess
from collections import Counter
from pathlib import Path

import httpx
import pytest
from handing import open_shop
from playwright.sync_api import Browser, expect
from sqlalchemy import select
from support import CATALOG, Server, until, zero_easel, zero_easel_command

from zero_easel.library.store.database import Database
from zero_easel.library.store.doors import Sending, SendingState
from zero_easel.library.store.models import PhotoRow, Run, RunState
from zero_easel.standins.shop import Shop

pytestmark = pytest.mark.browser
SHOTS = 14
"""The fifth and the tenth are bursts, the thirteenth is cut off."""


@pytest.mark.slow
def test_from_the_camera_to_the_shop_by_itself(tmp_path: Path, browser: Browser) -> None:
    data, folder = tmp_path / "data", tmp_path / "card"
    folder.mkdir()
    shutil.copy(CATALOG, folder)
    # It sells neither the pot nor the bowl; and now and then it is slow, down, or hangs up.
    codes = frozenset({"BY-2104", "BY-2104-BL", "BY-2102", "BY-2103"})
    database = Database(data / "zero-easel.sqlite")
    server = Server(data)
    try:
        with open_shop(Shop(tmp_path / "shop", seed=1, codes=codes)) as shop:
            watched = zero_easel("watch", folder, "--shoot", "Night", "--move", "--finish", "--data", data)
            assert watched.returncode == 0, watched.stderr
            place = {"name": "Shop", "kind": "shop", "address": shop.address, "by_itself": "true", "path": "{name}"}
            assert httpx.post(f"{server.address}/shoots/1/hand-over", data=place).status_code == 303
            camera = subprocess.Popen(zero_easel_command("camera", folder, "--every", "2s", "--count", str(SHOTS)))
            for wanted in (3, 9):
                until(lambda wanted=wanted: shot(database) >= wanted)  # type: ignore[misc]
                server.kill()
                server = Server(data)
            assert camera.wait(240) == 0

            page = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address).new_page()
            page.goto("/shoots/1/live")
            expect(page.locator(".live-missing")).to_contain_text("the file is damaged or was not copied completely")
            page.goto("/shoots/1/match")
            expect(page.locator("#matches")).to_contain_text("of bursts stand behind the best of theirs")
            until(lambda: through(database))
            page.goto("/shoots/1/hand-over?target=1")
            expect(page.locator("#sendings")).to_contain_text("We do not sell BY-2101.")
            page.close()

            with database.session() as session:
                sent = session.scalars(select(Sending)).unique().all()
                assert Counter(row.state for row in sent).keys() == {SendingState.ACCEPTED, SendingState.REJECTED}
                assert {row.path: row.sha256 for row in sent if row.state == SendingState.ACCEPTED} == shop.shop.taken
                photos = session.scalars(select(PhotoRow)).unique().all()
                assert len({(photo.name, photo.digest) for photo in photos}) == len(photos) == SHOTS + 4
                assert sum(photo.behind is not None for photo in photos) == 2
            assert (folder / "refused").is_dir() and not list(folder.glob("*.JPG"))
    finally:
        server.stop()
        database.close()


def shot(database: Database) -> int:
    with database.session() as session:
        return len(session.scalars(select(PhotoRow.id)).all())


def through(database: Database) -> bool:
    """Whether all that came is cleared, run and handed over."""
    with database.session() as session:
        last = session.scalar(select(Run).where(~Run.trial).order_by(Run.id.desc()).limit(1))
        newest = max(session.scalars(select(PhotoRow.added)).all())
        waiting = session.scalar(select(Sending.id).where(Sending.state == SendingState.WAITING).limit(1))
        return (
            last is not None
            and last.state == RunState.DONE
            and last.created > newest
            and last.handed
            and waiting is None
        )
