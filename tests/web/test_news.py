"""Pages hear of every change, whoever makes it, and are let go when the application ends."""

import asyncio
import sqlite3
from pathlib import Path

from fastapi.testclient import TestClient
from people import add_people
from support import new_library

from zero_easel.library.people.sign_ins import sign_in, sign_out
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.people import Person, Role, SignIn
from zero_easel.web.guards.who import AT_THIS_MACHINE, Who, still_signed_in
from zero_easel.web.news import News


async def always() -> bool:
    return True


def test_news_come_after_each_change_and_end_with_the_application(tmp_path: Path) -> None:
    path = tmp_path / "easel.sqlite"
    database = new_library(path)
    told: list[str] = [""]

    async def listen() -> list[bytes]:
        news = News(path, lambda: told[0])
        news.begin()
        stream = news.listen(always)
        heard = [await anext(stream)]
        with database.session() as session:
            create_shoot(session, "Shelf")
        heard.append(await anext(stream))
        # Another program, as the command line is.
        with sqlite3.connect(path) as connection:
            connection.execute("UPDATE shoot SET name = 'Other'")
        heard.append(await anext(stream))
        told[0] = "the disk is full"
        heard.append(await anext(stream))
        news.close()
        heard += [piece async for piece in stream]
        await news.end()
        return heard

    heard = asyncio.run(asyncio.wait_for(listen(), 240))
    assert len(heard) == 4 and len(set(heard)) == 4 and all(one.startswith(b"event: work\ndata: ") for one in heard)
    database.close()


def test_nobody_listens_longer_than_they_are_signed_in(tmp_path: Path) -> None:
    path = tmp_path / "data/zero-easel.sqlite"
    database = new_library(path)
    assert still_signed_in(database, AT_THIS_MACHINE)
    add_people(path.parent, Ida=Role.OWNER)
    with database.session() as session:
        ida = session.query(Person).one()
        sign_in(session, ida, "", "")
        who = Who(ida.name, ida.role, ida.id, session.query(SignIn).one().id)
    # Whoever came before there were accounts has to sign in, too.
    assert still_signed_in(database, who) and not still_signed_in(database, AT_THIS_MACHINE)

    async def may() -> bool:
        return still_signed_in(database, who)

    async def listen() -> list[bytes]:
        news = News(path, lambda: "", still=0.2)
        news.begin()
        stream = news.listen(may)
        await anext(stream)
        with database.session() as session:
            sign_out(session, session.query(Person).one())
        heard = [piece async for piece in stream]
        await news.end()
        return heard

    assert all(
        b"event: work" in piece or b"still here" in piece for piece in asyncio.run(asyncio.wait_for(listen(), 240))
    )
    database.close()


def test_the_end_of_a_run_is_told_once_it_has_come(cleared: TestClient) -> None:
    cleared.post("/shoots/1/runs")
    answer = cleared.get("/runs/1/told")
    while answer.status_code == 204:
        answer = cleared.get("/runs/1/told")
    assert answer.text == "Run 1 over Row is done: 2 pictures."
    assert cleared.get("/runs/9/told").status_code == 404
