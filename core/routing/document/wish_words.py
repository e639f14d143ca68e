"""A wish in words, written and read: 'should level of echo against hall about -6 dB within 1 dB'.

[must | should] WORDS [of PART, PART] [against PART or VARIANT] [in phrases | in gaps] [at OUTPUT]
[by WHEN] [from LOW to HIGH Hz]
(under | over | about) FIGURE UNIT [within FIGURE UNIT]
"""

import re
from collections.abc import Callable
from typing import Any

from core.routing.document.wishes import WISHES, Wish

_ID = re.compile(r"[A-Za-z][\w-]*+")
_BOUND = re.compile(r"(?<!\S)(under|over|about)(?!\S)")
# No two slots begin alike, and none gives back what it took.
_SLOT = re.compile(r"(of|against|at|by|from|in)(?!\S)\s*+")
_BY_WORDS = sorted(WISHES, key=lambda kind: -len(WISHES[kind].words))
_READS = "a wish reads: wish must tail at entries under -20 dB."
_SCALES = {("ms", "s"): 1000.0, ("dBFS", "dB"): 1.0}

Number = Callable[[str], tuple[float, str]]


def wish_words(wish: Wish, word: Callable[[str], str], number: Callable[[float], str]) -> str:
    """As it stands behind 'wish'. word: quoted where needed; number: the shortest that reads the same."""
    spec = wish.spec
    said = ["must" if wish.must else "should", spec.words]
    if wish.parts:
        said.append("of " + ", ".join(wish.parts))
    if wish.kind == "balance":
        # It shares its words with the level at a place.
        said.append(f"against {wish.against or 'dry'}")
    if wish.variant:
        said.append(f"against {wish.variant}")
    if wish.during:
        said.append(f"in {wish.during}")
    if wish.output:
        said.append(f"at {wish.output}")
    if wish.when:
        said.append(f"by {word(wish.when)}")
    if wish.low_hz is not None or wish.high_hz is not None:
        said.append(f"from {number(wish.low_hz or 1)} to {number(wish.high_hz or 96_000)} Hz")
    unit = spec.unit if spec.unit == ":1" else f" {spec.unit}"
    said.append(f"{wish.bound} {number(wish.value)}{unit}")
    if wish.within is not None:
        said.append(f"within {number(wish.within)}{unit}")
    return " ".join(said)


def read_wish(
    text: str, number: Number, string: Callable[[str], tuple[str | None, str]]
) -> dict[str, Any]:
    """Values of a wish. Raises ValueError with what is wrong, and what `number` and `string` raise."""
    found: dict[str, Any] = {}
    rest = text.strip()
    for said, must in (("must ", True), ("should ", False)):
        if rest.startswith(said):
            found["must"], rest = must, rest[len(said) :].strip()
            break
    kind = next((k for k in _BY_WORDS if _begins(rest, WISHES[k].words)), None)
    if kind is None:
        known = ", ".join(dict.fromkeys(spec.words for spec in WISHES.values()))
        raise ValueError(f"“{rest[:30]}” is nothing to wish for; there are: {known}.")
    rest = rest[len(WISHES[kind].words) :].strip()
    seen: set[str] = set()
    while (slot := _SLOT.match(rest)) is not None:
        if slot[1] in seen:
            raise ValueError(f"“{slot[1]}” stands twice in this wish.")
        seen.add(slot[1])
        rest = _slot(slot[1], rest[slot.end() :], found, number, string)
    if kind == "level" and "against" in found:
        kind = "balance"
    if kind == "null" and "against" in found:
        found["variant"] = str(found.pop("against")).upper()
    if found.get("against") == "dry":
        found["against"] = None
    bound = _BOUND.match(rest)
    if bound is None:
        raise ValueError(f"“{rest[:30]}” is not understood; {_READS}")
    found |= {"kind": kind, "bound": bound[1]}
    figure, _, within = rest[bound.end() :].partition(" within ")
    unit = WISHES[kind].unit
    found["value"] = _figure(figure, unit, number)
    if within:
        found["within"] = _figure(within, unit, number)
    return found


def _begins(text: str, words: str) -> bool:
    return text.startswith(words) and not text[len(words) : len(words) + 1].strip()


def _slot(
    slot: str, rest: str, found: dict[str, Any], number: Number,
    string: Callable[[str], tuple[str | None, str]],
) -> str:  # fmt: skip
    """Read what a slot holds into `found`; what follows it."""
    if slot == "by":
        shown, after = string(rest)
        if shown is None:
            shown, after = _until_bound(rest)
        found["when"] = shown
        return after
    if slot == "in":
        word = re.match(r"(phrases|gaps)(?!\S)\s*+", rest)
        if word is None:
            raise ValueError("a wish holds in phrases, or in gaps.")
        found["during"] = word[1]
        return rest[word.end() :]
    if slot == "from":
        band, after = _until_bound(rest)
        low, _, high = band.partition(" to ")
        if not high:
            raise ValueError("a band reads: from 100 to 2000 Hz.")
        found["low_hz"], found["high_hz"] = _hertz(low, number), _hertz(high, number)
        return after
    names = []
    while True:
        part = _ID.match(rest)
        if part is None:
            raise ValueError(f"“{slot}” names a part of the rig, not “{rest[:20]}”.")
        names.append(part[0].replace("-", "_").lower())
        rest = rest[part.end() :].lstrip()
        if slot != "of" or not rest.startswith(","):
            break
        rest = rest[1:].lstrip()
    if slot == "of":
        found["parts"] = tuple(names)
    else:
        found["against" if slot == "against" else "output"] = names[0]
    return rest


def _until_bound(text: str) -> tuple[str, str]:
    end = next(
        (m.start() for m in re.finditer(r"(?<!\S)(?:under|over|about|from|at|in)(?!\S)", text)),
        len(text),
    )
    return text[:end].strip(), text[end:]


def _hertz(text: str, number: Number) -> float:
    value, unit = number(text.strip())
    if unit not in ("", "Hz", "kHz", "k"):
        raise ValueError(f"a band is in Hz, not “{unit}”.")
    return value * (1000.0 if unit in ("kHz", "k") else 1.0)


def _figure(text: str, unit: str, number: Number) -> float:
    value, said = number(text.strip())
    if said and said != unit and (unit, said) not in _SCALES:
        raise ValueError(f"this wish is in {unit}, not “{said}”.")
    return value * _SCALES.get((unit, said), 1.0)
