"""Words as people say them, each with what else it is called."""

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache

MOST_TYPED, MOST_WORDS = 80, 6
_ACCENTS = re.compile("[\u0300-\u036f]")
"""Of Latin, Greek and Cyrillic letters; the signs of other scripts are letters of their words."""

_SAME: tuple[tuple[str, ...], ...] = (
    ("send", "aux"), ("return", "effects return"), ("bus", "submix", "group"),
    ("inverted", "polarity", "flip", "phase invert", "phase"), ("delay", "echo"),
    ("reverb", "verb", "ambience"), ("compressor", "comp", "compression", "squash"),
    ("equaliser", "equalizer", "eq", "tone"), ("drive", "overdrive", "distortion"),
    ("power amp", "amp", "amplifier"), ("cabinet", "cab", "speaker"), ("microphone", "mic", "mike"),
    ("source", "input", "instrument"), ("output", "main", "master"), ("fader", "channel"),
    ("null", "residual", "difference", "cancel"), ("latency", "late", "offset"),
    ("level", "gain", "volume"), ("tempo", "bpm", "speed"), ("decay", "rt60", "tail"),
    ("pre-delay", "predelay", "pre delay"), ("feedback", "repeats", "regeneration"),
    ("tremolo", "trem"), ("chorus", "vibrato"), ("ducker", "ducking", "sidechain", "side-chain"),
    ("split", "splitter", "y cable"), ("merge", "mixer", "sum"), ("scene", "preset", "program"),
    ("variant", "alternative", "a/b"), ("snapshot", "backup"), ("clip", "take", "recording", "stem"),
    ("loop", "feedback loop"), ("supply", "power", "current"), ("cable", "lead", "cord", "patch"),
    ("sheet", "recall", "print"),
)  # fmt: skip
"""Each row: words that mean the same thing here, the product's own first."""
_SORTS = {
    "reverb": ("hall", "plate", "room", "spring"),
    "delay": ("slap", "tape"),
    "drive": ("fuzz",),
}
"""A thing and sorts of it: each is found by the other, but no sort by another one."""


@lru_cache(maxsize=8192)
def plain(text: str) -> str:
    """Small letters without accents, one space between words."""
    bare = unicodedata.normalize("NFKD", text.casefold())
    return " ".join(_ACCENTS.sub("", bare).split())


def _others() -> dict[str, tuple[str, ...]]:
    found = {plain(word): tuple(plain(w) for w in row) for row in _SAME for word in row}
    for thing, sorts in _SORTS.items():
        own = found[thing]
        for word in own:
            found[word] = (*own, *sorts)
        found |= {sort: (sort, *own) for sort in sorts}
    return found


_OTHERS = _others()
_LONGEST = max(len(word.split()) for word in _OTHERS)


@dataclass(frozen=True)
class Wanted:
    """What was typed: word by word, the word itself first, then what else it is called."""

    groups: tuple[tuple[str, ...], ...]


def wanted_of(text: str) -> Wanted:
    """Read what was typed; words that belong together ('phase invert') are one.

    >>> wanted_of("Aux level").groups[0]
    ('aux', 'send')
    """
    words = plain(text[:MOST_TYPED]).split()[: MOST_WORDS * _LONGEST]
    groups: list[tuple[str, ...]] = []
    at = 0
    while at < len(words) and len(groups) < MOST_WORDS:
        for size in range(min(_LONGEST, len(words) - at), 0, -1):
            word = " ".join(words[at : at + size])
            if word in _OTHERS or size == 1:
                others = [w for w in _OTHERS.get(word, ()) if w != word]
                groups.append((word, *others))
                at += size
                break
    return Wanted(tuple(groups))


def fits(wanted: Wanted, title: str, about: str = "") -> float | None:
    """How well a thing fits, larger is better; None where a word is in neither of its texts.

    The word itself counts more than another one for it, the title more than what is about it, and the
    beginning of a word more than its middle.
    """
    name, rest = plain(title), plain(about)
    total = 0.0
    for group in wanted.groups:
        best = 0.0
        for place, word in enumerate(group):
            own = 1.0 if place == 0 else 0.5
            for text, weight in ((name, 4.0), (rest, 1.0)):
                found = _where(word, text)
                best = max(best, own * weight * found)
        if best == 0:
            return None
        total += best
    # Of two that fit alike the shorter one is meant.
    return total - min(len(name), 100) / 1000


def _where(word: str, text: str) -> float:
    if word not in text:
        return 0.0
    if text == word:
        return 2.0
    return 1.5 if re.search(rf"(?<!\w){re.escape(word)}", text) else 1.0
