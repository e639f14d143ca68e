"""Words that people write."""

import re

_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")


def printable(text: str) -> str:
    """The text itself. Raises ValueError where it holds what is no letter, line end or tab."""
    if _CONTROL.search(text):
        raise ValueError("Write it in letters, without control characters.")
    return text
