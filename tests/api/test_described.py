"""What the API says of itself is true: its examples, what schemathesis makes of it, and the examples of docs/api.md."""

import json
import os
import re
import shutil
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from programs import Program, token_for
from support import CATALOG, HERE, Server, halved, zero_easel

from zero_easel.api import PREFIX
from zero_easel.api.app import create_api
from zero_easel.settings import Settings
from zero_easel.workbench import build_workbench

EXAMPLES = re.findall(r"```(sh|python)\n(.*?)```", (HERE.parent / "docs/api.md").read_text(), re.DOTALL)


@pytest.fixture
def server(folder: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Server]:
    """The application over the small library, in a process of its own."""
    monkeypatch.setenv("ZERO_EASEL_RATE", "1000000")
    monkeypatch.setenv("ZERO_EASEL_HOOKS", "shop.example 127.0.0.1")
    server = Server(folder)
    monkeypatch.setenv("ZERO_EASEL", server.address)
    monkeypatch.setenv("ZERO_EASEL_TOKEN", token_for(folder))
    yield server
    server.stop()


def test_every_answer_and_value_is_described(tmp_path: Path) -> None:
    described = create_api(build_workbench(Settings(data=tmp_path))).openapi()
    assert described["openapi"].startswith("3.1")
    for path, operations in described["paths"].items():
        for operation in operations.values():
            answers = operation["responses"]
            assert operation["security"] and operation["description"] and operation["tags"], path
            assert {"400", "401", "403", "422", "429", "503"} <= set(answers), path
            assert ("404" in answers) or "{" not in path, path
            for status, answer in answers.items():
                if int(status) >= 400:
                    assert list(answer["content"]) == ["application/problem+json"], (path, status)
            if "428" in answers and "/products/" not in path:
                named = [one for one in operation["parameters"] if one["name"] == "if-match"]
                assert named and named[0]["required"], path


def test_the_description_is_open_and_names_examples(program: Program) -> None:
    described = program.client.get(f"{PREFIX}/openapi.json").json()
    schemas = described["components"]["schemas"]
    sent = ["NewShoot", "MatchSaid", "MarksSent", "ProductSaid", "TargetSaid", "NewWebhook", "NewStandard"]
    for name in sent:
        assert any("examples" in one for one in schemas[name]["properties"].values()), name
    marks = schemas["MarksSent"]["properties"]["marks"]["examples"][0]
    assert program.change("POST", "/photos/1/marks", {"marks": marks}, "*").status_code == 200


def fuzzed(phases: str, examples: int) -> None:
    """Let schemathesis ask whatever the description allows, and what it does not."""
    command = [
        *(sys.executable, "-m", "schemathesis.cli", "--config-file", str(HERE / "api/schemathesis.toml"), "run"),
        f"{os.environ['ZERO_EASEL']}{PREFIX}/openapi.json",
        *("--header", f"Authorization: Bearer {os.environ['ZERO_EASEL_TOKEN']}", "--phases", phases),
        *("--max-examples", str(examples), "--generation-deterministic", "--warnings", "off", "--no-color"),
    ]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-12_000:] + done.stderr[-2_000:]


@pytest.mark.usefixtures("server")
def test_schemathesis_finds_nothing_undocumented() -> None:
    fuzzed("examples,fuzzing", 3)


@pytest.mark.slow
@pytest.mark.usefixtures("server")
def test_schemathesis_finds_nothing_undocumented_at_length() -> None:
    fuzzed("examples,coverage,fuzzing,stateful", 30)


def run_example(number: int, place: Path, **environment: str) -> str:
    """Run an example of docs/api.md as it stands there, with other names at most; returns what it prints."""
    language, text = EXAMPLES[number]
    script = place / f"example.{language}"
    script.write_text(text)
    command = ["sh", str(script)] if language == "sh" else [sys.executable, str(script)]
    done = subprocess.run(
        command, cwd=place, env={**os.environ, **environment}, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def test_a_nights_work_with_curl(server: Server, tmp_path: Path) -> None:
    assert [language for language, _ in EXAMPLES] == ["sh", "python", "python"]
    photos = tmp_path / "camera"
    photos.mkdir()
    shutil.copy(CATALOG, photos)
    (photos / "BY-2104-BL top.JPG").write_bytes(halved("BRYD0105.JPG"))
    for _ in range(2):
        # The second time nothing is made twice.
        run_example(0, tmp_path, PHOTOS=str(photos))
    archive = next(tmp_path.glob("pictures-*.zip"))
    with zipfile.ZipFile(archive) as pictures:
        assert "BY-2104-BL_top.jpg" in pictures.namelist()
    listed = json.loads(installed("shoots", "list", server=server).splitlines()[0])
    assert listed["name"].startswith("Night of ") and listed["counts"]["photos"] == 1 and listed["id"] == 2


def test_what_needs_a_person_with_httpx(server: Server, tmp_path: Path) -> None:
    photos = tmp_path / "more"
    photos.mkdir()
    for name, source in (("IMG_7001.JPG", "BRYD0105.JPG"), ("IMG_7002.JPG", "BRYD0111.JPG")):
        (photos / name).write_bytes(halved(source))
    assert "2 photos brought in" in installed("bring-in", photos, "--shoot", "Row", server=server, as_json=False)
    installed("match", "list", "--shoot", "Row", server=server, status=1)
    said = run_example(1, tmp_path)
    assert "IMG_7001.JPG shows BY-2104-BL front." in said and "IMG_7002.JPG needs a person" in said
    left = installed("match", "list", "--shoot", "Row", server=server, status=1)
    assert [json.loads(line)["name"] for line in left.splitlines()] == ["IMG_7002.JPG"]


@pytest.mark.usefixtures("server")
def test_being_told_with_httpx(tmp_path: Path) -> None:
    assert "Run 2 over Row is done: 2 pictures." in run_example(2, tmp_path)


def installed(*arguments: Any, server: Server, status: int = 0, as_json: bool = True) -> str:
    """What the command prints that asks that server."""
    done = zero_easel(*arguments, "--server", server.address, *(["--json"] if as_json else []))
    assert done.returncode == status, done.stdout + done.stderr
    return done.stdout
