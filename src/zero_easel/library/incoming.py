"""What people bring: photos, tables and archives of both, told apart, one report for each."""

import io
import shutil
import zipfile
from collections.abc import Iterator
from itertools import pairwise
from typing import BinaryIO, NamedTuple

from sqlalchemy.orm import Session

from zero_easel.core.catalog.products import kind_of_table
from zero_easel.core.catalog.tables import BYTE_LIMIT as TABLE_LIMIT
from zero_easel.core.catalog.tables import SUFFIXES, Problem, TableError, listed, too_large
from zero_easel.core.photos.decoding import BYTE_LIMIT
from zero_easel.core.standard.naming import base_name
from zero_easel.engines.limited import table_from
from zero_easel.library.changes.matches import all_stale
from zero_easel.library.changes.repairs import import_shotlist
from zero_easel.library.products import compare_catalog, import_catalog, mapping_of
from zero_easel.library.shoots import bring_in
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Shoot
from zero_easel.library.store.vault import Vault

ARCHIVE = ".zip"
_MEMBERS = 20_000
_RATIO, _ANYWAY = 100, 200_000_000
"""An archive may unpack to this many times its own size, or to this many bytes: photos hardly shrink at all."""
_SPARE = 500_000_000
"""Bytes that stay free on the disk, or a twentieth of a small one."""


class Report(NamedTuple):
    """What became of one file. kind: photo, table or archive. said: a sentence or "". look: digest of a table that
    waits to be looked at. of: how many files its archive holds, 0 outside of one."""

    name: str
    kind: str
    ok: bool
    message: str
    look: str = ""
    of: int = 0


def take(database: Database, vault: Vault, shoot_id: int, name: str, file: BinaryIO) -> Iterator[Report]:
    """Take one file, or all that an archive holds, into a shoot; name may hold folders.

    Each is written in a session of its own: what came in before a bad one stays. Raises LookupError if the shoot is
    gone.
    """
    if name.lower().endswith(ARCHIVE):
        yield from _take_archive(database, vault, shoot_id, name, file)
        return
    size = file.seek(0, io.SEEK_END)
    file.seek(0)
    yield _take_one(database, vault, shoot_id, name, file, size)


def problems_in_words(problems: list[Problem]) -> str:
    """The first rows of a table that were left out, in words."""
    shown = "".join(f" Row {p.row}: {p.reason}." for p in problems[:3])
    more = f" {len(problems) - 3} more rows were left out." if len(problems) > 3 else ""
    return shown + more


def _take_archive(database: Database, vault: Vault, shoot_id: int, name: str, file: BinaryIO) -> Iterator[Report]:
    try:
        archive = zipfile.ZipFile(file)
        members = [m for m in archive.infolist() if _is_content(m)]
        reason = _why_refused(archive, members, file.seek(0, io.SEEK_END))
    except Exception:
        # Whatever is wrong with the directory of a stranger's archive: nothing of it can be taken.
        yield Report(name, "archive", False, f"{name} is damaged or no ZIP archive.")
        return
    with archive:
        if reason:
            yield Report(name, "archive", False, f"{name} {reason}.")
            return
        # Tables first: then every photo is matched the moment it arrives.
        members.sort(key=lambda m: not m.filename.lower().endswith(SUFFIXES))
        yield Report(name, "archive", True, "", of=len(members))
        for member in members:
            yield _take_member(database, vault, shoot_id, archive, member)


def _why_refused(archive: zipfile.ZipFile, members: list[zipfile.ZipInfo], size: int) -> str:
    """Why nothing of an archive of that many bytes is taken, to follow its name; "" if it can be."""
    if not members:
        return "holds no files"
    if len(members) > _MEMBERS:
        return f"holds more than {_MEMBERS:,} files; divide it"
    unpacked = sum(member.file_size for member in members)
    if unpacked > max(_ANYWAY, _RATIO * size):
        return f"would unpack to {unpacked / 1e9:.1f} GB, far more than photos of its size can be; it is not taken"
    places = sorted((member.header_offset, member.compress_size) for member in archive.infolist())
    if any(at + packed > following for (at, packed), (following, _) in pairwise(places)):
        return "holds files that lie over each other: it is no archive of photos, and is not taken"
    return ""


def _take_member(
    database: Database, vault: Vault, shoot_id: int, archive: zipfile.ZipFile, member: zipfile.ZipInfo
) -> Report:
    name = member.filename
    if member.flag_bits & 1:
        return Report(name, "photo", False, f"{name} is locked by a password.")
    if member.file_size > BYTE_LIMIT:
        return Report(name, "photo", False, f"{name} is {member.file_size / 1e6:.0f} MB; smaller files are read.")
    try:
        with archive.open(member) as file:
            # No more than was promised: a damaged directory must not fill the memory.
            data = file.read(member.file_size)
    except NotImplementedError:
        return Report(name, "photo", False, f"{name} is packed in a way that cannot be read; pack it as usual ZIP.")
    except Exception:
        # Each way of packing has errors of its own; whichever it is, this file cannot be unpacked.
        return Report(name, "photo", False, f"{name} is damaged within the archive.")
    return _take_one(database, vault, shoot_id, name, io.BytesIO(data), len(data))


def _is_content(member: zipfile.ZipInfo) -> bool:
    hidden = (part.startswith((".", "__MACOSX")) and part.strip(".") for part in member.filename.split("/"))
    return not member.is_dir() and not any(hidden)


def _take_one(database: Database, vault: Vault, shoot_id: int, name: str, file: BinaryIO, size: int) -> Report:
    table = name.lower().endswith(SUFFIXES)
    if size > (TABLE_LIMIT if table else BYTE_LIMIT):
        message = (
            too_large(base_name(name), size)
            if table
            else (f"{base_name(name)} is {size / 1e6:.0f} MB; files up to {BYTE_LIMIT / 1e6:.0f} MB are read.")
        )
        return Report(base_name(name), "table" if table else "photo", False, message)
    disk = shutil.disk_usage(vault.local)
    if disk.free < 2 * size + min(_SPARE, disk.total // 20):
        message = f"{base_name(name)} was not taken: the disk is nearly full."
        return Report(base_name(name), "table" if table else "photo", False, message)
    data = file.read()
    with database.session() as session:
        shoot = session.get(Shoot, shoot_id)
        if shoot is None:
            raise LookupError("There is no such shoot.")
        if table:
            return _take_table(session, vault, shoot, base_name(name), data)
        result = bring_in(session, vault, shoot, data, name)
        message = result.error or (f"{result.name} {result.note}." if result.note else "")
        return Report(result.name, "photo", not result.error, message)


def _take_table(session: Session, vault: Vault, shoot: Shoot, name: str, data: bytes) -> Report:
    try:
        table = table_from(data, name)
        kind = kind_of_table(table, name, mapping_of(session))
        if kind == "shotlist":
            count, problems = import_shotlist(session, shoot, table, name)
            message = f"{name}: shot list with {count:,} {'row' if count == 1 else 'rows'}."
            return Report(name, "table", not problems, message + problems_in_words(problems))
        compared = compare_catalog(session, table, name)
        if compared.changed:
            codes = listed((difference.code for difference in compared.differences), 3)
            message = f"{name} would change {codes}. Look at it first; nothing was imported."
            return Report(name, "table", False, message, vault.lay_aside(data))
        imported = import_catalog(session, table, name)
        all_stale(session)
    except TableError as error:
        look = vault.lay_aside(data) if error.missing_code else ""
        return Report(name, "table", False, str(error), look)
    notes = "".join(f" {note}" for note in imported.notes)
    message = f"{name}: {imported.added:,} {'product' if imported.added == 1 else 'products'} added."
    return Report(name, "table", not imported.problems, message + notes + problems_in_words(imported.problems))
