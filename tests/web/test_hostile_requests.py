"""Requests that no page of ours makes: each route with odd numbers, bodies and headers. None may end in a fault of the
application's own."""

import re
from collections.abc import Iterator
from typing import Any
from urllib.parse import quote

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

ODD = ["0", "-1", "1", "9223372036854775807", "9223372036854775808", "-99999999999999999999999", "1e9", "None", "\x00",
       "..", "../../etc/passwd", "a/b", "\U0001f3fa", "x" * 4000, "{", "%", "'; drop table photo; --",
       "0" * 64, "front.webp"]  # fmt: skip
FORM, PARTS = "application/x-www-form-urlencoded", "multipart/form-data; boundary=x"
BODIES: list[tuple[str, bytes]] = [
    ("", b""),
    ("application/json", b"{}"),
    ("application/json", b"[" * 5000),
    ("application/json", b'{"photos": [9223372036854775808], "right": NaN, "down": 1e400}'),
    ("application/json", b'{"photos": [-5], "marks": [{"kind": "\\ud800"}], "right": 1}'),
    ("application/json", b'{"marks": ' + b'[' * 900 + b']' * 900 + b"}"),
    ("application/json", b'"' + b"\xff" * 50 + b'"'),
    (FORM, b"field=item.share&value=9999999999999999999999999&shoot_id=9223372036854775808"),
    (FORM, b"chosen=9223372036854775808&chosen=x&code=%00&view=%ff%fe&kind=\xff"),
    (FORM, b"field=..&value=" + b"%00" * 50 + b"&name=&wish=&standard=99&part=&label=%00"),
    (FORM, b"field=names.find&value=(((((&find_as=regex&name={{{"),
    (PARTS, b'--x\r\nContent-Disposition: form-data; name="files"; filename="\xff.zip"\r\n\r\n'
     b"PK\x03\x04broken\r\n--x--\r\n"),
    (PARTS, b'--x\r\nContent-Disposition: form-data; name="file"; filename="a.xlsx"\r\n\r\n'
     b"PK\x03\x04broken\r\n--x--\r\n"),
    (PARTS, b"no parts at all"),
    ("multipart/form-data", b"no boundary"),
]  # fmt: skip
HEADERS: list[dict[str, Any]] = [{}, {"hx-request": "true"}, {"accept": "application/x-ndjson"}, 
           {"range": "bytes=9-1,x"}, {"if-modified-since": "yesterday"}, {"cookie": b"a=b; \xff"},
           {"content-length": "-1"}, {"accept-language": b"\xff" * 3}]  # fmt: skip


def routes(client: TestClient) -> Iterator[tuple[str, str]]:
    for path, methods in client.app.openapi()["paths"].items():  # type: ignore[attr-defined]
        if path != "/news":  # which goes on for ever
            yield from ((method.upper(), path) for method in methods)


def addresses(path: str) -> set[str]:
    """The path with its parts filled: all alike, and each odd one where the others exist."""
    parts = re.findall(r"\{(\w+)(?::\w+)?\}", path)
    fills = [dict.fromkeys(parts, odd) for odd in ODD]
    fills += [{**dict.fromkeys(parts, "1"), part: odd} for part in parts for odd in ODD]
    return {filled(path, fill) for fill in fills}


def filled(path: str, fill: dict[str, str]) -> str:
    return re.sub(r"\{(\w+)(?::\w+)?\}", lambda m: quote(fill[m[1]], safe=""), path)


@pytest.mark.parametrize("every", [9, pytest.param(1, marks=pytest.mark.slow)])
def test_no_route_breaks_on_odd_addresses_bodies_and_headers(cleared: TestClient, every: int) -> None:
    """Every ninth of the addresses, each route beginning with another one, or all of them."""
    asked, broken = 0, []
    client = TestClient(cleared.app, base_url=cleared.base_url, raise_server_exceptions=False)
    for turn, (method, path) in enumerate(routes(cleared)):
        bodies = [("", b"")] if method == "GET" else BODIES
        for number, address in list(enumerate(sorted(addresses(path))))[turn % every :: every]:
            kind, body = bodies[number % len(bodies)]
            headers = {**HEADERS[number % len(HEADERS)], **({"content-type": kind} if kind else {})}
            answer = client.request(method, address, content=body, headers=headers, follow_redirects=False)
            asked += 1
            if answer.status_code >= 500:
                broken.append((method, address[:80], kind, answer.status_code))
        for kind, body in bodies:
            address = re.sub(r"\{[^}]*\}", "1", path)
            answer = client.request(method, address, content=body, headers={"content-type": kind} if kind else {})
            asked += 1
            if answer.status_code >= 500:
                broken.append((method, address, kind, answer.status_code))
    assert asked > (300 if every > 1 else 2000) and not broken


@pytest.mark.parametrize("host", ["[::1", "[", "a:b:c", "127.0.0.1:99999999", "\xff", "127.0.0.1@evil", "", "evil.org"])
def test_a_malformed_host_is_refused(client: TestClient, host: str) -> None:
    answer = client.get("/", headers={"host": host.encode("latin-1")})  # type: ignore[dict-item]
    assert answer.status_code == (200 if host.startswith("127.0.0.1:") else 400)


def test_head_gives_the_headers_alone(client: TestClient) -> None:
    for address in ("/", "/standards", "/status", "/static/app.css"):
        head, whole = client.head(address), client.get(address)
        assert head.status_code == whole.status_code == 200 and not head.content
        assert head.headers["content-type"] == whole.headers["content-type"]
    assert client.head("/shoots/77/match").status_code == 404


def test_nothing_in_an_address_is_told_as_the_applications_own_words(client: TestClient) -> None:
    lie = "Your library was deleted"
    for address in ("/", "/products", "/standards", "/standards/1/versions", "/runs", "/shoots/1/delete"):
        for word in ("error", "said", "message", "note", "reason"):
            assert lie not in client.get(f"{address}?{word}={quote(lie)}").text
    form = client.post("/products", files={"file": ("p.csv", b"code,name\nA,Cup\n")}, follow_redirects=True)
    done = client.post(str(form.url), follow_redirects=True)
    assert "1 product added" in done.text
    assert "1 product added" not in client.get(str(done.url)).text  # told once


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.sampled_from(["item.share", "canvas.width", "canvas.ground", "names.name", "names.find", "item.margin", "views",
                     "name", "hand_over", "deliverables.shop.limit", "deliverables.9.format", "checks.0.value", "x"]),
    st.text(max_size=40) | st.from_regex(r"-?\d{1,400}(\.\d{1,400})?( px| %| mm)?", fullmatch=True),
)  # fmt: skip
def test_any_value_of_a_rule_is_kept_or_refused(cleared: TestClient, field: str, value: str) -> None:
    answer = cleared.post("/standards/1/rule", data={"field": field, "value": value})
    assert answer.status_code < 500


def test_an_address_with_an_impossible_number_is_no_page(client: TestClient) -> None:
    for number in ("99999999999999999999", "x", "1.5"):
        answer = client.get(f"/shoots/{number}/match")
        assert answer.status_code == 404 and "There is no such page." in answer.text
    answer = client.post("/standards/1/rule", data={"field": "item.share", "value": "80", "shoot_id": "x"})
    assert answer.status_code == 422 and "cannot be understood: shoot id." in answer.text
