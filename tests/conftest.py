"""What tests of the library and of runs share."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings
from sqlalchemy.orm import Session
from support import new_library

# A busy machine is slow, not wrong.
settings.register_profile("patient", deadline=None)
# For a search of minutes: pytest --hypothesis-profile=long -k whatever
settings.register_profile("long", deadline=None, max_examples=4000)
settings.load_profile("patient")


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    """A session on an empty library, in a real file."""
    database = new_library(tmp_path / "easel.sqlite")
    with database.session() as session:
        yield session
    database.close()
