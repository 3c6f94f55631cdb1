"""Being reached from elsewhere: only with an owner, encrypted, under a known name; proxies are believed by name."""

import os
import shutil
import ssl
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

import httpx
import pytest
from clusters import free_port
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from people import PASSWORD, add_people
from support import new_library, zero_easel, zero_easel_command

from zero_easel.library.store.people import Role


@pytest.fixture
def data(tmp_path: Path) -> Path:
    new_library(tmp_path / "data/zero-easel.sqlite").close()
    return tmp_path / "data"


@pytest.fixture
def certificate(tmp_path: Path) -> tuple[Path, Path]:
    """A certificate of this machine for itself, and its key."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "easel.example")])
    names = [x509.DNSName("easel.example"), x509.IPAddress(ip_address("127.0.0.1"))]
    moment = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(moment)
        .not_valid_after(moment + timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName(names), critical=False)
        .sign(key, hashes.SHA256())
    )
    pem, secret = tmp_path / "easel.pem", tmp_path / "easel.key"
    pem.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    secret.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return pem, secret


def refused(data: Path, *arguments: str | Path, **environment: str) -> str:
    """What is said when it does not start; exit status 2."""
    command = zero_easel_command("serve", "--data", data, "--port", str(free_port()), *arguments)
    done = subprocess.run(
        command, capture_output=True, text=True, env={**os.environ, **environment}, timeout=600, check=False
    )
    assert done.returncode == 2, done.stdout + done.stderr
    return done.stderr


@contextmanager
def serving(data: Path, *arguments: str | Path, **environment: str) -> Iterator[str]:
    """The application, as long as it is wanted; its address."""
    port = str(free_port())
    command = zero_easel_command("serve", "--data", data, "--port", port, *arguments)
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={**os.environ, **environment})
    try:
        assert process.stdout is not None
        said = process.stdout.readline()
        assert "Zero Easel is at " in said, said
        yield said.split("Zero Easel is at ")[1].split()[0]
    finally:
        process.kill()
        process.wait()


def test_it_is_not_reached_from_elsewhere_as_it_stands(data: Path, certificate: tuple[Path, Path]) -> None:
    pem, key = certificate
    assert "zero-easel owner NAME" in refused(data, "--listen", "0.0.0.0")
    add_people(data, Vito=Role.VIEWER)
    assert "zero-easel owner NAME" in refused(data, "--listen", "0.0.0.0")
    add_people(data, Ida=Role.OWNER)
    assert "for everybody to read" in refused(data, "--listen", "0.0.0.0")
    assert "ZERO_EASEL_HOSTS" in refused(data, "--listen", "0.0.0.0", "--certificate", pem, "--key", key)
    assert "is not there" in refused(data, "--certificate", data / "nothing.pem")
    assert "--certificate" in refused(data, "--key", key)


def test_with_a_certificate_cookies_are_for_encrypted_lines_alone(data: Path, certificate: tuple[Path, Path]) -> None:
    add_people(data, Ida=Role.OWNER)
    pem, key = certificate
    more = ("--listen", "0.0.0.0", "--certificate", pem, "--key", key)
    with serving(data, *more, ZERO_EASEL_HOSTS="easel.example") as address:
        port = address.rpartition(":")[2]
        trusted = ssl.create_default_context(cafile=str(pem))
        with httpx.Client(base_url=f"https://127.0.0.1:{port}", verify=trusted, timeout=240) as client:
            headers = {"Host": "easel.example"}
            answer = client.post("/sign-in", data={"name": "Ida", "password": PASSWORD}, headers=headers)
            cookie = answer.headers["set-cookie"]
            assert answer.status_code == 303 and cookie.startswith("__Host-zero-easel=") and "Secure" in cookie
            assert "max-age" in answer.headers["strict-transport-security"] and "server" not in answer.headers
            shown = {**headers, "Cookie": cookie.split(";")[0]}
            assert client.get("/status", headers=shown).status_code == 200
            assert client.get("/status", headers={**shown, "Host": "attacker.example"}).status_code == 400
            # What is said of where it comes from is nobody's word that is trusted.
            client.cookies.clear()
            for header in ({"X-Forwarded-For": "9.9.9.9"}, {"Forwarded": "for=9.9.9.9"}):
                assert client.get("/status", headers={**headers, **header}).status_code == 401


def test_a_proxy_is_believed_where_it_is_named(data: Path) -> None:
    add_people(data, Ida=Role.OWNER)
    sent = {"Host": "easel.example", "X-Forwarded-Proto": "https", "X-Forwarded-For": "203.0.113.7"}
    body = {"name": "Ida", "password": PASSWORD}
    more = {"ZERO_EASEL_HOSTS": "easel.example"}
    with serving(data, "--listen", "0.0.0.0", ZERO_EASEL_PROXIES="127.0.0.1", **more) as address:
        here = address.replace("0.0.0.0", "127.0.0.1")
        cookie = httpx.post(f"{here}/sign-in", data=body, headers=sent, timeout=240).headers["set-cookie"]
        assert cookie.startswith("__Host-") and "Secure" in cookie
        sent["Cookie"] = cookie.split(";")[0]
        assert "203.0.113.7" in httpx.get(f"{here}/account", headers=sent, timeout=240).text
    with serving(data, **more) as address:
        del sent["Cookie"]
        cookie = httpx.post(f"{address}/sign-in", data=body, headers=sent, timeout=240).headers["set-cookie"]
        assert not cookie.startswith("__Host-")
        sent["Cookie"] = cookie.split(";")[0]
        # Where the first was signed in is told still; this one is of this machine.
        told = httpx.get(f"{address}/account", headers=sent, timeout=240).text
        assert told.count("203.0.113.7") == 1 and ">127.0.0.1<" in told


def test_an_owner_is_made_on_the_machine(data: Path) -> None:
    link = zero_easel("owner", "Ida", "--link", "--data", data)
    assert link.returncode == 0 and link.stdout.startswith("/invitation/")
    typed = subprocess.run(
        zero_easel_command("owner", "Ida", "--data", data),
        input="short\n", capture_output=True, text=True, check=False, timeout=600,
    )  # fmt: skip
    assert typed.returncode == 2 and "at least 12" in typed.stderr
    typed = subprocess.run(
        zero_easel_command("owner", "Ida", "--data", data),
        input=f"{PASSWORD}\n", capture_output=True, text=True, check=False, timeout=600,
    )  # fmt: skip
    assert typed.returncode == 0 and "Ida is an owner" in typed.stdout
    assert shutil.which("zero-easel") is None or PASSWORD not in typed.stdout
