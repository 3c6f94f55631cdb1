"""Which version of a thing somebody saw (ETag), and that nobody changes another than that (If-Match; RFC 9110, 13)."""

import hashlib
import re
from typing import Annotated

from fastapi import Depends, Header, Response
from pydantic import BaseModel

from zero_easel.api.problems import Problem

_TAG = re.compile(r'(?:W/)?"[^"]*"')


def etag_of(seen: BaseModel) -> str:
    """The version of a representation: a digest of it, so that what looks alike is alike."""
    return f'"{hashlib.sha256(seen.model_dump_json().encode()).hexdigest()[:32]}"'


class Version:
    """The version that a request to change something names by If-Match."""

    def __init__(self, if_match: str | None) -> None:
        self._given = if_match

    def must_be(self, seen: BaseModel) -> None:
        """Go on only if that is what it names. Raises Problem: 428 if it names none, 412 if it is another by now."""
        if self._given is None:
            raise Problem(428, "Say which version you saw: If-Match with the ETag that came with it.")
        if self._given.strip() != "*" and etag_of(seen) not in _TAG.findall(self._given):
            raise Problem(412, "Somebody has changed it since; read it again.", {"ETag": etag_of(seen)})


def version_of(
    if_match: Annotated[
        str | None,
        Header(description="The ETag of the version that was seen; * for any.", examples=["*"], max_length=2000),
    ] = None,
) -> Version:
    """From the request's header."""
    return Version(if_match)


Seen = Annotated[Version, Depends(version_of)]


def tagged(response: Response, seen: BaseModel) -> None:
    """Let an answer say which version it is."""
    response.headers["ETag"] = etag_of(seen)
