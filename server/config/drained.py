"""What came with a request is read to its end, also where it was refused before: a connection that is closed on unread
bytes is torn down, and whoever still sends never sees the answer.
"""

from collections.abc import Callable, Iterable
from typing import Any

_PIECE = 1 << 16
_MOST = 40 << 20
"""As much as the front hands on, and a little more."""
Application = Callable[[dict[str, Any], Any], Iterable[bytes]]


def drained(application: Application) -> Application:
    """The same WSGI application; nothing of a body is left when it answers."""

    def asked(environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
        answer = application(environ, start_response)
        length = environ.get("CONTENT_LENGTH") or "0"
        left = min(int(length), _MOST) if length.isdigit() else 0
        source = environ["wsgi.input"]
        while left > 0 and (piece := source.read(min(_PIECE, left))):
            left -= len(piece)
        return answer

    return asked
