"""A shop that takes pictures over HTTP and says whether it will have them.

PUT {address}/products/{code}/pictures/{path}, the file as body, Repr-Digest as in RFC 9530, a token as in RFC 6750.
201 or 200: accepted. 422: rejected, with the reasons as problem details (RFC 9457): `reasons`, each with a `text`, and
perhaps with the `rule` and `value` of a check that would have caught it. All else is tried again.
"""

import base64
from typing import Any
from urllib.parse import quote

import httpx

from zero_easel.core.standard.checks import KINDS
from zero_easel.doors.out.places import SECONDS, Access, Parcel, RejectedError

_WORDS = 300


class ShopError(Exception):
    """A shop that gives no answer of use at the moment, as a phrase. seconds: after which it asks to be tried again."""

    def __init__(self, said: str, seconds: float = 0.0) -> None:
        super().__init__(said)
        self.seconds = seconds


class ShopPlace:
    """A HandOverPlace. access: its secret is the token."""

    fingerprint = ""

    def __init__(self, access: Access) -> None:
        headers = {"Authorization": f"Bearer {access.secret}"} if access.secret else {}
        self._client = httpx.Client(base_url=access.address, headers=headers, timeout=SECONDS, follow_redirects=False)

    def put(self, parcel: Parcel) -> bool:
        """See HandOverPlace."""
        if not parcel.code:
            raise RejectedError("The shop takes pictures of products, and it is not known what this one shows.")
        digest = base64.b64encode(bytes.fromhex(parcel.sha256)).decode()
        path = f"/products/{quote(parcel.code, safe='')}/pictures/{quote(parcel.path)}"
        headers = {"Content-Type": parcel.mime, "Repr-Digest": f"sha-256=:{digest}:", "View": quote(parcel.view)}
        answer = self._client.put(path, content=parcel.source.read_bytes(), headers=headers)
        if answer.status_code in (200, 201, 204):
            return True
        if answer.status_code == 422:
            raise _rejected(answer)
        if answer.status_code in (401, 403):
            raise ShopError("it does not accept the token")
        raise ShopError(f"it answered {answer.status_code} {answer.reason_phrase}", _pause(answer))

    def close(self) -> None:
        """See HandOverPlace."""
        self._client.close()


def _rejected(answer: httpx.Response) -> RejectedError:
    try:
        told: Any = answer.json()
        reasons = [one for one in told["reasons"] if isinstance(one, dict)]
        said = " ".join(str(one["text"])[:_WORDS] for one in reasons[:10]) or str(told.get("detail", ""))[:_WORDS]
        rules = tuple(
            (str(one["rule"]), str(one.get("value", ""))[:200]) for one in reasons if one.get("rule") in KINDS
        )
    except (ValueError, KeyError, TypeError):
        return RejectedError(answer.text[:_WORDS].strip() or "It was rejected without a word.")
    return RejectedError(said or "It was rejected without a word.", rules)


def _pause(answer: httpx.Response) -> float:
    """Seconds of a Retry-After header."""
    value = answer.headers.get("Retry-After", "")
    return min(3600.0, float(value)) if value.isdigit() else 0.0
