"""Lists, what is created once, runs and what comes of them, and targets."""

import io
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from programs import Program, application, problem, told
from support import until


def test_a_list_is_told_whole_while_others_are_added(program: Program) -> None:
    numbers = [program.post("/shoots", {"name": f"Shoot {at}"})["id"] for at in range(7)]
    first = program.get("/shoots", limit=3)
    program.post("/shoots", {"name": "Between"})
    seen = [one["id"] for one in first["items"]]
    while first["next"]:
        first = program.get("/shoots", limit=3, cursor=first["next"])
        seen += [one["id"] for one in first["items"]]
    assert seen == [*numbers[::-1], 1]
    assert [one["name"] for one in program.get("/shoots", name="Shoot 4")["items"]] == ["Shoot 4"]
    assert [one["id"] for one in program.all("/shoots/1/photos", limit=1)] == [1, 2]
    for query in ({"limit": 0}, {"limit": 501}, {"cursor": "moon"}, {"cursor": "-1"}):
        assert "cannot be" in problem(program.ask("GET", "/shoots", params=query), 422)


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(limit=st.integers(1, 9))
def test_products_are_told_once_however_long_the_parts_are(limit: int, program: Program) -> None:
    whole = program.all("/products")
    assert program.all("/products", limit=limit) == whole and len({one["code"] for one in whole}) == len(whole)


def test_the_same_request_creates_once(program: Program, folder: Path) -> None:
    def create(_: int) -> object:
        return program.post("/shoots", {"name": "Once"}, **{"Idempotency-Key": "a-key"})

    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(create, range(8)))
    assert all(answer == answers[0] for answer in answers)
    assert len(program.all("/shoots", name="Once")) == 1
    again = program.ask("POST", "/shoots", json={"name": "Once"}, headers={"Idempotency-Key": "a-key"})
    number = answers[0]["id"]  # type: ignore[index]
    assert again.headers["Location"] == f"/api/v1/shoots/{number}" and again.headers["ETag"] == program.seen(
        f"/shoots/{number}"
    )
    other = program.ask("POST", "/shoots", json={"name": "Other"}, headers={"Idempotency-Key": "a-key"})
    assert "another request" in problem(other, 422)
    # Of another program it is another key; and what failed may be tried again.
    elsewhere = Program(program.client, folder)
    assert elsewhere.post("/shoots", {"name": "Other"}, **{"Idempotency-Key": "a-key"})["name"] == "Other"


def test_a_run_is_started_once_and_told(program: Program) -> None:
    forecast = program.get("/shoots/1/forecast")
    assert forecast == {"total": 2, "there": 2, "reasons": []}
    run = program.post("/shoots/1/runs", **{"Idempotency-Key": "night"})
    assert program.post("/shoots/1/runs", **{"Idempotency-Key": "night"})["id"] == run["id"] == 2
    until(lambda: program.get("/runs/2")["state"] == "done")
    assert program.get("/runs/2")["reused"] == 2
    assert "has ended" in problem(program.ask("POST", "/runs/2/wishes", json={"wish": "pause"}), 409)
    assert program.post("/runs/2/wishes", {"wish": "go-first"})["urgent"]
    assert [one["id"] for one in program.all("/runs", shoot=1)] == [2, 1] and program.all("/runs", shoot=9) == []
    empty = program.post("/shoots", {"name": "Empty"})
    assert "No photo" in problem(program.ask("POST", f"/shoots/{empty['id']}/runs"), 409)


def test_pictures_and_archives_are_those_of_the_pages(program: Program) -> None:
    pictures = program.all("/runs/1/pictures", state="done")
    assert len(pictures) == 2 and program.all("/runs/1/pictures", state="failed") == []
    answer = program.ask("GET", f"/pictures/{pictures[0]['id']}/file")
    assert answer.headers["content-type"] == "image/jpeg" and len(answer.content) == pictures[0]["bytes"]
    assert answer.content == program.client.get(f"/media/picture/{pictures[0]['id']}").content
    assert program.get(f"/pictures/{pictures[0]['id']}") == pictures[0]
    with zipfile.ZipFile(io.BytesIO(program.ask("GET", "/runs/1/archive").content)) as archive:
        assert {one["output"] for one in pictures} < set(archive.namelist())
    assert {one["output"] for one in program.get("/runs/1/manifest")["pictures"]} == {o["output"] for o in pictures}
    original = program.ask("GET", "/photos/1/original")
    assert original.headers["content-type"] == "application/octet-stream" and original.content.startswith(b"\xff\xd8")
    assert program.ask("GET", "/photos/1/cutout").headers["content-type"] == "image/webp"
    assert "no such picture" in problem(program.ask("GET", "/pictures/99/file"), 404)


def test_files_that_come_in_are_told_one_by_one(program: Program) -> None:
    archive = io.BytesIO()
    with zipfile.ZipFile(archive, "w") as file:
        file.writestr("a.jpg", b"no picture")
    taken = program.files(1, [("cards.zip", archive.getvalue()), ("x.jpg", b"neither"), ("t.csv", b"code;x\n")])
    assert [(one["kind"], one["taken"]) for one in taken] == [
        ("archive", True), ("photo", False), ("photo", False), ("table", False)
    ]  # fmt: skip
    assert all(one["said"] for one in taken if not one["taken"])
    assert [one["name"] for one in program.all("/shoots/1/photos", only="broken")] == ["a.jpg", "x.jpg"]
    assert "no such shoot" in problem(program.ask("POST", "/shoots/9/files", files=[("files", ("a.jpg", b""))]), 404)


def test_too_large_a_request_is_refused(folder: Path) -> None:
    with application(folder, upload_mb=1) as client:
        program = Program(client, folder)
        answer = program.ask("POST", "/shoots/1/files", files=[("files", ("a.jpg", bytes(2_000_000)))])
        assert "up to 1 MB" in problem(answer, 413)


def test_pictures_are_handed_over(program: Program, folder: Path) -> None:
    there = folder.parent / "there"
    there.mkdir()
    wanted = {"name": "There", "kind": "folder", "address": str(there), "path": "{code}"}
    target = program.post("/shoots/1/targets", wanted)
    path = f"/shoots/1/targets/{target['id']}"
    assert program.post(f"{path}/sendings", {})["pictures"] == 2
    until(lambda: program.get(path)["sent"] == 2)
    assert {file.name for file in there.iterdir()} == {"BY-2104-BL.jpg", "BY-2102.jpg"}
    assert {one["state"] for one in program.all(f"{path}/sendings")} == {"sent"}
    assert program.post(f"{path}/sendings", {"run": 1})["pictures"] == 0
    assert "no such run" in problem(program.ask("POST", f"{path}/sendings", json={"run": 8}), 409)
    secret = {**wanted, "kind": "sftp", "address": "sftp://shop.example/p", "user": "me", "secret": "sesame"}
    changed = program.change("PUT", path, secret)
    assert told(changed)["kind"] == "sftp" and "sesame" not in changed.text and program.get(path)["sent"] == 0
    for address in ("/etc", "relative", "ftp://x"):
        refused = program.ask("POST", "/shoots/1/targets", json={**wanted, "address": address})
        assert problem(refused, 409), address
    assert program.change("DELETE", path).status_code == 204 and program.all("/shoots/1/targets") == []
