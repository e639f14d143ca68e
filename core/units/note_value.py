"""Note values: a fraction of a whole note with a modifier, and their length at a tempo."""

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from core.errors import QuantityError

MODIFIERS: dict[str, Fraction] = {
    "straight": Fraction(1),
    "dotted": Fraction(3, 2),
    "double-dotted": Fraction(7, 4),
    "triplet": Fraction(2, 3),
    "quintuplet": Fraction(4, 5),
    "septuplet": Fraction(4, 7),
}
_SUFFIX = {"straight": "", "dotted": ".", "double-dotted": "..", "triplet": "T"} | {
    "quintuplet": "Q",
    "septuplet": "S",
}
_NAMES = {
    "whole": Fraction(1),
    "half": Fraction(1, 2),
    "quarter": Fraction(1, 4),
    "eighth": Fraction(1, 8),
    "sixteenth": Fraction(1, 16),
    "thirty-second": Fraction(1, 32),
    "sixty-fourth": Fraction(1, 64),
    "hundred-twenty-eighth": Fraction(1, 128),
}
_NAME_OF = {fraction: name for name, fraction in _NAMES.items()}


@dataclass(frozen=True)
class Metre:
    """A time signature: so many (`count`) of a note value (1/`unit`) in a bar."""

    count: int
    unit: int

    @property
    def bar(self) -> Fraction:
        """The bar as a fraction of a whole note."""
        return Fraction(self.count, self.unit)


@dataclass(frozen=True)
class NoteValue:
    """`fraction` of a whole note times a `modifier`; or `bars` whole bars.

    A modifier is one of MODIFIERS, or any 'n:m': n notes in the time of m.
    """

    fraction: Fraction
    modifier: str = "straight"
    bars: int | None = None

    @property
    def whole_notes(self) -> Fraction:
        """Length as a fraction of a whole note."""
        return self.fraction * modifier_ratio(self.modifier)

    @property
    def id(self) -> str:
        """The short form that is typed and stored: '1/8.', '1/4T', '2 bars'."""
        if self.bars:
            return "1 bar" if self.bars == 1 else f"{self.bars} bars"
        short = f"{self.fraction.numerator}/{self.fraction.denominator}"
        suffix = _SUFFIX.get(self.modifier)
        return f"{short} {self.modifier}" if suffix is None else f"{short}{suffix}"

    @property
    def name(self) -> str:
        """The spoken form: 'dotted eighth'."""
        if self.bars:
            return self.id
        base = _NAME_OF.get(self.fraction, f"{self.fraction.numerator}/{self.fraction.denominator}")
        if self.modifier == "straight":
            return base
        if self.modifier.endswith("dotted"):
            return f"{self.modifier} {base}"
        if self.modifier not in MODIFIERS:
            n, _, m = self.modifier.partition(":")
            return f"{base}, {n} in the time of {m}"
        return f"{base} {self.modifier}"


def modifier_ratio(modifier: str) -> Fraction:
    """What a modifier makes of a length: 3/2 for dotted, m/n for 'n:m'."""
    if modifier in MODIFIERS:
        return MODIFIERS[modifier]
    n, _, m = modifier.partition(":")
    return Fraction(int(m), int(n))


def note_length_s(note: NoteValue, quarter_bpm: float) -> float:
    """Seconds that a note value lasts: `4 q * fraction * modifier`, `q = 60 / quarter_bpm`.

    >>> round(note_length_s(NoteValue(Fraction(1, 8), "dotted"), 94.0) * 1000, 6)
    478.723404
    """
    return 240.0 * float(note.whole_notes) / quarter_bpm


_TUPLET = re.compile(r"^(\d{1,3}\s*/\s*\d{1,3})\s+(\d{1,2})\s*:\s*(\d{1,2})$")
_SHORT = re.compile(r"^(\d{1,3})\s*/\s*(\d{1,3})\s*(\.{0,2}|[a-z-]*)$")
_BARS = re.compile(r"^(\d{1,2})?\s*bars?$")
_MODIFIER_WORDS = {
    "": "straight",
    "straight": "straight",
    ".": "dotted",
    "d": "dotted",
    "dot": "dotted",
    "dotted": "dotted",
    "..": "double-dotted",
    "dd": "double-dotted",
    "double-dotted": "double-dotted",
    "t": "triplet",
    "triplet": "triplet",
    "q": "quintuplet",
    "quintuplet": "quintuplet",
    "s": "septuplet",
    "septuplet": "septuplet",
}


@lru_cache(maxsize=1024)
def parse_note_value(text: str, metre: Metre = Metre(4, 4)) -> NoteValue | None:
    """Read '1/8.', '1/4 triplet', 'dotted eighth', '2 bars'; None where it is no note value.

    Raises QuantityError for a note value outside 1/128 triplet to 8 bars.
    """
    plain = " ".join(text.lower().replace("double dotted", "double-dotted").split())
    found: NoteValue | None = None
    if match := _BARS.match(plain):
        count = int(match[1] or 1)
        if not 1 <= count <= 8:
            raise QuantityError("Bars go from 1 to 8.", part=match[1])
        return NoteValue(metre.bar * count, bars=count)
    if match := _TUPLET.match(plain):
        top, _, under = match[1].partition("/")
        if 0 in (int(top), int(under), int(match[2]), int(match[3])):
            raise QuantityError(f"“{text.strip()}” is no length.", part=text.strip())
        ratio = Fraction(int(match[3]), int(match[2]))
        named = next((name for name, value in MODIFIERS.items() if value == ratio), None)
        found = NoteValue(
            Fraction(int(top), int(under)), named or f"{int(match[2])}:{int(match[3])}"
        )
    elif match := _SHORT.match(plain):
        numerator, denominator, word = int(match[1]), int(match[2]), match[3].strip()
        if word not in _MODIFIER_WORDS:
            return None
        if numerator == 0 or denominator == 0:
            raise QuantityError(f"“{text.strip()}” is no length.", part=text.strip())
        found = NoteValue(Fraction(numerator, denominator), _MODIFIER_WORDS[word])
    else:
        words = [w for w in plain.replace(" note", "").split() if w]
        bases = [_NAMES[w] for w in words if w in _NAMES]
        rest = [w for w in words if w not in _NAMES]
        if len(bases) != 1 or len(rest) > 1 or (rest and rest[0] not in _MODIFIER_WORDS):
            return None
        found = NoteValue(bases[0], _MODIFIER_WORDS[rest[0]] if rest else "straight")
    if not Fraction(1, 192) <= found.whole_notes <= 8 * max(metre.bar, Fraction(1)):
        raise QuantityError(
            f"“{text.strip()}” is outside the range from 1/128 triplet to 8 bars.",
            part=text.strip(),
        )
    return found
