"""Thousands of photos with bytes changed, sent to the running application as a stranger would send them, by its page.

    python bench/strangers.py [--count 20000] [--write docs/reliability.md]

Says whether the server stayed up, how long its pages took meanwhile, how much memory it and each of its processes took,
and whether each file was accounted for in plain words.
"""

import argparse
import json
import random
import statistics
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import httpx
from hostile import _PYTHON, mutated

MARK = "<!-- strangers -->"
_AT_ONCE, _SENDERS = 20, 2
_PAGES = ("/", "/shoots/1/bring-in", "/shoots/1/match", "/runs", "/status")


def main() -> None:
    """Send, look, print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--count", type=int, default=20_000)
    parser.add_argument("--write", type=Path)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        text = report(Path(folder), args.count)
    print(text)
    if args.write:
        before, _, rest = args.write.read_text().partition(MARK)
        args.write.write_text(f"{before}{MARK}\n{text}\n{MARK}{rest.partition(MARK)[2]}")


def report(folder: Path, count: int) -> str:
    """What came of it, as a table."""
    sys.path.append(str(Path(__file__).parents[1] / "tests"))
    from support import Server

    server = Server(folder)
    watch = Watch(server.address, server.process.pid)
    httpx.post(f"{server.address}/shoots", data={"name": "Strangers"}, timeout=60)
    begun = time.monotonic()
    try:
        told, slowest = send_all(server.address, count)
    finally:
        watch.stop()
    seconds = time.monotonic() - begun
    alive = server.process.poll() is None
    photos = httpx.get(f"{server.address}/shoots/1/bring-in", timeout=240).status_code == 200
    server.kill()
    states = Counter("taken" if ok else "refused, with the reason" for ok, _ in told)
    odd = [said for ok, said in told if (not ok and not said) or _PYTHON.search(said)]
    rows = [
        ("photos sent", f"{len(told):,}, {len(told) / seconds:.0f} a second"),
        *((what, f"{number:,}") for what, number in states.most_common()),
        ("not accounted for, or not in plain words", f"{len(odd)}{': ' + odd[0] if odd else ''}"),
        ("server up at the end, its pages there", "yes" if alive and photos else "NO"),
        ("slowest answer to one file", f"{slowest:.1f} s"),
        *((f"page {page}, median and slowest of {len(times)}", f"{statistics.median(times):.2f} s, {max(times):.2f} s")
          for page, times in watch.times.items()),
        ("most memory of the server", f"{watch.server_mb:.0f} MB"),
        ("most memory of one of its processes", f"{watch.other_mb:.0f} MB"),
    ]  # fmt: skip
    return "| | |\n|---|---|\n" + "\n".join(f"| {what} | {said} |" for what, said in rows)


def send_all(address: str, count: int) -> tuple[list[tuple[bool, str]], float]:
    """Send files, some at a time, from two at once; returns what was said of each, and the longest time of one."""
    told: list[tuple[bool, str]] = []
    slowest, lock, source = 0.0, threading.Lock(), batches(count)

    def send() -> None:
        nonlocal slowest
        with httpx.Client(base_url=address, timeout=600) as client:
            while True:
                with lock:
                    batch = next(source, None)
                if batch is None:
                    return
                files = [("files", one) for one in batch]
                headers, last = {"Accept": "application/x-ndjson"}, time.monotonic()
                with client.stream("POST", "/shoots/1/files", files=files, headers=headers) as answer:
                    for line in answer.iter_lines():
                        one, moment = json.loads(line), time.monotonic()
                        with lock:
                            told.append((one["ok"], one["message"]))
                            slowest = max(slowest, moment - last)
                        last = moment

    senders = [threading.Thread(target=send) for _ in range(_SENDERS)]
    for sender in senders:
        sender.start()
    for sender in senders:
        sender.join()
    return told, slowest


def batches(count: int) -> Iterator[list[tuple[str, bytes]]]:
    """Changed photos, in no order, some at a time."""
    kinds = 15
    found = list(mutated(-(-count // kinds), (320, 240)))
    random.Random(3).shuffle(found)
    for start in range(0, count, _AT_ONCE):
        yield found[start : min(count, start + _AT_ONCE)]


class Watch:
    """Looks at pages and at memory, again and again, until it is stopped."""

    def __init__(self, address: str, pid: int) -> None:
        self._address, self._pid, self._stopped = address, pid, threading.Event()
        self.times: dict[str, list[float]] = {page: [] for page in _PAGES}
        self.server_mb = self.other_mb = 0.0
        self._threads = [threading.Thread(target=one, daemon=True) for one in (self._pages, self._memory)]
        for thread in self._threads:
            thread.start()

    def stop(self) -> None:
        """End."""
        self._stopped.set()
        for thread in self._threads:
            thread.join()

    def _pages(self) -> None:
        with httpx.Client(base_url=self._address, timeout=240) as client:
            while not self._stopped.wait(0.5):
                for page in _PAGES:
                    begun = time.monotonic()
                    client.get(page, headers={"Accept": "text/html"})
                    self.times[page].append(time.monotonic() - begun)

    def _memory(self) -> None:
        while not self._stopped.wait(0.2):
            for process, parent in processes():
                size = resident_mb(process)
                if process == self._pid:
                    self.server_mb = max(self.server_mb, size)
                elif parent != 1:
                    self.other_mb = max(self.other_mb, size) if is_below(process, self._pid) else self.other_mb


def processes() -> Iterator[tuple[int, int]]:
    """All processes with their parents."""
    for folder in Path("/proc").iterdir():
        if folder.name.isdecimal():
            try:
                yield int(folder.name), int((folder / "stat").read_text().rpartition(")")[2].split()[1])
            except OSError:
                continue


def is_below(process: int, top: int) -> bool:
    """Whether a process was started by another one, or by one that was."""
    parents = dict(processes())
    while process in parents:
        process = parents[process]
        if process == top:
            return True
    return False


def resident_mb(process: int) -> float:
    """Megabytes of memory that a process has."""
    try:
        return int(Path(f"/proc/{process}/statm").read_text().split()[1]) * 4096 / 1e6
    except OSError:
        return 0.0


if __name__ == "__main__":
    main()
