"""Commands that ask an application: over the library of this machine, or one that is running elsewhere."""

import json
import os
import subprocess
import zipfile
from collections.abc import Iterator
from importlib.metadata import version
from io import BytesIO
from pathlib import Path
from subprocess import CompletedProcess

import httpx
import pytest
from PIL import Image
from programs import token_for
from support import CATALOG, Server, halved, new_library, until, zero_easel, zero_easel_command

from zero_easel.core.standard.checks import Check
from zero_easel.library.changes.standards import add_parts, ensure_standard
from zero_easel.library.store.access import Right
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Run, RunState


def said(done: "CompletedProcess[str]", status: int = 0) -> str:
    assert done.returncode == status, done.stdout + done.stderr
    return done.stdout if not status else done.stdout + done.stderr


def told(done: "CompletedProcess[str]", status: int = 0) -> list[dict[str, object]]:
    assert done.returncode == status, done.stdout + done.stderr
    return [json.loads(line) for line in done.stdout.splitlines()]


@pytest.fixture
def data(tmp_path: Path) -> Path:
    """A data folder with a catalog and one shoot of a mug, on which nobody works."""
    new_library(tmp_path / "data/zero-easel.sqlite").close()
    photo = tmp_path / "BY-2104-BL front.JPG"
    photo.write_bytes(halved("BRYD0105.JPG"))
    came = zero_easel("bring-in", photo, CATALOG, "--shoot", "Row", "--data", tmp_path / "data", "--json")
    assert [(one["kind"], one["taken"]) for one in told(came)] == [("table", True), ("photo", True)]
    return tmp_path / "data"


@pytest.mark.parametrize("group", ["", "shoots", "photos", "match", "runs", "targets", "tokens"])
def test_help_tells_each_command_in_a_whole_sentence(group: str) -> None:
    told = said(zero_easel(*group.split(), "--help"))
    commands = told[told.index("Commands:") :]
    assert "..." not in commands and len(commands.splitlines()) > 2
    assert said(zero_easel("--version")).startswith(f"zero-easel {version('zero-easel')}")


def test_a_night_without_an_application(data: Path, tmp_path: Path) -> None:
    assert "1\tRow\t1 photos, 1 to clear" in said(zero_easel("shoots", "list", "--data", data))
    assert told(zero_easel("match", "list", "--shoot", "Row", "--data", data, "--json")) == []
    cleared = zero_easel("clear", "--shoot", "Row", "--data", data)
    assert cleared.returncode == 0 and "1 photos take part, 0 to look at: none." in cleared.stderr
    there = tmp_path / "there"
    there.mkdir()
    wanted = ("--kind", "folder", "--address", there, "--path", "{code}", "--shoot", "Row", "--data", data)
    refused = zero_easel("targets", "add", "There", *wanted)
    assert "ZERO_EASEL_OUT" in said(refused, 2)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("ZERO_EASEL_OUT", str(tmp_path))
        said(zero_easel("targets", "add", "There", *wanted))
    archive = tmp_path / "all.zip"
    delivered = zero_easel("deliver", "--shoot", "Row", "--to", "There", "--archive", archive, "--data", data, "--json")
    run, way = told(delivered)
    assert (run["state"], run["done"], way["sent"]) == ("done", 1, 1)
    assert [file.name for file in there.iterdir()] == ["BY-2104-BL.jpg"]
    with zipfile.ZipFile(archive) as pictures:
        assert "manifest.csv" in pictures.namelist() and len(pictures.namelist()) == 4
    again = zero_easel("deliver", "--shoot", "Row", "--to", "There", "--data", data)
    assert "1 of them kept from before" in said(again) and "1 pictures are at There, 0 were turned away" in again.stdout
    assert "1 there" in said(zero_easel("targets", "list", "--shoot", "Row", "--data", data))
    said(zero_easel("targets", "send", "There", "--shoot", "Row", "--data", data))
    said(zero_easel("targets", "remove", "There", "--shoot", "Row", "--data", data))
    assert 'no target "There"' in said(zero_easel("targets", "send", "There", "--shoot", "Row", "--data", data), 2)


def test_what_a_photo_shows_is_said_and_taken_back(data: Path) -> None:
    assert "Photo 1 shows BY-2102 side." in said(
        zero_easel("match", "say", "1", "by-2102", "--view", "side", "--data", data)
    )
    assert told(zero_easel("photos", "list", "--shoot", "Row", "--data", data, "--json"))[0]["code"] == "BY-2102"
    unknown = zero_easel("match", "say", "1", "MOON", "--data", data)
    assert "not in the catalog" in unknown.stderr and unknown.returncode == 0
    assert "Photo 1 shows BY-2104-BL" in said(zero_easel("match", "unsay", "1", "--data", data))
    assert "left out" in said(zero_easel("photos", "leave-out", "1", "--data", data))
    assert "left out" in said(zero_easel("photos", "show", "1", "--data", data))
    said(zero_easel("photos", "leave-out", "1", "--in", "--data", data))
    assert told(zero_easel("photos", "accept", "1", "--data", data, "--json"))[0]["accepted"] is True
    assert "no such photo" in said(zero_easel("photos", "show", "7", "--data", data), 2)
    assert 'no shoot "Moon"' in said(zero_easel("photos", "list", "--shoot", "Moon", "--data", data), 2)
    made = told(zero_easel("shoots", "add", "Next", "--data", data, "--json"))[0]
    said(zero_easel("shoots", "remove", str(made["id"]), "--data", data))
    assert len(told(zero_easel("shoots", "list", "--data", data, "--json"))) == 1


def test_a_picture_that_fails_a_check_ends_a_delivery_with_1(data: Path) -> None:
    database = Database(data / "zero-easel.sqlite")
    zero_easel("clear", "--shoot", "Row", "--data", data)
    with database.session() as session:
        add_parts(session, ensure_standard(session), "checks", Check(rule="longest", value="at least 5000"))
    delivered = zero_easel("deliver", "--shoot", "Row", "--data", data)
    assert "longest at least 5000" in said(delivered, 1)
    with database.session() as session:
        assert session.get_one(Run, 1).state == RunState.DONE
    database.close()


def test_tokens_are_given_told_and_revoked(data: Path) -> None:
    made = zero_easel("tokens", "add", "Export", "--scope", "read", "--days", "3", "--data", data)
    token = said(made).strip()
    assert token.startswith("zeo_") and "shown this once" in made.stderr
    listed = told(zero_easel("tokens", "list", "--data", data, "--json"))
    assert listed[0]["scopes"] == ["read"] and listed[0]["used"] is None and token not in json.dumps(listed)
    assert "good until" in said(zero_easel("tokens", "list", "--data", data))
    said(zero_easel("tokens", "revoke", "1", "--data", data))
    assert "no longer good" in said(zero_easel("tokens", "list", "--data", data))
    assert "no token 4" in said(zero_easel("tokens", "revoke", "4", "--data", data), 2)
    assert "1 to 730" in said(zero_easel("tokens", "add", "x", "--scope", "read", "--days", "0", "--data", data), 2)


@pytest.fixture
def server(data: Path) -> Iterator[Server]:
    server = Server(data)
    yield server
    server.stop()


def test_the_same_at_an_application_elsewhere(
    server: Server, data: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ZERO_EASEL_SERVER", server.address)
    monkeypatch.setenv("ZERO_EASEL_TOKEN", token_for(data))
    photo = tmp_path / "BY-2102 front.JPG"
    photo.write_bytes(halved("BRYD0111.JPG"))
    (tmp_path / "damaged.jpg").write_bytes(b"nothing")
    came = zero_easel("bring-in", photo, tmp_path / "damaged.jpg", "--shoot", "Row")
    assert "1 photos brought in, 1 with a problem" in said(came, 1) and "damaged.jpg" in came.stderr
    said(zero_easel("clear", "--shoot", "Row"))
    delivered = told(zero_easel("deliver", "--shoot", "Row", "--archive", tmp_path / "far.zip", "--json"), 1)
    # The damaged file fails in every run; the others are made.
    assert (delivered[0]["done"], delivered[0]["failed"]) == (2, 1) and "damaged.jpg" in str(delivered[1]["original"])
    assert zipfile.is_zipfile(tmp_path / "far.zip")
    assert "done\t2 done" in said(zero_easel("runs", "list"))
    assert "has ended" in said(zero_easel("runs", "pause", "1"), 2)
    assert told(zero_easel("runs", "first", "1", "--json"))[0]["urgent"] is True


def test_exit_statuses_tell_why_nothing_came_of_it(server: Server, data: Path) -> None:
    asked = ("shoots", "list", "--server", server.address, "--token")
    assert "not known" in said(zero_easel(*asked, "zeo_x"), 4)
    reader = token_for(data, [Right.READ])
    add = ("shoots", "add", "x", "--server", server.address, "--token", reader)
    assert "does not allow" in said(zero_easel(*add), 4)
    assert "asks for a token" in said(zero_easel("shoots", "list", "--server", server.address), 2)
    assert "no address" in said(zero_easel("shoots", "list", "--server", "shop.example", "--token", "x"), 2)
    assert "use https" in said(zero_easel("shoots", "list", "--server", "http://shop.example", "--token", "x"), 2)
    server.kill()
    assert "no application answers" in said(zero_easel(*asked, reader), 3)


def test_the_shop_tells_of_each_picture_that_it_gets(tmp_path: Path) -> None:
    command = zero_easel_command("shop", "--port", "0", "--folder", tmp_path / "shop", "--calm", "--json")
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        address = json.loads(process.stdout.readline())["address"]
        white = BytesIO()
        Image.new("RGB", (900, 900), "white").save(white, "JPEG")
        for code, path in (("BY-2102", "BY-2102_front.jpg"), ("BY-0", "odd.jpg")):
            httpx.put(f"{address}/products/{code}/pictures/{path}", content=white.getvalue())
        taken, refused = (json.loads(process.stdout.readline()) for _ in range(2))
    finally:
        process.terminate()
        process.wait()
    assert taken == {"code": "BY-2102", "path": "BY-2102_front.jpg", "accepted": True, "reasons": []}
    assert not refused["accepted"] and refused["reasons"][0] == "We do not sell BY-0."


def test_a_shell_completes_commands() -> None:
    asked = {"_ZERO_EASEL_COMPLETE": "complete_bash", "COMP_WORDS": "zero-easel sho", "COMP_CWORD": "1"}
    command, environment = zero_easel_command(), {**os.environ, **asked}
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    assert done.stdout.split() == ["shop", "shoots"]


def test_an_application_that_runs_does_the_work(server: Server, data: Path) -> None:
    """The command waits for it; the folder is the application's."""
    cleared = zero_easel("clear", "--shoot", "Row", "--data", data, "--json")
    assert told(cleared) == []
    until(lambda: "1 photos, 0 to clear" in said(zero_easel("shoots", "list", "--data", data)))
    assert server.process.poll() is None
