"""Numbers of a database as marks of a file, and back, wherever they stand in a document."""

import re
from collections.abc import Callable, Mapping
from typing import Any

HEAD = "urn:fonodrome:"
_ID = re.compile(r"[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}")
_MARK = re.compile(re.escape(HEAD) + r"([a-z]+-\d+)")


def mark(sort: str, number: int) -> str:
    """'urn:fonodrome:clip-001'."""
    return f"{HEAD}{sort}-{number:03d}"


def _through(value: Any, change: Callable[[str], str]) -> Any:
    if isinstance(value, str):
        return change(value)
    if isinstance(value, Mapping):
        return {change(key): _through(v, change) for key, v in value.items()}
    return [_through(v, change) for v in value] if isinstance(value, list) else value


class Marking:
    """Known ids by their marks. Others get marks of their own in the order in which they are met."""

    def __init__(self) -> None:
        self.known: dict[str, str] = {}
        self.gone = 0

    def give(self, id: str, sort: str, number: int) -> str:
        self.known[id] = mark(sort, number)
        return self.known[id]

    def _one(self, found: re.Match[str]) -> str:
        id = found[0]
        if id not in self.known:
            self.gone += 1
            self.known[id] = mark("gone", self.gone)
        return self.known[id]

    def marked(self, value: Any) -> Any:
        """The value with marks for ids. What already reads like a mark is told apart from one."""
        return _through(
            value, lambda text: _ID.sub(self._one, text.replace(HEAD, f"{HEAD}%"))
        )  # fmt: skip


def unmarked(value: Any, id_of: Callable[[str], str]) -> Any:
    """The value with ids for marks: the inverse. id_of: of 'clip-001'."""
    return _through(
        value, lambda text: _MARK.sub(lambda m: id_of(m[1]), text).replace(f"{HEAD}%", HEAD)
    )
