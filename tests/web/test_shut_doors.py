"""What holds for each address of the pages, by the table of routes: hosts, cross-site requests, headers; and whatever a
form or a query holds, none falls over."""

import re
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.dependencies.models import Dependant
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from programs import application
from support import HERE

from zero_easel.web.app import SCREENS

ROWS = re.findall(r"^\| (\w+) \| `(.+?)` \| (\w+) \|", (HERE.parent / "docs/rights.md").read_text(), re.MULTILINE)
ENDLESS = ("/news",)
KNOWN = {"digest": "0" * 64, "key": "0" * 64, "kind": "csv", "direction": "undo", "stage": "match", "part": "checks"}


@pytest.fixture(scope="module")
def client(prepared: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    folder = shutil.copytree(prepared, tmp_path_factory.mktemp("doors") / "data")
    with application(folder) as client:
        yield client


def filled(path: str) -> str:
    return re.sub(r"{(\w+?)(:\w+)?}", lambda found: KNOWN.get(found[1], "1"), path)


def test_no_address_answers_to_a_foreign_name(client: TestClient) -> None:
    for method, path, _ in ROWS:
        answer = client.request(method, filled(path), headers={"Host": "attacker.example"}, follow_redirects=False)
        assert answer.status_code == 400, path


def test_no_other_site_changes_anything(client: TestClient) -> None:
    for method, path, _ in ROWS:
        if method == "GET":
            continue
        for headers in (
            {"Origin": "https://attacker.example"},
            {"Sec-Fetch-Site": "cross-site"},
            {"Sec-Fetch-Site": "same-site"},
            {"Origin": "null"},
        ):
            answer = client.request(method, filled(path), headers=headers, follow_redirects=False)
            assert answer.status_code == 403, (path, headers)


def test_every_answer_carries_the_policy(client: TestClient) -> None:
    for method, path, _ in ROWS:
        if path in ENDLESS or method != "GET":
            continue
        answer = client.get(filled(path), headers={"Accept": "text/html"}, follow_redirects=False)
        assert "default-src 'none'" in answer.headers["content-security-policy"], path
        assert "unsafe" not in answer.headers["content-security-policy"]
        assert answer.headers["x-content-type-options"] == "nosniff" and answer.headers["x-request-id"], path
        assert answer.headers["cross-origin-resource-policy"] == "same-origin" and answer.headers["cache-control"], path
        kind = answer.headers.get("content-type", "")
        # What a user's file might be is shown as a picture of a kind that runs nothing, or saved.
        assert "pdf" not in kind or "attachment" in answer.headers["content-disposition"], path
        assert answer.status_code < 500, (path, answer.text)


def _fields(dependant: Dependant) -> Iterator[str]:
    for field in (*dependant.query_params, *dependant.body_params):
        yield field.alias
    for part in dependant.dependencies:
        yield from _fields(part)


ROUTES: list[tuple[str, str, list[str]]] = [
    (method, route.path, sorted(set(_fields(route.dependant))))
    for screen in SCREENS
    for route in screen.router.routes
    if isinstance(route, APIRoute) and route.path not in ENDLESS
    for method in sorted(route.methods)
]
ODD = st.one_of(
    st.text(st.characters(exclude_categories=["Cs"]), max_size=60),
    st.sampled_from(
        ["", "0", "-1", "1", "2", "99999999999999999999", "1e400", "nan", "inf", "1.5", "true", "{code}", "{", "}{",
         "%", "((((", "(a+)+$", "\x00", "\N{AMPHORA}" * 20, "../../etc/passwd", "<script>", "' OR 1=1 --", "=1+1", "[]",
         "{}", "#fff", "10%", "5mm", "canvas.width", "item.share", "deliverables", "names.name", "x" * 5000]
    ),
)  # fmt: skip


@st.composite
def requests(draw: st.DrawFn) -> tuple[str, str, dict[str, Any], Any]:
    method, path, fields = draw(st.sampled_from(ROUTES))
    numbers = st.sampled_from(["1", "2", "0", "-1", "99999999999999999999", "abc"])
    words = st.sampled_from(["undo", "redo", "checks", "overlays", "csv", "match", "x", "rule", "0" * 64])
    filled_in = re.sub(r"{(\w+?)(:\w+)?}", lambda found: draw(numbers if found[1].endswith("_id") else words), path)
    names = st.sampled_from([*fields, "field", "value", "unknown"])
    values = draw(st.dictionaries(names, ODD, max_size=6))
    body = draw(st.sampled_from(["form", "json", "text"]))
    return method, filled_in, values, body


@pytest.mark.parametrize("examples", [300, pytest.param(3000, marks=pytest.mark.slow)])
def test_no_form_or_query_makes_an_address_fall_over(client: TestClient, examples: int) -> None:
    @settings(max_examples=examples, suppress_health_check=[HealthCheck.too_slow])
    @given(requests())
    def each(asked: tuple[str, str, Any, str]) -> None:
        assert_answered(client, asked)

    each()


def assert_answered(client: TestClient, asked: tuple[str, str, Any, str]) -> None:
    method, path, values, body = asked
    if method == "GET":
        answer = client.get(path, params=values, follow_redirects=False)
    elif body == "json":
        answer = client.post(path, json=values, follow_redirects=False)
    elif body == "text":
        answer = client.post(path, content="&".join(values.values()).encode("utf-8", "replace"), follow_redirects=False)
    else:
        answer = client.post(path, data=values, follow_redirects=False)
    assert answer.status_code < 500 or answer.status_code == 503, (asked, answer.text[:500])
    assert "Traceback" not in answer.text
