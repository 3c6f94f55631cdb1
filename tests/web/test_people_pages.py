"""Accounts by the page: invitations, signing in and out, the second factor, throttling, and what the journal tells."""

import shutil
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pyotp
import pytest
from fastapi.testclient import TestClient
from httpx import Response
from people import PASSWORD, add_people
from programs import application
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from zero_easel.library.people.accounts import (
    AccountError,
    add_person,
    invite,
    is_password_of,
    set_active,
    set_password,
    set_role,
    take_up,
)
from zero_easel.library.people.journal import entries, exported, first_fault, write
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import now
from zero_easel.library.store.people import Invitation, Person, Role, SignIn


@pytest.fixture
def folder(prepared: Path, tmp_path: Path) -> Path:
    folder = shutil.copytree(prepared, tmp_path / "data")
    add_people(folder, Ida=Role.OWNER, Mara=Role.MAKER)
    return folder


@pytest.fixture
def client(folder: Path) -> Iterator[TestClient]:
    with application(folder) as client:
        yield client


def sign_in(client: TestClient, name: str = "Ida", password: str = PASSWORD, to: str = "/") -> Response:
    return client.post("/sign-in", data={"name": name, "password": password, "to": to}, follow_redirects=False)


def test_a_person_signs_in_and_out(client: TestClient) -> None:
    assert client.get("/shoots/1/match", headers={"Accept": "text/html"}).url.path == "/sign-in"
    wrong, nobody = sign_in(client, password="another password"), sign_in(client, name="Nobody")
    assert wrong.status_code == nobody.status_code == 422
    assert wrong.text.replace("Ida", "Nobody") == nobody.text  # whether there is such a name is not told
    done = sign_in(client, "IDA ", to="/shoots/1/match")
    assert done.status_code == 303 and done.headers["location"] == "/shoots/1/match"
    cookie = done.headers["set-cookie"]
    assert "HttpOnly" in cookie and "SameSite=lax" in cookie and "Path=/" in cookie
    assert "Ida" in client.get("/shoots/1/match").text
    kept = client.cookies["zero-easel"]
    client.post("/sign-out")
    answer = client.get("/status", headers={"Cookie": f"zero-easel={kept}"})
    assert answer.status_code == 401


@pytest.mark.parametrize(
    "to", ["//evil.example", "https://evil.example", "/\\evil.example", "javascript:1", "\\\\e", ""]
)
def test_nobody_is_sent_elsewhere_after_signing_in(to: str, client: TestClient) -> None:
    assert sign_in(client, to=to).headers["location"] == "/"


def test_guessing_is_slowed_down(client: TestClient) -> None:
    tries = [sign_in(client, password=f"guess {at}") for at in range(8)]
    assert tries[0].status_code == 422 and tries[-1].status_code == 429 and int(tries[-1].headers["Retry-After"]) >= 1
    assert sign_in(client).status_code == 429  # with the right one, too
    assert sign_in(client, "Mara").status_code == 303  # somebody else is not kept out by that


def test_an_invitation_is_good_once_and_for_its_days(client: TestClient, folder: Path) -> None:
    sign_in(client)
    page = client.post("/people", data={"name": "Noor", "role": "viewer"})
    link = page.text.split('once-text">')[1].split("<")[0]
    path = link.split("8470")[1]
    assert "Noor" in page.text and link not in client.get("/people").text
    with TestClient(client.app, base_url="http://127.0.0.1:8470") as noor:
        assert "too easily guessed" in noor.post(path, data={"password": "password1234"}).text
        assert "at least 12" in noor.post(path, data={"password": "short"}).text
        assert noor.post(path, data={"password": PASSWORD}).url.path == "/"
        assert "Noor" in noor.get("/account").text and noor.post("/shoots", data={"name": "x"}).status_code == 403
        assert "good no more" in noor.get(path).text
    database = Database(folder / "zero-easel.sqlite")
    with database.session() as session:
        late = invite(session, session.query(Person).filter_by(name="Mara").one())
        session.query(Invitation).update({"expires": now() - timedelta(seconds=1)})
    database.close()
    assert client.get(f"/invitation/{late}").status_code == 404
    assert client.get("/invitation/made-up").status_code == 404


def test_a_second_factor_is_asked_for(client: TestClient, folder: Path) -> None:
    sign_in(client, "Mara")
    page = client.get("/account").text
    secret = page.split('break-all">')[1].split("<")[0]
    assert "not right" in client.post("/account/second", data={"code": "000000"}).text
    shown = client.post("/account/second", data={"code": pyotp.TOTP(secret).now()}).text
    codes = shown.split('once-text">')[1].split("<")[0].split()
    assert len(codes) == 10 and secret not in client.get("/account").text
    assert secret.encode() not in (folder / "zero-easel.sqlite").read_bytes()
    client.post("/sign-out")

    def half() -> str:
        page = sign_in(client, "Mara").text
        assert "What does your authenticator show" in page or "what does your authenticator show" in page
        return page.split('name="half" value="')[1].split('"')[0]

    def show(code: str) -> int:
        data = {"half": half(), "code": code}
        return client.post("/sign-in/code", data=data, follow_redirects=False).status_code

    assert show("123456") == 422 and client.get("/status").status_code == 401
    code = pyotp.TOTP(secret).now()
    assert show(code) == 303
    client.post("/sign-out")
    assert show(code) == 422  # a code is good once
    assert show(codes[0]) == 303
    client.post("/sign-out")
    assert show(codes[0]) == 422
    assert client.post("/sign-in/code", data={"half": "made-up", "code": code}).status_code == 422


def test_a_password_is_changed_and_devices_are_signed_out(client: TestClient) -> None:
    sign_in(client)
    firefox = {"User-Agent": "Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:125.0) Gecko/20100101 Firefox/125.0"}
    with TestClient(client.app, base_url="http://127.0.0.1:8470", headers=firefox) as other:
        sign_in(other)
        assert other.get("/status").status_code == 200
        told = client.get("/account").text
        assert "Sign out: Firefox on Windows" in told and "this one" in told
        data = {"former": PASSWORD, "password": "nine quiet umbrellas"}
        assert "not right" in client.post("/account/password", data={**data, "former": "x"}).text
        assert client.post("/account/password", data=data).status_code == 200
        assert other.get("/status").status_code == 401 and client.get("/status").status_code == 200
        assert sign_in(other).status_code == 422
        assert sign_in(other, password="nine quiet umbrellas").status_code == 303
        client.post("/sign-out", data={"everywhere": "true"})
        assert other.get("/status").status_code == 401


def test_a_sign_in_ends_by_itself(client: TestClient, folder: Path) -> None:
    sign_in(client)
    database = Database(folder / "zero-easel.sqlite")
    with database.session() as session:
        session.query(SignIn).update({"used": now() - timedelta(hours=13)})
    assert client.get("/status").status_code == 401
    sign_in(client)
    with database.session() as session:
        session.query(SignIn).update({"made": now() - timedelta(days=31)})
    assert client.get("/status").status_code == 401
    database.close()


def test_an_owner_sees_to_people_and_one_owner_stays(client: TestClient) -> None:
    sign_in(client)
    assert "only owner" in client.post("/people/1/role", data={"role": "maker"}).text
    assert "only owner" in client.post("/people/1/out").text
    client.post("/people/2/role", data={"role": "owner"})
    assert client.post("/people/1/role", data={"role": "owner"}).status_code == 200
    client.post("/people/2/out")
    assert "may not sign in" in client.get("/people").text
    assert sign_in(client, "Mara").status_code == 422
    sign_in(client)
    client.post("/people/2/in")
    assert sign_in(client, "Mara").status_code == 303
    assert "already" in client.post("/people", data={"name": "ida", "role": "maker"}).text


def test_the_journal_tells_who_did_what(client: TestClient, folder: Path) -> None:
    sign_in(client, "Mara")
    client.post("/shoots/1/name", data={"name": "Winter"})
    client.post("/photos/1/match", data={"code": "BY-2102", "view": "side"})
    client.post("/standards/1/rule", data={"field": "item.share", "value": "71"})
    client.post("/photos/1/leave-out")
    assert client.get("/journal").status_code == 403
    told = client.get("/told/photo/1").text + client.get("/told/shoot/1").text + client.get("/told/standard/1").text
    assert told.count('<b class="font-semibold">Mara</b>') >= 4 and "71" in told
    client.post("/sign-out")
    sign_in(client)
    page = client.get("/journal?words=mara winter&check=true").text
    assert "Renamed the shoot" in page and "Every entry is as it was written" in page
    table = client.get("/journal.csv").text
    assert table.startswith("number,moment,who,what,about") and "Mara" in table
    database = Database(folder / "zero-easel.sqlite")
    for statement in ("UPDATE journal SET who = 'x'", "DELETE FROM journal"):
        with pytest.raises(IntegrityError, match="only added to"), database.session() as session:
            session.execute(text(statement))
    with database.session() as session:
        session.execute(text("DROP TRIGGER journal_no_update"))
        session.execute(text("UPDATE journal SET who = 'nobody' WHERE id = 3"))
        assert first_fault(session) == 3
    database.close()


def test_entries_are_found_and_exported_harmlessly(session: Session) -> None:
    for words in ("=1+1 made", "100% wool", "plain"):
        write(session, words)
    assert [one.text for one in entries(session, "100%")] == ["100% wool"] and entries(session, "%") != []
    assert [one.text for one in entries(session, before=3)] == ["100% wool", "=1+1 made"]
    assert "'=1+1 made" in "".join(exported(session)) and first_fault(session) is None


def test_accounts_by_their_services(session: Session) -> None:
    with pytest.raises(AccountError, match="name"):
        add_person(session, " \n", Role.OWNER)
    ida = add_person(session, "Ida", Role.OWNER)
    assert not is_password_of(ida, "") and not is_password_of(None, PASSWORD)
    first, second = invite(session, ida), invite(session, ida)
    with pytest.raises(AccountError):
        take_up(session, first, PASSWORD)
    take_up(session, second, PASSWORD)
    assert is_password_of(ida, PASSWORD) and ida.password.startswith("$argon2id$")
    for bad in ("aaaaaaaaaaaaaaaa", "Passwort2026!", "x" * 129, "ida1234567890"):
        with pytest.raises(AccountError):
            set_password(session, ida, bad)
    for change in (lambda: set_role(session, ida, Role.VIEWER), lambda: set_active(session, ida, False)):
        with pytest.raises(AccountError, match="only owner"):
            change()


def test_an_application_without_accounts_asks_for_none(cleared: TestClient) -> None:
    assert cleared.get("/").status_code == 200 and "Sign out" not in cleared.get("/").text
    assert "Nobody has an account" in cleared.get("/people").text
    assert cleared.get("/health").text == "ok" and cleared.get("/ready").text == "ready"
    assert cleared.get("/metrics").status_code == 404


def test_figures_for_who_shows_the_token(folder: Path) -> None:
    with application(folder, metrics="a token of metrics") as client:
        assert client.get("/metrics").status_code == 401
        told = client.get("/metrics", headers={"Authorization": "Bearer a token of metrics"})
        assert "zero_easel_photos 2.0" in told.text and 'zero_easel_answers{status="401"} 1.0' in told.text


def test_one_person_may_send_so_much_a_day(folder: Path) -> None:
    with application(folder, person_gb=0.001) as client:
        sign_in(client)
        files = [("files", ("a.jpg", bytes(1_200_000)))]
        assert client.post("/shoots/1/files", files=files).status_code == 200
        answer = client.post("/shoots/1/files", files=files)
        assert answer.status_code == 429 and "GB" in answer.text
        assert client.get("/status").status_code == 200
        sign_in(client, "Mara")
        assert client.post("/shoots/1/files", files=files).status_code == 200
