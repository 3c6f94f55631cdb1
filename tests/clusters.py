"""Schedulers, workers and object storage as processes of their own."""

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Mapping
from pathlib import Path

from support import until

from zero_easel.engines.cluster import Cluster

BIN = Path(sys.executable).parent


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Machine:
    """A program that may be killed and started again. command: holds PORT where its port goes."""

    def __init__(self, command: list[str], environment: Mapping[str, str] | None = None) -> None:
        self.port = free_port()
        self.address = f"tcp://127.0.0.1:{self.port}"
        self._command = [word.replace("PORT", str(self.port)) for word in command]
        # Pieces of work may be functions of tests.
        path = os.pathsep.join([str(Path(__file__).parent), os.environ.get("PYTHONPATH", "")])
        self._environment = {**os.environ, "PYTHONPATH": path, **(environment or {})}
        self.start()

    @property
    def ended(self) -> bool:
        return self._process.poll() is not None

    @property
    def pid(self) -> int:
        return self._process.pid

    def start(self) -> None:
        self._process = subprocess.Popen(
            self._command, env=self._environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )

    def kill(self) -> None:
        self._process.kill()
        self._process.wait()

    def end(self) -> None:
        if not self.ended:
            self._process.send_signal(signal.SIGTERM)
            try:
                self._process.wait(20)
            except subprocess.TimeoutExpired:
                self.kill()


def new_scheduler() -> Machine:
    options = ["--host", "127.0.0.1", "--port", "PORT", "--no-dashboard"]
    return Machine([str(BIN / "dask"), "scheduler", *options])


def new_worker(scheduler: str, environment: Mapping[str, str] | None = None) -> Machine:
    return Machine([str(BIN / "zero-easel"), "worker", scheduler, "--jobs", "1"], environment)


def new_storage() -> tuple[Machine, dict[str, str]]:
    """An S3 server with the bucket "brindle", and the environment by which it is found."""
    machine = Machine([str(BIN / "moto_server"), "-H", "127.0.0.1", "-p", "PORT"])
    url = f"http://127.0.0.1:{machine.port}"
    until(lambda: answers(f"{url}/moto-api/"))
    request = urllib.request.Request(
        f"{url}/brindle",
        method="PUT",
        headers={"Authorization": "AWS4-HMAC-SHA256 Credential=x/20260101/us-east-1/s3/aws4_request"},
    )
    urllib.request.urlopen(request)
    environment = {
        "AWS_ACCESS_KEY_ID": "made-up",
        "AWS_SECRET_ACCESS_KEY": "made-up",
        "AWS_DEFAULT_REGION": "us-east-1",
        "AWS_ENDPOINT_URL": url,
    }
    return machine, environment


def answers(url: str) -> bool:
    """Whether something answers at an address."""
    try:
        urllib.request.urlopen(url)
        return True
    except OSError:
        return False


def slowly(number: int) -> int:
    """A piece of work."""
    time.sleep(0.2)
    return 2 * number


def joined(cluster: Cluster, count: int) -> None:
    """Wait until so many workers are there. The scheduler may still be starting."""
    end = time.monotonic() + 240
    while time.monotonic() < end:
        try:
            cluster.submit(os.getpid)
            break
        except OSError:
            time.sleep(0.2)
    until(lambda: bool(cluster.results(0.2)))
    until(lambda: cluster.capacity == count)
