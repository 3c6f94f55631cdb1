"""A vault of its own for each test of runs."""

from pathlib import Path

import pytest

from zero_easel.library.store.vault import Vault


@pytest.fixture
def vault(tmp_path: Path) -> Vault:
    vault = Vault(tmp_path)
    vault.prepare()
    return vault
