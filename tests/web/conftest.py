"""An application over a data folder of its own, without a browser."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.workbench import Workbench, build_workbench


@pytest.fixture
def bench(tmp_path: Path) -> Workbench:
    return build_workbench(Settings(data=tmp_path, jobs=1, upload_mb=20))


@pytest.fixture
def client(bench: Workbench) -> Iterator[TestClient]:
    with TestClient(create_app(bench), base_url="http://127.0.0.1:8470") as client:
        yield client
