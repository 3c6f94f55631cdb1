"""A wire that is cut now and then: between a client and a real server."""

import random
import socket
import threading
from contextlib import suppress


class CutWire:
    """Passes connections on to a port of this machine, and cuts so many of them somewhere on the way."""

    def __init__(self, port: int, cuts: int, seed: int, most: int) -> None:
        """most: bytes from clients between two cuts at most."""
        self._port, self._most = port, most
        self.cuts, self._wanted = 0, cuts
        self._chance, self._lock = random.Random(seed), threading.Lock()
        self._left = self._chance.randrange(1, most)
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.port = int(self._listener.getsockname()[1])
        threading.Thread(target=self._listen, daemon=True).start()

    def close(self) -> None:
        self._listener.close()

    def _listen(self) -> None:
        while True:
            try:
                client, _ = self._listener.accept()
            except OSError:
                return
            try:
                server = socket.create_connection(("127.0.0.1", self._port))
            except OSError:
                client.close()
                continue
            threading.Thread(target=self._pass, args=(client, server, True), daemon=True).start()
            threading.Thread(target=self._pass, args=(server, client, False), daemon=True).start()

    def _pass(self, source: socket.socket, target: socket.socket, cuts: bool) -> None:
        with suppress(OSError):
            while data := source.recv(16_384):
                allowed = self._allowed(len(data)) if cuts else len(data)
                target.sendall(data[:allowed])
                if allowed < len(data):
                    break
        for one in (source, target):
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
            one.close()

    def _allowed(self, count: int) -> int:
        """How many of so many bytes get through before the wire is cut; all of them, as a rule."""
        with self._lock:
            if self.cuts == self._wanted:
                return count
            allowed = min(count, self._left)
            self._left -= count
            if self._left < 0:
                self.cuts += 1
                self._left = self._chance.randrange(1, self._most)
                return min(allowed, count - 1)
            return count
