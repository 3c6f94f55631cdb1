"""Folders and object storage keep the same files in the same way."""

import pickle
from collections.abc import Iterator
from pathlib import Path

import pytest
from clusters import new_storage

from zero_easel.files import UnreachableError
from zero_easel.library.store.vault import InUseError, Vault
from zero_easel.storage import FolderStorage, Kept, RemoteStorage, Storage, drop_oldest, storage_of


@pytest.fixture(scope="module")
def bucket() -> Iterator[str]:
    """Address of a bucket on a real S3 server."""
    machine, environment = new_storage()
    with pytest.MonkeyPatch.context() as patch:
        for name, value in environment.items():
            patch.setenv(name, value)
        yield "s3://brindle"
    machine.end()


@pytest.fixture(params=["folder", "bucket"])
def storage(request: pytest.FixtureRequest, tmp_path: Path) -> Storage:
    if request.param == "folder":
        return FolderStorage(tmp_path)
    url = f"{request.getfixturevalue('bucket')}/{tmp_path.name}"
    return RemoteStorage(url, tmp_path / "copies")


def test_what_is_kept_is_there_for_others(storage: Storage) -> None:
    storage.prepare()
    kept = Kept(storage, "derived/cutouts/ab/abc.png")
    assert not kept.exists() and kept.size() is None
    with pytest.raises(FileNotFoundError):
        kept.read()
    kept.write(b"cutout")
    assert kept.read() == b"cutout" and kept.size() == 6 and kept.path().suffix == ".png"
    other = pickle.loads(pickle.dumps(kept))
    assert other.read() == b"cutout" and other.storage.url == storage.url
    kept.beside(".json").write(b"{}")
    found = {entry.key: entry.bytes for entry in storage.entries("derived")}
    assert found == {"derived/cutouts/ab/abc.png": 6, "derived/cutouts/ab/abc.json": 2}
    storage.remove(kept.key)
    storage.remove(kept.key)
    assert not kept.exists() and kept.beside(".json").exists()


def test_what_changes_is_never_given_as_it_was(storage: Storage) -> None:
    picture = Kept(storage, "runs/1/a b/ä.jpg", fixed=False)
    picture.write(b"first")
    assert picture.path().read_bytes() == b"first"
    picture.write(b"other")
    assert picture.path().read_bytes() == b"other" and picture.read() == b"other"
    again = Kept(storage, "runs/2/c.jpg", fixed=False)
    again.take(picture)
    again.take(picture)
    assert again.read() == b"other"
    storage.remove_all("runs/1")
    storage.remove_all("runs/1")
    assert not picture.exists() and again.read() == b"other"
    with pytest.raises(FileNotFoundError):
        picture.path()
        picture.read()


def test_assets_lie_in_a_folder(storage: Storage, tmp_path: Path) -> None:
    vault = Vault(tmp_path / "own") if isinstance(storage, FolderStorage) else Vault(storage.url, tmp_path)
    vault.prepare()
    assert vault.add_asset("logo.png", b"one") == "logo.png" and vault.add_asset("logo.png", b"two") == "logo-2.png"
    assert vault.add_asset("logo.png", b"one") == "logo.png"
    assert vault.assets.names() == ["logo-2.png", "logo.png"] and vault.assets.bytes("logo-2.png") == b"two"


def test_two_libraries_do_not_share_a_place(storage: Storage, tmp_path: Path) -> None:
    vault = Vault(storage.url, tmp_path)
    vault.prepare()
    vault.claim("mine")
    vault.claim("mine")
    with pytest.raises(InUseError, match="another library"):
        Vault(storage.url, tmp_path).claim("other")


def test_what_has_gone_is_said_and_not_put_up_anew(tmp_path: Path) -> None:
    share = tmp_path / "share"
    kept = Kept(FolderStorage(share), "originals/a")
    for act in (kept.read, lambda: kept.write(b"x"), kept.path):
        with pytest.raises(UnreachableError, match="does not see the folder"):
            act()
    assert not share.exists() and "cannot be written" in FolderStorage(share).trouble()


def test_a_server_that_does_not_answer_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name, value in (
        ("AWS_ENDPOINT_URL", "http://127.0.0.1:1"),
        ("AWS_ACCESS_KEY_ID", "x"),
        ("AWS_SECRET_ACCESS_KEY", "y"),
        ("AWS_MAX_ATTEMPTS", "1"),
    ):
        monkeypatch.setenv(name, value)
    storage = RemoteStorage("s3://nobody/there", tmp_path)
    assert "s3://nobody/there" in storage.trouble()
    with pytest.raises(UnreachableError):
        storage.prepare()


def test_the_oldest_copies_go_first(tmp_path: Path) -> None:
    import os

    for age, name in enumerate("abcd"):
        (tmp_path / name).write_bytes(bytes(100))
        os.utime(tmp_path / name, (1_000_000 - age, 1_000_000 - age))
    drop_oldest(tmp_path, 250)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a", "b"]


def test_addresses(tmp_path: Path) -> None:
    assert storage_of(str(tmp_path)).url == storage_of(f"file://{tmp_path}").url == str(tmp_path)
    with pytest.raises(ValueError, match="nonsense"):
        storage_of("nonsense://x")
