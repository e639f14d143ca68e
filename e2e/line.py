"""A line to the live server that can be cut: what a phone has in a cellar."""

import socket
import threading
from contextlib import suppress


class Line:
    """Listens on a port of its own and hands on to the server's; cut, it refuses."""

    def __init__(self, port: int) -> None:
        self._to = port
        self._listener: socket.socket | None = None
        self._pairs: set[socket.socket] = set()
        self._lock = threading.Lock()
        self.port = 0
        self.mend()

    def mend(self) -> None:
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listener.bind(("127.0.0.1", self.port))
        listener.listen(64)
        self.port = listener.getsockname()[1]
        self._listener = listener
        threading.Thread(target=self._take, args=(listener,), daemon=True).start()

    def cut(self) -> None:
        """What is under way breaks off, and nothing new is taken."""
        listener, self._listener = self._listener, None
        if listener is not None:
            with suppress(OSError):
                listener.shutdown(socket.SHUT_RDWR)
            listener.close()
        with self._lock:
            for one in self._pairs:
                with suppress(OSError):
                    one.shutdown(socket.SHUT_RDWR)

    def _take(self, listener: socket.socket) -> None:
        while True:
            try:
                near, _ = listener.accept()
            except OSError:
                return
            far = socket.create_connection(("127.0.0.1", self._to))
            with self._lock:
                self._pairs |= {near, far}
            for a, b in ((near, far), (far, near)):
                threading.Thread(target=self._hand_on, args=(a, b), daemon=True).start()

    def _hand_on(self, a: socket.socket, b: socket.socket) -> None:
        with suppress(OSError):
            while data := a.recv(65536):
                b.sendall(data)
        for one in (a, b):
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
        with self._lock:
            self._pairs -= {a}
        a.close()
