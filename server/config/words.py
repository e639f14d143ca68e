"""Words that people write."""

import re
from collections.abc import Sequence

_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")


def printable(text: str) -> str:
    """The text itself. Raises ValueError where it holds what is no letter, line end or tab."""
    if _CONTROL.search(text):
        raise ValueError("Write it in letters, without control characters.")
    return text


def some_of(names: Sequence[str], most: int = 3) -> str:
    """“a”, “b” and 3 more."""
    more = len(names) - most
    return ", ".join(f"“{n}”" for n in names[:most]) + (f" and {more} more" if more > 0 else "")
