"""Portable file names: what every usual disk and archive can hold, and which two would be one file."""

import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from pathlib import PurePath
from typing import NamedTuple

from zero_easel.core.standard.expression import Expression, ExpressionError
from zero_easel.core.standard.patterns import Pattern, PatternError, Value

_FORBIDDEN = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f]+')
# Device names that Windows reserves in every folder, with any suffix.
_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³]|conin\$|conout\$)(\..*)?", re.IGNORECASE)
_PLAIN = re.compile(r"[A-Za-z0-9_](?:[A-Za-z0-9_,+() .-]*[A-Za-z0-9_,+()-])?")
_UNSEEN = ("Cc", "Cf", "Cs", "Co", "Cn")
_ENDS = re.compile(r"^[\s.]+|[\s.]+$")
_REPEATED = re.compile(r"([ _-])\1+")
_UNREADABLE = re.compile("[\ud800-\udfff]")
_DIGITS = re.compile(r"([0-9]+)")
_LONGEST = 180


class NameProblem(NamedTuple):
    """Something about a new name that a person should know. kind: product, doubt, empty, characters, reserved or
    long."""

    kind: str
    text: str


class Named(NamedTuple):
    """A portable name, and what was changed or missing on the way to it."""

    name: str
    problems: tuple[NameProblem, ...]


class Replacement:
    """Find and replace on finished names. Raises PatternError if the regular expression is none."""

    def __init__(self, find: str, replace_with: str, is_regex: bool) -> None:
        self._with = replace_with
        self._find = find if not is_regex else ""
        try:
            self._expression = Expression(find) if is_regex and find else None
            if self._expression is not None:
                self._expression.replaced("", replace_with)
        except ExpressionError as error:
            raise PatternError(str(error)) from error

    def __call__(self, text: str) -> str:
        """The text with all that was found replaced. Raises PatternError if it takes too long or names no group."""
        if self._expression is None:
            return text.replace(self._find, self._with) if self._find else text
        try:
            return self._expression.replaced(text, self._with)
        except ExpressionError as error:
            raise PatternError(str(error)) from error


def named(pattern: Pattern, values: Mapping[str, Value], replacement: Replacement) -> Named:
    """Fill a pattern and make a portable file name of it, without suffix; what that took is told."""
    filled = pattern.fill(values)
    text, problems = _portable(replacement(_tidy(filled.text)))
    return Named(text, (*_empties(filled.empty), *problems))


def folder_named(pattern: Pattern, values: Mapping[str, Value]) -> Named:
    """Fill a pattern for subfolders: portable names joined by slashes; a part with nothing in it is left out."""
    parts, problems = [], []
    for filled in pattern.fill_parts(values):
        problems += _empties(filled.empty)
        if _tidy(filled.text):
            text, changed = _portable(_tidy(filled.text))
            parts.append(text)
            problems += changed
    return Named("/".join(parts), tuple(problems))


def portable(name: str) -> str:
    """A file name that every usual file system takes: no separators, reserved names, or trailing dots; NFC."""
    return _portable(name)[0]


def one_file(path: str) -> str:
    """The same for all names that are one file on some disk: they differ in letter case or Unicode form only."""
    if path.isascii():
        return path.lower()
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", path).casefold())


def collisions(outputs: Iterable[tuple[str, str]]) -> list[tuple[str, list[str]]]:
    """Outputs that would share a name, from (source, output) pairs -> (output, sources), two or more sources each."""
    groups: dict[str, list[tuple[str, str]]] = {}
    for source, output in outputs:
        groups.setdefault(one_file(output), []).append((output, source))
    return [(found[0][0], [s for _, s in found]) for found in groups.values() if len(found) > 1]


def counted_apart(outputs: Sequence[str]) -> list[str]:
    """Paths with a counter added to the later ones of those that would be one file: a.jpg, a-2.jpg, a-3.jpg."""
    free, taken, result = {one_file(path) for path in outputs}, set[str](), []
    for path in outputs:
        candidate, count = path, 1
        while one_file(candidate) in taken or (count > 1 and one_file(candidate) in free):
            count += 1
            end = PurePath(path).suffix
            start = path[: len(path) - len(end)] if end else path
            candidate = f"{start}-{count}{end}"
        taken.add(one_file(candidate))
        result.append(candidate)
    return result


def printable(text: str) -> str:
    """The text with a replacement mark, U+FFFD, for each byte of a file's name that is no UTF-8 (PEP 383): what lists,
    messages and the database can hold. The file itself is found by its own name alone."""
    return _UNREADABLE.sub("\ufffd", text)


def plain(text: str) -> str:
    """The text as one line: without control characters, and with single spaces."""
    spaced = " ".join(printable(text).split())
    return "".join(c for c in spaced if unicodedata.category(c) != "Cc").strip()


def base_name(filename: str) -> str:
    """Last part of a name from an upload, whatever separators the sender used; never a path, never empty."""
    last = re.split(r"[/\\]", printable(filename))[-1]
    text = "".join(c for c in last if unicodedata.category(c) != "Cc")
    return text.strip() if not all(c.isspace() or c == "." for c in text) else "unnamed"


def folder_name(filename: str) -> str:
    """The folders of a name from an upload, joined by slashes; never leads upwards or to a root."""
    parts = re.split(r"[/\\]", filename)[:-1]
    return "/".join(base_name(part) for part in parts if part.strip(" .") and not part.endswith(":"))


def stem(filename: str) -> str:
    """Name without its last suffix."""
    at = filename.rfind(".")
    return filename[:at] if 0 < at < len(filename) - 1 else filename


def natural_key(name: str) -> list[int | str]:
    """Sort key that puts 2 before 10, without regard to letter case: text and numbers in turn, text first."""
    return [int(part) if at % 2 else part for at, part in enumerate(_DIGITS.split(name.casefold()))]


def shows_backdrop(name: str) -> bool:
    """Whether a file name says that the photo shows the empty backdrop: it holds the word "empty"."""
    return bool(re.search(r"(?<![a-z])empty(?![a-z])", name.lower()))


def _tidy(text: str) -> str:
    """Separators that an empty field left side by side become one, those at the ends go."""
    return _REPEATED.sub(r"\1", text).strip(" _-")


def _empties(fields: Sequence[str]) -> list[NameProblem]:
    if not fields:
        return []
    named_fields = ", ".join(f"{{{field}}}" for field in dict.fromkeys(fields))
    return [NameProblem("empty", f"nothing to put in for {named_fields}")]


def _portable(name: str) -> tuple[str, list[NameProblem]]:
    # Most names are plain; thousands are made while a pattern is typed.
    if _PLAIN.fullmatch(name) and len(name) <= _LONGEST and not _RESERVED.fullmatch(name):
        return name, []
    problems = []
    text = unicodedata.normalize("NFC", name)
    found = "".join(dict.fromkeys(c for part in _FORBIDDEN.findall(text) for c in part if c.isprintable()))
    if found or _FORBIDDEN.search(text):
        shown = " ".join(found) or "control characters"
        problems.append(NameProblem("characters", f"{shown} cannot stand in a file name everywhere; became -"))
    text = _FORBIDDEN.sub("-", text)
    if not text.isascii():
        seen = "".join(c for c in text if unicodedata.category(c) not in _UNSEEN)
        if seen != text:
            problems.append(NameProblem("characters", "unseen characters were left out"))
        text = unicodedata.normalize("NFC", seen)
    trimmed = _ENDS.sub("", text)
    if len(trimmed.encode()) > _LONGEST:
        problems.append(NameProblem("long", f"the name has {len(trimmed.encode())} bytes; cut to {_LONGEST}"))
    while len(trimmed.encode()) > _LONGEST:
        trimmed = _ENDS.sub("", trimmed[:-1])
    if _RESERVED.fullmatch(trimmed):
        problems.append(NameProblem("reserved", f"Windows keeps {trimmed} for itself; became _{trimmed}"))
    if not trimmed:
        problems.append(NameProblem("empty", "nothing is left of the name; it became _"))
    if not trimmed or _RESERVED.fullmatch(trimmed):
        trimmed = f"_{trimmed}"
    return trimmed, problems
