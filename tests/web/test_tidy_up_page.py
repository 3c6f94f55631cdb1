"""What is kept, what may go, and that nothing goes that cannot be made again unless a person says so."""

import os
import time
from datetime import timedelta
from pathlib import Path

from fastapi.testclient import TestClient
from sqlalchemy import select, update

from zero_easel.library.store.models import CutoutRow, PictureRow, Run, now
from zero_easel.runs.tidying import follow_rule, holdings, keep_for
from zero_easel.workbench import Workbench

OLD = time.time() - 40 * 86_400


def bench_of(client: TestClient) -> Workbench:
    bench: Workbench = client.app.state.bench  # type: ignore[attr-defined]
    return bench


def run(client: TestClient, number: int) -> None:
    assert client.post("/shoots/1/runs", follow_redirects=False).status_code == 303
    while client.get(f"/runs/{number}/told").status_code == 204:
        time.sleep(0.05)


def aged(folder: Path) -> None:
    for path in folder.rglob("*"):
        if path.is_file():
            os.utime(path, (OLD, OLD))


def test_what_is_in_use_stays_and_what_is_not_goes(cleared: TestClient) -> None:
    bench = bench_of(cleared)
    root = bench.vault.local
    with bench.database.session() as session:
        key = session.scalars(select(CutoutRow.key)).first()
        facts = session.get_one(CutoutRow, key)
        session.add(
            CutoutRow(key="f" * 64, confidence=1, flags=facts.flags, left=0, top=0, width=9, height=9, seconds=0)
        )
    bench.vault.cutout("f" * 64).write(bytes(5000))
    page = cleared.get("/tidy-up").text
    # What was just written may belong to something that is not written down yet.
    assert "Originals" in page and page.count("nothing: all of it is in use") == 2
    aged(root / "derived")
    with bench.database.session() as session:
        by_kind = {one.kind: one for one in holdings(session, bench.vault)}
    assert by_kind["Cutouts"].safe == 5000 and by_kind["Originals"].safe == 0
    assert by_kind["Cutouts"].by_age[2] == by_kind["Cutouts"].bytes and sum(by_kind["Cutouts"].by_age[:2]) == 0
    assert "5 kB removed." in cleared.post("/tidy-up/cutouts").text
    assert not bench.vault.cutout("f" * 64).exists() and key is not None and bench.vault.cutout(key).exists()
    previews = list((root / "derived/thumbnails").rglob("*.webp"))
    assert previews and "removed." in cleared.post("/tidy-up/previews").text
    assert not list((root / "derived/thumbnails").rglob("*.webp"))
    assert cleared.get(f"/media/thumbnail/{previews[0].stem}.webp").status_code == 200


def test_originals_go_only_if_a_person_is_sure(cleared: TestClient) -> None:
    bench = bench_of(cleared)
    digest = bench.vault.keep(b"of a shoot that is deleted")
    aged(bench.vault.local / "originals")
    assert "for good" in cleared.get("/tidy-up").text
    assert "has to be ticked" in cleared.post("/tidy-up/originals").text and bench.vault.original(digest).exists()
    assert "26 B removed." in cleared.post("/tidy-up/originals", data={"sure": "yes"}).text
    assert not bench.vault.original(digest).exists() and len(bench.vault.entries("originals")) == 2


def test_runs_go_by_hand_or_by_the_rule_but_never_the_newest(cleared: TestClient) -> None:
    bench = bench_of(cleared)
    for number in (1, 2, 3):
        run(cleared, number)
    # The second and third took over what the first had made.
    page = cleared.get("/tidy-up").text
    assert page.count('name="chosen"') == 3
    assert "1 run removed." in cleared.post("/tidy-up/runs", data={"chosen": ["1", "99"]}).text
    assert not bench.vault.pictures(1) and len(bench.vault.pictures(2)) == 2
    assert cleared.get("/runs/1").status_code == 404 and cleared.get("/runs/2/archive").status_code == 200
    for days, told in (("x", "x is no number of days"), ("-3", "1 to 36,500 days")):
        answer = cleared.post("/tidy-up/rule", data={"days": days})
        assert answer.status_code == 422 and told in answer.text
    with bench.database.session() as session:
        session.execute(update(Run).values(ended=now() - timedelta(days=100)))
    assert "1 run went by the rule." in cleared.post("/tidy-up/rule", data={"days": "90"}).text
    with bench.database.session() as session:
        assert list(session.scalars(select(Run.id))) == [3] and session.scalars(select(PictureRow)).first()
        assert follow_rule(session, bench.vault) == 0
        keep_for(session, 0)
    assert len(bench.vault.pictures(3)) == 2
    assert 'placeholder="ever"' in cleared.get("/tidy-up").text
