"""Passkeys (W3C Web Authentication, level 3): a device of somebody's shows who they are by signing what was just made
up. It asks for a finger, a face or a PIN itself, so that one stands in for password and second factor."""

import hashlib
import json
from typing import NamedTuple

from sqlalchemy import delete, select
from sqlalchemy.orm import Session
from webauthn import (
    generate_authentication_options,
    generate_registration_options,
    options_to_json,
    verify_authentication_response,
    verify_registration_response,
)
from webauthn.helpers import base64url_to_bytes, parse_authentication_credential_json, parse_client_data_json
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import (
    AuthenticatorSelectionCriteria,
    PublicKeyCredentialDescriptor,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from zero_easel.core.standard.naming import plain
from zero_easel.library.store.models import now
from zero_easel.library.store.people import Passkey, Person

ISSUER = "Zero Easel"
MOST = 20
"""Passkeys of one person."""
_LONGEST = 20_000


class PasskeyError(ValueError):
    """A passkey that cannot be added or is not taken, with the reason in a sentence."""


class Site(NamedTuple):
    """The application as browsers know it. host: name without port, which passkeys are bound to. origin: with scheme
    and port."""

    host: str
    origin: str


class Offer(NamedTuple):
    """What a device is asked. text: JSON, as browsers read it. challenge: what it has to sign."""

    text: str
    challenge: bytes


def passkeys_of(session: Session, person: Person) -> list[Passkey]:
    """Somebody's passkeys, the newest first."""
    query = select(Passkey).where(Passkey.person_id == person.id)
    return list(session.scalars(query.order_by(Passkey.id.desc())))


def offer_to_add(session: Session, person: Person, site: Site) -> Offer:
    """What a device is asked so that it makes a passkey, unless it holds one of that person already. Raises
    PasskeyError if there are too many."""
    known = passkeys_of(session, person)
    if len(known) >= MOST:
        raise PasskeyError(f"{MOST} passkeys are enough; remove one first.")
    options = generate_registration_options(
        rp_id=site.host,
        rp_name=ISSUER,
        user_name=person.name,
        user_id=hashlib.sha256(f"{person.id} {person.made}".encode()).digest(),
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.REQUIRED, user_verification=UserVerificationRequirement.REQUIRED
        ),
        exclude_credentials=[PublicKeyCredentialDescriptor(id=one.credential) for one in known],
    )
    return Offer(options_to_json(options), options.challenge)


def add(session: Session, person: Person, site: Site, challenge: bytes, answer: str, name: str) -> Passkey:
    """Keep the passkey that a device has made. Raises PasskeyError."""
    try:
        made = verify_registration_response(
            credential=answer[:_LONGEST],
            expected_challenge=challenge,
            expected_rp_id=site.host,
            expected_origin=site.origin,
            require_user_verification=True,
        )
    except WebAuthnException as error:
        raise PasskeyError("This passkey was not made as it should be; try once more.") from error
    if session.scalar(select(Passkey.id).where(Passkey.credential == made.credential_id)) is not None:
        raise PasskeyError("This passkey is known already.")
    row = Passkey(
        person_id=person.id,
        credential=made.credential_id,
        public_key=made.credential_public_key,
        count=made.sign_count,
        name=plain(name)[:60] or "a device",
    )
    session.add(row)
    session.flush()
    return row


def offer_to_sign_in(site: Site) -> Offer:
    """What a device is asked so that it shows whose it is; nobody is named, so that no name is told by it."""
    options = generate_authentication_options(rp_id=site.host, user_verification=UserVerificationRequirement.REQUIRED)
    return Offer(options_to_json(options), options.challenge)


def challenge_in(answer: str) -> bytes:
    """What a device says that it has signed, b"" if it cannot be read."""
    try:
        told = json.loads(answer[:_LONGEST])["response"]["clientDataJSON"]
        return parse_client_data_json(base64url_to_bytes(told)).challenge
    except (WebAuthnException, ValueError, LookupError, TypeError, AttributeError):
        return b""


def shown_by(session: Session, site: Site, challenge: bytes, answer: str) -> Person:
    """Whose passkey has signed a challenge. Raises PasskeyError; what is unknown and what is wrong are not told
    apart."""
    refused = PasskeyError("This passkey is not known here.")
    try:
        credential = parse_authentication_credential_json(answer[:_LONGEST])
        row = session.scalar(select(Passkey).where(Passkey.credential == credential.raw_id))
        if row is None or not row.person.active:
            raise refused
        verified = verify_authentication_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=site.host,
            expected_origin=site.origin,
            credential_public_key=row.public_key,
            credential_current_sign_count=row.count,
            require_user_verification=True,
        )
    except WebAuthnException as error:
        raise refused from error
    row.count, row.used = verified.new_sign_count, now()
    session.flush()
    return row.person


def remove(session: Session, person: Person, passkey_id: int | None = None) -> None:
    """Take one of somebody's passkeys no more, or all of them."""
    query = delete(Passkey).where(Passkey.person_id == person.id)
    session.execute(query if passkey_id is None else query.where(Passkey.id == passkey_id))
