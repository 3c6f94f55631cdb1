"""A wire that is cut now and then: between a client and a real server."""

import random
import socket
import threading
from contextlib import suppress


class CutWire:
    """Passes connections on to a port of this machine, and cuts so many of them somewhere on the way."""

    def __init__(self, port: int, cuts: int, seed: int, most: int) -> None:
        """most: bytes from a client after which a connection is cut at the latest."""
        self._port, self._most = port, most
        self.cuts, self._left = 0, cuts
        self._chance, self._lock = random.Random(seed), threading.Lock()
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
            with self._lock:
                allowed = self._chance.randrange(1, self._most) if self._left > 0 else None
                self._left -= allowed is not None
            threading.Thread(target=self._pass, args=(client, server, allowed), daemon=True).start()
            threading.Thread(target=self._pass, args=(server, client, None), daemon=True).start()

    def _pass(self, source: socket.socket, target: socket.socket, allowed: int | None) -> None:
        with suppress(OSError):
            while data := source.recv(16_384):
                if allowed is not None and len(data) >= allowed:
                    target.sendall(data[:allowed])
                    with self._lock:
                        self.cuts += 1
                    break
                target.sendall(data)
                allowed = None if allowed is None else allowed - len(data)
        for one in (source, target):
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
            one.close()
