"""Tables as text: Markdown to read, CSV to go on with."""

import csv
import io
import re
from collections.abc import Iterable, Sequence

Row = Sequence[str | float | int | None]
_NUMBER = re.compile(r"[-+]?\d+(\.\d+)?([eE][-+]?\d+)?\Z")


def cell(text: str) -> str:
    """Text on one line that cannot end its cell."""
    return " ".join(text.replace("\\", "\\\\").replace("|", "\\|").split())


def markdown_table(head: Sequence[str], rows: Sequence[Sequence[str]]) -> list[str]:
    """Lines of a table, with an empty one behind it; none for no rows."""
    if not rows:
        return []
    return [
        "| " + " | ".join(cell(c) for c in head) + " |",
        "|" + " --- |" * len(head),
        *["| " + " | ".join(cell(c) for c in row) + " |" for row in rows],
        "",
    ]


def plain(value: str | float | int | None) -> str:
    """A CSV cell: numbers with a point and a true minus sign's ASCII form; text that a spreadsheet
    would take for a formula gets an apostrophe in front.

    >>> plain("=1+1"), plain(-2.5), plain("-2.5")
    ("'=1+1", '-2.5', '-2.5')
    """
    if value is None:
        return ""
    if not isinstance(value, str):
        return f"{value:.10g}"
    formula = value[:1] in ("=", "+", "-", "@", "\t", "\r") and not _NUMBER.match(value)
    return f"'{value}" if formula else value


def csv_text(blocks: Iterable[tuple[Sequence[str], Sequence[Row]]]) -> str:
    """Blocks of a head and rows, an empty line between them; blocks without rows are left out."""
    out = io.StringIO()
    write = csv.writer(out).writerow
    first = True
    for head, rows in blocks:
        if not rows:
            continue
        if not first:
            write([])
        first = False
        write([plain(h) for h in head])
        for row in rows:
            write([plain(value) for value in row])
    return out.getvalue()
