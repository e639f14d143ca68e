"""Files of which a part can be asked for."""

import re
from collections.abc import Iterator
from pathlib import Path

from django.http import FileResponse, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

_PIECE = 1 << 18


def ranged(request: HttpRequest, path: Path, kind: str, name: str) -> HttpResponseBase:
    """A file, or the one range of bytes that the request names (RFC 9110, section 14).

    Several ranges, or what is no range at all, get the whole file, as the rules allow.
    """
    size = path.stat().st_size
    asked = re.fullmatch(r"bytes=(\d{0,18})-(\d{0,18})", request.headers.get("Range", ""))
    if asked is None or asked.groups() == ("", ""):
        whole = FileResponse(path.open("rb"), content_type=kind, filename=name)
        whole["Accept-Ranges"] = "bytes"
        return whole
    first, last = asked.groups()
    if first == "":
        start, stop = max(0, size - int(last)), size
    else:
        start, stop = int(first), min(size, int(last) + 1 if last else size)
    if start >= size or stop <= start:
        refused = HttpResponse(status=416)
        refused["Content-Range"] = f"bytes */{size}"
        return refused

    def pieces() -> Iterator[bytes]:
        with path.open("rb") as stream:
            stream.seek(start)
            left = stop - start
            while left and (piece := stream.read(min(_PIECE, left))):
                left -= len(piece)
                yield piece

    part = StreamingHttpResponse(pieces(), status=206, content_type=kind)
    part["Content-Range"] = f"bytes {start}-{stop - 1}/{size}"
    part["Content-Length"] = str(stop - start)
    part["Accept-Ranges"] = "bytes"
    return part
