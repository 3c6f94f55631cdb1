"""Passwords and keys at rest: encrypted in the library with a key that lies outside of it."""

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from zero_easel.files import write_atomically

KEY = "secret.key"


class SealError(Exception):
    """What was sealed cannot be opened, as a sentence."""


class Seal:
    """Fernet (AES-128-CBC and HMAC-SHA256). data: folder whose file secret.key, readable by its owner alone, holds the
    key, unless one is given: 32 bytes as URL-safe base64."""

    def __init__(self, data: Path, key: str = "") -> None:
        self._data, self._given = data, key

    def close(self, secret: str) -> bytes:
        """Encrypted; b"" for nothing. Raises SealError if the key is none."""
        return self._fernet().encrypt(secret.encode()) if secret else b""

    def open(self, sealed: bytes) -> str:
        """What was sealed. Raises SealError if it was sealed with another key."""
        if not sealed:
            return ""
        try:
            return self._fernet().decrypt(sealed).decode()
        except InvalidToken as error:
            raise SealError("Its password was kept with another key; type it again.") from error

    def _fernet(self) -> Fernet:
        try:
            return Fernet(self._given or self._kept())
        except ValueError as error:
            raise SealError("ZERO_EASEL_KEY is no key: 32 bytes as URL-safe base64 are.") from error

    def _kept(self) -> bytes:
        path = self._data / KEY
        if not path.exists():
            write_atomically(path, Fernet.generate_key(), mode=0o600)
        if path.stat().st_mode & 0o077:
            os.chmod(path, 0o600)  # noqa: PTH101
        return path.read_bytes().strip()
