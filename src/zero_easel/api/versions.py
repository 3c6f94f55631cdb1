"""Which version of a thing somebody saw (ETag), and that nobody changes another than that (If-Match; RFC 9110, 13)."""

import hashlib
import re
from typing import Annotated

from fastapi import Depends, Header, Response
from pydantic import BaseModel

from zero_easel.api.problems import NAME_IT, Refusal

_TAG = re.compile(r'(?:W/)?"[^"]*"')


def etag_of(seen: BaseModel) -> str:
    """The version of a representation: a digest of it, so that what looks alike is alike."""
    return f'"{hashlib.sha256(seen.model_dump_json().encode()).hexdigest()[:32]}"'


class SeenVersion:
    """The version that a request to change something names by If-Match."""

    def __init__(self, named: str | None) -> None:
        self._named = named

    def must_be(self, seen: BaseModel) -> None:
        """Go on only if that is what it names. Raises Refusal: 428 if it names none, 412 if it is another by now."""
        if self._named is None:
            raise Refusal(428, NAME_IT)
        if self._named.strip() != "*" and etag_of(seen) not in _TAG.findall(self._named):
            raise Refusal(412, "Somebody has changed it since; read it again.", {"ETag": etag_of(seen)})


_NAMED = Header(description="The ETag of the version that was seen; * for any.", examples=["*"], max_length=2000)


def version_of(if_match: Annotated[str, _NAMED]) -> SeenVersion:
    """From the request's header, without which it is refused."""
    return SeenVersion(if_match)


def version_if_any(if_match: Annotated[str | None, _NAMED] = None) -> SeenVersion:
    """The same where it may be that nothing is there that could have been seen."""
    return SeenVersion(if_match)


Seen = Annotated[SeenVersion, Depends(version_of)]
SeenIfThere = Annotated[SeenVersion, Depends(version_if_any)]


def tagged(response: Response, seen: BaseModel) -> None:
    """Let an answer say which version it is."""
    response.headers["ETag"] = etag_of(seen)
