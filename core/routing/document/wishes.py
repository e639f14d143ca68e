"""Wishes: what shall arrive, in words that the notation has too. What each one measures is `core.wishes`.

wish tail at entries under -20 dB
wish must mono loss at main under 1 dB
wish should level of echo against hall about -6 dB within 1 dB
"""

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from core.edge import Edge

MOST_WISHES = 50
WishKind = Literal[
    "level", "peak", "gain", "balance", "spread", "mono_loss", "comb", "tail", "repeats",
    "pre_delay", "low_end", "loop_gain", "quiet_lift", "peak_change", "ratio", "reduction",
    "ducking", "recovery", "loudness", "null", "setting_error",
]  # fmt: skip
Bound = Literal["under", "over", "about"]
Taken = Literal[
    "output", "part", "parts", "reverb", "against", "when", "note", "band", "during", "variant"
]
During = Literal["phrases", "gaps"]
_Part = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


@dataclass(frozen=True)
class WishSpec:
    """A sort of wish: how it is written, in which unit, what it names, and what it means for the sound."""

    words: str
    unit: str
    takes: tuple[Taken, ...]
    bound: Bound
    usual: float
    """Bound and figure that a new one begins with."""
    low: float
    high: float
    about: str
    """What it means for the sound."""
    definition: str
    taste: bool = True
    """Whether it is taste; else arithmetic."""
    of: tuple[str, ...] = ()
    """Kinds of stages that its part can be; none: any."""

    @property
    def apart(self) -> str:
        """Unit of a difference: two levels in dBFS are some dB apart."""
        return "dB" if self.unit == "dBFS" else self.unit


_TURNED = ("ducker", "compressor")
WISHES: dict[str, WishSpec] = {
    "level": WishSpec(
        "level", "dBFS", ("part",), "about", -18, -120, 24,
        "How loud it is at a place while a phrase sounds.",
        "RMS of the louder side at nominal level, behind the part; sources at the level that they state",
        False,
    ),
    "peak": WishSpec(
        "peak", "dBFS", ("part",), "under", -6, -120, 24,
        "What can never be passed: everything in step, each source at its crest.",
        "bound of the peaks behind the part",
        False,
    ),
    "gain": WishSpec(
        "louder than bare", "dB", ("output",), "about", 0, -60, 60,
        "How much louder the whole is than the bare source: what is louder seems better.",
        "power of both sides at the output, less that of the source that sounds loudest there",
        False,
    ),
    "balance": WishSpec(
        "level", "dB", ("part", "against", "output", "during"), "about", -10, -80, 40,
        "How far one way stands behind another, or behind all that is dry.",
        "powers of all arrivals through the part added, against those through the other, or all dry ones; over the clip in hand: its mean power in phrases, or in the gaps between them, against the other's in phrases",
    ),
    "spread": WishSpec(
        "spread", "ms", ("parts", "output"), "under", 0.5, 0, 5000,
        "Arrivals together make one attack; apart they make a flam, below 30 ms a colour.",
        "time between the first and the last of the strongest arrivals through each part; of all dry ones where none is named",
        False,
    ),
    "mono_loss": WishSpec(
        "mono loss", "dB", ("output",), "under", 1, 0, 120,
        "What is left when both sides are put together, on a telephone or one loudspeaker.",
        "power of both sides, less that of their mean, of what arrives within 10 ms",
        False,
    ),
    "comb": WishSpec(
        "comb", "dB", ("output", "band"), "under", 3, 0, 120,
        "Notches make a sound hollow, the lower the more.",
        "deepest notch of the strongest pair within 10 ms, in the band, against the stronger one",
        False,
    ),
    "tail": WishSpec(
        "tail at entries", "dB", ("reverb",), "under", -20, -120, 20,
        "How far the hall has died away when the next phrase comes in: the voice stays clear.",
        "the largest over the gaps of the clip, behind all that stands on the return, against the dry phrase",
    ),
    "repeats": WishSpec(
        "repeats", "dB", ("when", "output"), "under", -40, -120, 20,
        "How much of the echoes is left at a time: gone by the next bar, or still there.",
        "the strongest echo that arrives at that time or later, against the strongest dry arrival; a loop is followed lap by lap as far as it goes; where more ways go round than can be listed, no less than the weakest of the list",
    ),
    "pre_delay": WishSpec(
        "pre-delay off", "ms", ("reverb", "note"), "under", 1, 0, 1000,
        "A pre-delay in time with the song sits in its rhythm.",
        "how far the pre-delay is from the note value",
        False,
    ),
    "low_end": WishSpec(
        "low end of returns", "dB", ("output",), "under", -12, -120, 40,
        "What all returns bring below 200 Hz muddies bass and voice.",
        "power of all that is wet at the output below 200 Hz, against the dry low end",
    ),
    "loop_gain": WishSpec(
        "loop gain", "dB", (), "under", -3, -120, 60,
        "At 0 dB a loop grows until something gives way; 3 dB below is a safe distance.",
        "largest gain once round any loop, at its worst frequency",
        False,
    ),
    "quiet_lift": WishSpec(
        "quiet lift", "dB", ("output",), "about", 4, -40, 60,
        "How far the quiet comes up against the loud, with the peaks left as they are.",
        "gain of what is 20 dB below nominal, less the gain at nominal level",
    ),
    "peak_change": WishSpec(
        "peak change", "dB", ("output",), "about", 0, -60, 60,
        "What becomes of the loudest moments: a blend that lifts the quiet leaves them where they are.",
        "gain of the whole for every source as loud as its crest, against that source alone",
        False,
    ),
    "ratio": WishSpec(
        "local ratio", ":1", ("output",), "under", 2, 0.1, 100,
        "How much the whole still moves with the playing, at nominal level: 1:1 is untouched.",
        "2 dB, from 1 dB below nominal to 1 dB above, against what the output makes of them",
    ),
    "reduction": WishSpec(
        "gain reduction", "dB", ("part",), "under", 3, 0, 80,
        "How hard a compressor or ducker is worked at the loudest place.",
        "the most that it takes away in the phrases of the clip in hand, with its attack and release",
        of=_TURNED,
    ),
    "ducking": WishSpec(
        "ducking", "dB", ("part",), "over", 6, 0, 80,
        "How far the effect makes room while somebody plays or sings.",
        "the mean power that is taken away in the phrases of the clip in hand",
        of=_TURNED,
    ),
    "recovery": WishSpec(
        "recovery", "ms", ("part",), "under", 300, 0, 30_000,
        "How soon the effect comes back when a phrase ends: too soon pumps, too late leaves a hole.",
        "from each phrase's end until 3 dB below full again, the median; a gap in which it is not there again counts whole",
        of=_TURNED,
    ),
    "loudness": WishSpec(
        "louder than the clip", "dB", ("output",), "about", 0, -60, 60,
        "What is louder seems better: as loud as the bare clip is a fair comparison.",
        "power of the clip's phrases behind the rig, less that of the clip, each moment at its own level; not weighted",
        False,
    ),
    "null": WishSpec(
        "null", "dB", ("variant", "output"), "under", -30, -120, 20,
        "How little of a difference is left between this variant and another one.",
        "power of the difference of both, against this one: what is in step by its response, tails of one setting by their gains",
        False,
    ),
    "setting_error": WishSpec(
        "setting error", "ms", ("part",), "under", 2, 0, 10_000,
        "A device has steps, detents and an offset of its own: the nearest that it can be set to.",
        "what the device does at its nearest setting, less the time that is asked of it; the largest of its times",
        False,
    ),
}  # fmt: skip


_LAST_DIGITS = 1e-9


class Wish(Edge):
    """What shall arrive: a figure of the rig, a bound, and how much it matters."""

    kind: WishKind
    must: bool = Field(True, description="Must hold; else it should")
    bound: Bound = "under"
    value: float = Field(ge=-100_000, le=100_000, description="In the kind's unit")
    within: float | None = Field(None, gt=0, le=1000, description="Of 'about': how far off may be")
    parts: tuple[_Part, ...] = Field((), max_length=12, description="Parts or the place it is of")
    against: _Part | None = Field(None, description="Part whose way it is held against; none: dry")
    output: _Part | None = Field(None, description="Where it is heard; none: the first output")
    when: str = Field("", max_length=40, description="A time or note value: '1/1', '500 ms'")
    during: During | None = Field(
        None, description="Over the clip in hand: its phrases, or the gaps between them"
    )
    variant: str | None = Field(
        None, pattern=r"^[A-Z]{1,3}$", description="Letter of the variant it is held against"
    )
    low_hz: float | None = Field(None, ge=1, le=96_000)
    high_hz: float | None = Field(None, ge=1, le=96_000)

    @model_validator(mode="after")
    def _can_be_meant(self) -> "Wish":
        spec = WISHES[self.kind]
        if not spec.low <= self.value <= spec.high:
            raise ValueError(
                f"A wish for {spec.words} lies between {spec.low:g} and {spec.high:g} {spec.unit}."
            )
        if self.within is not None and self.bound != "about":
            raise ValueError("“within” belongs to “about”: a bound has no width.")
        if (self.low_hz or 1) >= (self.high_hz or 96_000):
            raise ValueError("The band of a wish ends below where it begins.")
        needs = {"when": "when", "note": "when"}
        for slot in spec.takes:
            if slot in needs and not self.when:
                raise ValueError(f"A wish for {spec.words} says when: 1/1, or 500 ms.")
        if "variant" in spec.takes and self.variant is None:
            raise ValueError(f"A wish for {spec.words} names a variant: {spec.words} against B.")
        # What does not belong to a kind would be kept, and never be said.
        for slot, held in (("during", self.during), ("variant", self.variant)):
            if held is not None and slot not in spec.takes:
                raise ValueError(f"A wish for {spec.words} has no “{slot}”.")
        if "part" in spec.takes and len(self.parts) != 1:
            raise ValueError(f"A wish for {spec.words} names one part.")
        if self.parts and not {"part", "parts", "reverb"} & set(spec.takes):
            raise ValueError(f"A wish for {spec.words} names no part.")
        if "reverb" in spec.takes and len(self.parts) > 1:
            raise ValueError(f"A wish for {spec.words} names one reverb, or none.")
        return self

    @property
    def spec(self) -> WishSpec:
        return WISHES[self.kind]

    @property
    def near(self) -> float:
        """How far off “about” may be, in the kind's unit."""
        return self.within if self.within is not None else 0.5

    def short_by(self, figure: float) -> float:
        """How far a figure is from fulfilling it; 0 where it does, and where only the last digits of a sum say no."""
        if self.bound == "under":
            short = figure - self.value
        elif self.bound == "over":
            short = self.value - figure
        else:
            short = abs(figure - self.value) - self.near
        return 0.0 if short <= _LAST_DIGITS * max(1.0, abs(self.value)) else short
