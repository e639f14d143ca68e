"""Answers: the core's own models straight to JSON, as they are valid already; and files to keep."""

import re
from typing import TypeVar
from urllib.parse import quote

from django.http import HttpResponse
from django.http.response import HttpResponseBase
from pydantic import BaseModel

_UNSAFE = re.compile(r'[\x00-\x1f\x7f"\\/:*?<>|]+')

R = TypeVar("R", bound=HttpResponseBase)


def answer(found: BaseModel) -> HttpResponse:
    return HttpResponse(
        found.__pydantic_serializer__.to_json(found), content_type="application/json"
    )


def safe_name(name: str) -> str:
    """A name that every file system takes, and that no header can be broken with."""
    found = _UNSAFE.sub(" ", name).strip(" .")
    return " ".join(found.split())[:120] or "fonodrome"


def named(response: R, name: str) -> R:
    """Have it kept under a name, in plain letters and as it is."""
    name = safe_name(name)
    plain = name.encode("ascii", "replace").decode().replace("?", "_")
    response["Content-Disposition"] = (
        f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name, safe='')}"
    )
    return response


def download(text: str, name: str, kind: str) -> HttpResponse:
    """Text as a file to keep. kind: its media type."""
    return named(HttpResponse(text, content_type=f"{kind}; charset=utf-8"), name)
