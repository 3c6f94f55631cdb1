"""What pictures are handed over to: a folder, SFTP, WebDAV, object storage. Never half a picture under its own name."""

import base64
import hashlib
from pathlib import Path
from typing import Any, NamedTuple, Protocol
from urllib.parse import unquote, urlsplit

from zero_easel.files import write_atomically
from zero_easel.library.store.doors import TargetKind

SECONDS = 30.0
"""For which a place may say nothing."""


class Parcel(NamedTuple):
    """A finished picture on its way. path: where it is to lie. mime: of its format."""

    path: str
    source: Path
    sha256: str
    mime: str
    code: str
    view: str


class Access(NamedTuple):
    """How to get to a place; see models.HandOverTarget. known: fingerprint of the host's key, "" before the first
    time."""

    kind: TargetKind
    address: str
    endpoint: str
    user: str
    secret: str
    known: str


class RejectedError(Exception):
    """The place will not have a picture, in its own words. rules: checks that would have caught it: (rule, value)."""

    def __init__(self, said: str, rules: tuple[tuple[str, str], ...] = ()) -> None:
        super().__init__(said)
        self.said, self.rules = said, rules


class HandOverPlace(Protocol):
    """put raises RejectedError, or whatever its client raises where it cannot be reached or breaks off: that is tried
    again. fingerprint: of the host's key, once it is known."""

    fingerprint: str

    def put(self, parcel: Parcel) -> bool:
        """Take a picture there, in the stead of what lies under its path; returns whether it said that it is good."""

    def close(self) -> None:
        """Let go of the connection."""


def place_at(access: Access) -> HandOverPlace:
    """The place of a target. Raises what its client raises if it cannot be reached."""
    if access.kind == TargetKind.FOLDER:
        return FolderPlace(Path(access.address))
    if access.kind == TargetKind.SHOP:
        from zero_easel.doors.out.shop import ShopPlace

        return ShopPlace(access)
    makers = {TargetKind.SFTP: _sftp, TargetKind.S3: _s3, TargetKind.WEBDAV: _webdav}
    return makers[access.kind](access)


class FolderPlace:
    """A folder of this machine; where it is not there nothing is written beside it."""

    fingerprint = ""

    def __init__(self, root: Path) -> None:
        self._root = root

    def put(self, parcel: Parcel) -> bool:
        """See HandOverPlace. Raises OSError."""
        if not self._root.is_dir():
            raise FileNotFoundError(2, "is not there", str(self._root))
        target = self._root / parcel.path
        if not target.resolve().is_relative_to(self._root.resolve()):
            raise RejectedError(f"{parcel.path} would lie outside of {self._root}.")
        target.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(target, parcel.source.read_bytes())
        return False

    def close(self) -> None:
        """See HandOverPlace."""


class RemotePlace:
    """A file system as fsspec has it. renames: a file gets its own name when it is whole; object storage shows none
    before anyway."""

    def __init__(self, system: Any, root: str, *, renames: bool, fingerprint: str = "") -> None:
        self._system, self._root, self._renames, self.fingerprint = system, root, renames, fingerprint
        self._made: set[str] = set()

    def put(self, parcel: Parcel) -> bool:
        """See HandOverPlace."""
        target = "/".join(part for part in (self._root, parcel.path) if part)
        folder, _, name = target.rpartition("/")
        if not self._renames:
            self._system.put_file(str(parcel.source), target)
            self._check(target, parcel)
            return False
        if folder and folder not in self._made:
            self._system.makedirs(folder, exist_ok=True)
            self._made.add(folder)
        # The same name at each try: what a connection that broke off left there goes with the next.
        part = f"{folder}/.part-{name}" if folder else f".part-{name}"
        try:
            self._system.put_file(str(parcel.source), part)
            self._check(part, parcel)
            self._system.mv(part, target)
        except BaseException:
            self._take_away(part)
            raise
        return False

    def close(self) -> None:
        """See HandOverPlace."""
        client: Any = getattr(self._system, "client", None)
        if hasattr(client, "close"):
            client.close()

    def _check(self, path: str, parcel: Parcel) -> None:
        self._system.invalidate_cache()
        there, here = int(self._system.info(path)["size"]), parcel.source.stat().st_size
        if there != here:
            raise OSError(f"{there:,} of {here:,} bytes arrived")

    def _take_away(self, part: str) -> None:
        try:
            self._system.rm_file(part)
        except Exception:
            # The connection is gone, as a rule; what is half there has a name of its own.
            return


def fingerprint_of(key: bytes) -> str:
    """Of a host's key, as OpenSSH shows it (RFC 4255 has the hash)."""
    return "SHA256:" + base64.b64encode(hashlib.sha256(key).digest()).decode().rstrip("=")


def _sftp(access: Access) -> HandOverPlace:
    import paramiko
    from fsspec.implementations.sftp import SFTPFileSystem

    seen: list[str] = []

    class Remember(paramiko.MissingHostKeyPolicy):
        """The first key that a host shows is its key; another one is another host."""

        def missing_host_key(self, _client: Any, hostname: str, key: Any) -> None:
            seen.append(fingerprint_of(key.asbytes()))
            if access.known and seen[-1] != access.known:
                raise paramiko.SSHException(
                    f"{hostname} shows another key ({seen[-1]}) than the first time ({access.known}): it may be "
                    "another machine. Keep the address anew if that is right"
                )

    class Careful(SFTPFileSystem):  # type: ignore[misc]
        """Connects to a host with that key alone, and waits for no answer for ever."""

        cachable = False

        def _connect(self) -> None:
            self.client = paramiko.SSHClient()
            self.client.set_missing_host_key_policy(Remember())
            self.client.connect(self.host, **self.ssh_kwargs)
            self.ftp = self.client.open_sftp()
            if (channel := self.ftp.get_channel()) is not None:
                channel.settimeout(SECONDS)

        def mv(self, old: str, new: str) -> None:
            """In the stead of what lies there, also where a server knows no other way than to take that away first."""
            try:
                self.ftp.posix_rename(old, new)
            except OSError:
                self.ftp.remove(new)
                self.ftp.rename(old, new)

    parts = urlsplit(access.address)
    system = Careful(
        parts.hostname,
        port=parts.port or 22,
        username=access.user or None,
        timeout=SECONDS,
        banner_timeout=SECONDS,
        auth_timeout=SECONDS,
        allow_agent=False,
        look_for_keys=not access.secret,
        **_key_or_password(access.secret),
    )
    return RemotePlace(system, unquote(parts.path).rstrip("/"), renames=True, fingerprint=seen[-1] if seen else "")


def _key_or_password(secret: str) -> dict[str, Any]:
    """A private key is told by its first line."""
    if not secret.lstrip().startswith("-----BEGIN"):
        return {"password": secret} if secret else {}
    from io import StringIO

    import paramiko

    for kind in (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey):
        try:
            return {"pkey": kind.from_private_key(StringIO(secret))}
        except paramiko.SSHException:
            continue
    raise paramiko.SSHException("the private key is of no kind that is known, or is locked by a passphrase")


def _s3(access: Access) -> HandOverPlace:
    import s3fs

    system = s3fs.S3FileSystem(
        key=access.user or None,
        secret=access.secret or None,
        endpoint_url=access.endpoint or None,
        config_kwargs={"connect_timeout": SECONDS, "read_timeout": SECONDS, "retries": {"max_attempts": 1}},
        use_listings_cache=False,
        skip_instance_cache=True,
    )
    parts = urlsplit(access.address)
    return RemotePlace(system, f"{parts.hostname}{unquote(parts.path).rstrip('/')}", renames=False)


def _webdav(access: Access) -> HandOverPlace:
    from webdav4.fsspec import WebdavFileSystem

    auth = (access.user, access.secret) if access.user else None
    system = WebdavFileSystem(access.address, auth=auth, timeout=SECONDS, skip_instance_cache=True)
    return RemotePlace(system, "", renames=True)
