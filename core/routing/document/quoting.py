"""Text in which quotes and brackets hold together what they enclose."""

from collections.abc import Iterator


def outside(text: str, quotes: bool = False) -> Iterator[tuple[int, str]]:
    """Letters that stand in no quotes, with their places; a quote that is escaped ends nothing. With
    `quotes`, those that open one too.
    """
    quoted = escaped = False
    for place, letter in enumerate(text):
        if quoted:
            if escaped:
                escaped = False
            elif letter == "\\":
                escaped = True
            elif letter == '"':
                quoted = False
        elif letter == '"':
            quoted = True
            if quotes:
                yield place, letter
        else:
            yield place, letter


def without_comment(line: str) -> str:
    return next((line[:place] for place, letter in outside(line) if letter == "#"), line)


def unquoted(line: str) -> str:
    """A line without its comment and without what stands in quotes, but for the opening ones."""
    kept = []
    for _, letter in outside(line, quotes=True):
        if letter == "#":
            break
        kept.append(letter)
    return "".join(kept)


def split_at(text: str, mark: str) -> list[str]:
    """Cut at a mark, but not inside quotes or brackets."""
    pieces, depth, start = [], 0, 0
    for place, letter in outside(text):
        if letter in "([":
            depth += 1
        elif letter in ")]":
            depth -= 1
        elif letter == mark and depth <= 0:
            pieces.append(text[start:place].strip())
            start = place + 1
    last = text[start:].strip()
    return [*pieces, last] if last or pieces and mark == ">" else pieces
