"""Puts the application together."""

from collections import Counter
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import Depends, FastAPI
from fastapi.staticfiles import StaticFiles

from zero_easel.api import PREFIX
from zero_easel.api.app import create_api
from zero_easel.web.flash import Flash
from zero_easel.web.guards.amounts import DailyAmounts
from zero_easel.web.guards.entering import Doors
from zero_easel.web.guards.rights import allowed
from zero_easel.web.guards.security import Guard
from zero_easel.web.guards.turns import Turns
from zero_easel.web.guards.who import SignedIn
from zero_easel.web.kept import KeptPages
from zero_easel.web.matched import Matching
from zero_easel.web.meanwhile import Meanwhile, note_place
from zero_easel.web.news import News
from zero_easel.web.screens import (
    approval,
    assets,
    hand_over,
    journal,
    live,
    media,
    passkeys,
    people,
    products,
    programs,
    running,
    runs,
    shoots,
    standards,
    tidy_up,
    versions,
)
from zero_easel.web.screens.stages import (
    bring_in,
    clearing,
    deliver,
    light,
    matching,
    names,
    placing,
    straightening,
    touchup,
    whole,
)
from zero_easel.web.troubles import tell_troubles
from zero_easel.workbench import Workbench

_STATIC = Path(__file__).parent / "static"


SCREENS = (
    shoots,
    whole,
    bring_in,
    matching,
    clearing,
    touchup,
    light,
    straightening,
    placing,
    standards,
    assets,
    versions,
    names,
    deliver,
    live,
    hand_over,
    runs,
    tidy_up,
    programs,
    people,
    passkeys,
    journal,
    approval,
    running,
    products,
    media,
)


def create_app(bench: Workbench) -> FastAPI:
    """The web application over a workbench, which it opens when it starts and closes when it ends."""

    news = News(bench.database.path, lambda: bench.dispatcher.held_up)

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        bench.open()
        news.begin()
        yield
        for shutter in app.state.shutters.values():
            shutter.release()
        await news.end()
        bench.close()

    app = FastAPI(
        title="Zero Easel",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        dependencies=[Depends(allowed), Depends(note_place)],
    )
    app.state.bench, app.state.flash, app.state.news = bench, Flash(), news
    app.state.answered = Counter()
    app.state.shutters, app.state.doors, app.state.meanwhile = {}, Doors(), Meanwhile()
    app.state.matching = Matching()
    app.mount("/static", StaticFiles(directory=_STATIC), name="static")
    for screen in SCREENS:
        app.include_router(screen.router)
    app.mount(PREFIX, create_api(bench))
    tell_troubles(app)
    app.add_middleware(Turns)
    app.add_middleware(KeptPages, database=bench.database.path)
    app.add_middleware(DailyAmounts, gigabytes=bench.settings.person_gb)
    app.add_middleware(SignedIn, database=bench.database)
    app.add_middleware(
        Guard,
        upload_bytes=bench.settings.upload_mb * 1_000_000,
        hosts=bench.settings.host_names,
        answered=app.state.answered,
    )
    return app
