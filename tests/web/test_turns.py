"""What is answered where more is asked than can be done, and where the library cannot be written."""

import asyncio

import httpx
from fastapi.testclient import TestClient
from sqlalchemy import event
from starlette.responses import PlainTextResponse
from starlette.types import Receive, Scope, Send

from zero_easel.web.guards.turns import Turns
from zero_easel.workbench import Workbench


def test_who_does_not_come_to_a_turn_is_told_when_to_ask_again() -> None:
    async def ask() -> tuple[list[int], httpx.Response, httpx.Response]:
        through = asyncio.Event()

        async def slow(scope: Scope, receive: Receive, send: Send) -> None:
            if scope["path"] == "/slow":
                await through.wait()
            await PlainTextResponse("here")(scope, receive, send)

        transport = httpx.ASGITransport(Turns(slow, at_once=2, patience=0.05))
        async with httpx.AsyncClient(transport=transport, base_url="http://127.0.0.1") as client:
            waiting = [asyncio.create_task(client.get("/slow")) for _ in range(2)]
            await asyncio.sleep(0)
            status = await client.get("/status")
            refused = await client.get("/")
            through.set()
            done = [(await task).status_code for task in waiting]
            return [*done, (await client.get("/")).status_code], status, refused

    done, status, refused = asyncio.run(ask())
    assert done == [200, 200, 200] and status.status_code == 200
    assert refused.status_code == 503 and int(refused.headers["retry-after"]) > 0 and "try again" in refused.text


def test_a_full_disk_is_told_in_a_sentence_and_nothing_is_lost(client: TestClient, bench: Workbench) -> None:
    client.post("/shoots", data={"name": "Before"})

    def full(connection: object, *_: object) -> None:
        connection.execute("PRAGMA max_page_count = 1")  # type: ignore[attr-defined]

    event.listen(bench.database.engine, "checkout", full)
    answers = [client.post("/shoots", data={"name": f"{n} " * 50}) for n in range(400)]
    event.remove(bench.database.engine, "checkout", full)
    refused = [answer for answer in answers if answer.status_code != 200]
    assert refused and {answer.status_code for answer in refused} == {503}
    assert "disk is full; nothing was changed" in refused[0].text and refused[0].headers["retry-after"]
    bench.database.engine.dispose()
    assert "Before" in client.get("/").text
    assert client.post("/shoots", data={"name": "After"}).status_code == 200
