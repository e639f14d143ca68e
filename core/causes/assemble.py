"""Put what was found onto a measurement: causes ranked, and what to set in the order to do it."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from core.causes.state import Explained
from core.measure.passes import ChannelMatch
from core.measure.results import Cause, Measurement, Rests, Sure, ToSet
from core.units import format as fmt

_LEVEL_DB, _SAMPLES = 0.005, 0.005
_BESIDE_LEVEL_DB, _BESIDE_SAMPLES = 0.03, 0.05
_SOME_DB = 0.5
_SOUND = {"filter", "dynamics", "level_moves", "distortion", "clipping"}
_LOOKED_FOR = {
    "drift": "drift", "jump": "jumps", "filter": "a filter", "dynamics": "a compressor",
    "clipping": "clipping", "modulation": "modulation", "click": "clicks", "noise": "noise",
}  # fmt: skip


def samples_word(value: float) -> str:
    """'23.37 samples', '1 sample'."""
    whole = abs(value - round(value)) < _SAMPLES
    number = fmt.number(abs(value), 0 if whole else 2)
    return f"{number} {'sample' if number == '1' else 'samples'}"


def _where_b_lies(offset: float) -> str:
    """An offset with its way: B late is positive."""
    if abs(offset) < 0.005:
        return "no offset"
    return f"B {samples_word(offset)} {'late' if offset > 0 else 'early'}"


@dataclass(frozen=True)
class Assembled:
    """An explanation, ready to be put on the measurement that its matches lead to."""

    found: Explained

    @property
    def matches(self) -> list[ChannelMatch]:
        return self.found.matches

    def _scale(self, found: Measurement) -> None:
        """What the causes take away, on the scale from the matched null to what they all leave.

        Each was seen against what the best single gain and lag had left; where level and time are
        those beside the causes, the causes have more to take.
        """
        if self.found.left_db is None or found.null_depth_db is None:
            return
        total = sum(takes for _, takes in self.found.later)
        whole = found.null_depth_db - self.found.left_db
        if total <= 0 or whole <= 0:
            return
        ratio = whole / total
        self.found.later = [(step, takes * ratio) for step, takes in self.found.later]
        self.found.causes = [
            c.model_copy(update={"takes_db": round(c.takes_db * ratio, 2)})
            for c in self.found.causes
        ]

    def _rests(self, found: Measurement, steps: list[ToSet]) -> Rests | None:
        kept = self.kept(steps)
        if not kept:
            return None
        rate = found.a.rate_hz
        start = self.found.excerpt / rate - found.compared_start_s
        return Rests(
            codes=list(kept), start_s=round(max(start, 0.0), 6),
            frames=next(iter(kept.values())).shape[1], rate_hz=rate,
        )  # fmt: skip

    def kept(self, steps: list[ToSet]) -> dict[str, np.ndarray]:
        """Residuals by the code of a step that is said, in that order; (channels, frames) each."""
        codes = [step.code for step in steps]
        return {c: self.found.rests[c] for c in codes if c in self.found.rests}

    def onto(self, found: Measurement) -> Measurement:
        """The measurement with causes, corrections and what was ruled out."""
        if not self.found.related:
            return _without_figures(found, [_unrelated()], related=False)
        if any(c.code == "rate" for c in self.found.causes):
            # At another speed nothing was matched that means anything.
            return _without_figures(found, self.found.causes, related=True)
        self._scale(found)
        exact = not (_SOUND & {c.code for c in self.found.causes})
        wanders = any(c.code == "modulation" for c in self.found.causes)
        moves = any(c.code in ("level_moves", "modulation") for c in self.found.causes)
        matching = list(
            _matching(
                found, exact,
                self.found.offset_is_sure and not found.ambiguous and not wanders,
                "possible" if moves else "certain",
                found.null_depth_db if self.found.left_db is None else self.found.left_db,
            )
        )  # fmt: skip
        both = sorted([*matching, *self.found.causes], key=lambda c: -c.takes_db)
        ranked = [c for c in both if c.takes_db >= _SOME_DB]
        # What takes nothing by itself: first what was found in the rest, then what was matched.
        rest = [c for c in self.found.causes if c.takes_db < _SOME_DB]
        small = [c for c in matching if c.takes_db < _SOME_DB]
        causes = [*ranked, *rest, *small, *_rounding(found), *_facts(found)]
        if found.ambiguous:
            causes.insert(0, _periodic(found))
        if not causes and found.null_depth_db is None:
            causes.append(_identical(found))
        steps = _to_set(found, matching, self.found.later)
        codes = {c.code for c in causes}
        hopeful = found.null_depth_db is None or found.within_rounding
        ruled_out = [] if hopeful else [w for c, w in _LOOKED_FOR.items() if c not in codes]
        return found.model_copy(
            update={
                "explained": True, "causes": causes, "to_set": steps, "ruled_out": ruled_out,
                "uncertain": self.found.uncertain, "level_note": self.found.level_note,
                "explained_db": steps[-1].leaves_db if steps else found.null_depth_db,
                "rests": self._rests(found, steps), "stem_notes": self.found.stem_notes,
            }
        )  # fmt: skip


def _identical(found: Measurement) -> Cause:
    return Cause(
        code="identical", title="No difference",
        evidence=f"All {fmt.number(found.compared_samples, 0)} samples of each channel are equal.",
    )  # fmt: skip


def _periodic(found: Measurement) -> Cause:
    rivals = ", ".join(_where_b_lies(v) for v in found.ambiguous_offsets[:3])
    return Cause(
        code="periodic", title="The sound repeats: its offset cannot be told for sure",
        evidence=f"These fit as well: {rivals}. Test with sound that changes, or set the offset by hand.",
        figures={"rivals": float(len(found.ambiguous_offsets))},
    )  # fmt: skip


def _unrelated() -> Cause:
    return Cause(
        code="unrelated", title="Different material", takes_db=0.0, sure="likely",
        evidence=(
            "Nothing relates the two: no offset within the search range, in no band. If they should "
            "belong together, widen the search or choose a region where both play."
        ),
    )  # fmt: skip


def _without_figures(found: Measurement, causes: list[Cause], *, related: bool) -> Measurement:
    """The measurement without what was fitted: nothing was matched that means anything."""
    nothing = {"offset_samples": None, "gain_db": None, "null_depth_db": None, "polarity": 1}
    channels = [c.model_copy(update=nothing) for c in found.channels]
    return found.model_copy(
        update={
            "explained": True, "related": related, "causes": [*causes, *_facts(found)],
            "to_set": [], "offset_samples": None, "offset_ms": None, "gain_db": None, "polarity": 1,
            "channels": channels, "ambiguous": False, "ambiguous_offsets": [], "swapped": False,
            "uncertain": related,
        }
    )  # fmt: skip


def _bought(found: Measurement, step: str) -> float:
    """By how much one step of the matching lowered the residual, dB; 0 where it raised it."""
    bought = {str(s.id): s.bought_db for s in found.steps}.get(step)
    if bought is None:
        # Down to nothing at all: what it took is what was there before.
        levels = [s.null_db for s in found.steps]
        ids = [str(s.id) for s in found.steps]
        before = levels[ids.index(step) - 1] if step in ids[1:] else None
        return 0.0 if before is None else max(0.0, before + 150.0)
    return max(bought, 0.0)


def _matching(
    found: Measurement, exact: bool, sure_offset: bool, sure_level: Sure, left_db: float | None
) -> Iterator[Cause]:
    """left_db: what all that was found leaves, None for nothing."""
    live = [c for c in found.channels if not c.silent]
    if not live:
        return
    least_db = _LEVEL_DB if exact else _BESIDE_LEVEL_DB
    least_samples = _SAMPLES if exact else _BESIDE_SAMPLES
    gains = [c.gain_db for c in live if c.gain_db is not None]
    lags = [c.offset_samples for c in live if c.offset_samples is not None]
    flipped = [c for c in live if c.polarity < 0]
    gain, offset = found.gain_db or 0.0, found.offset_samples or 0.0
    spread_db, spread = max(gains) - min(gains), max(lags) - min(lags)
    by_channel = _bought(found, "channels")
    names = " and ".join(c.name for c in flipped)
    # Where something else stays, a hundredth of a decibel is chance.
    shallow = left_db is not None and left_db > -60
    if shallow and exact and _bought(found, "gain") < 0.3:
        least_db = 99.0
    if abs(gain) >= least_db:
        word = "quieter" if gain < 0 else "louder"
        evidence = f"By {fmt.number(abs(gain), 2)} dB in every band and at every moment."
        if not exact:
            evidence = f"By {fmt.number(abs(gain), 2)} dB, where nothing else works."
        yield Cause(code="level", title=f"B is {word}", evidence=evidence, sure=sure_level,
                    takes_db=_bought(found, "gain"), figures={"gain_db": gain})  # fmt: skip
    if abs(offset) >= least_samples:
        side = "late" if offset > 0 else "early"
        sure: Sure = "certain" if sure_offset else "possible"
        yield Cause(code="offset", title=f"B is {side}", takes_db=_bought(found, "time"), sure=sure,
                    evidence=f"By {samples_word(offset)}, {fmt.significant(abs(found.offset_ms or 0.0), 5)} ms, from start to end.",
                    figures={"samples": offset, "ms": found.offset_ms or 0.0})  # fmt: skip
    if flipped and len(flipped) == len(live):
        yield Cause(code="polarity", title="B is inverted", takes_db=_bought(found, "polarity"),
                    evidence="A plain subtraction adds the two instead.", figures={"polarity": -1.0})  # fmt: skip
    elif flipped:
        others = "side agrees" if len(live) == 2 else "channels agree"
        yield Cause(code="channel_polarity", title=f"One side is inverted: {names}" if len(flipped) == 1 else f"Inverted: {names}",
                    takes_db=by_channel, evidence=f"The other {others} upright. Look for a cable or an input with reversed polarity.",
                    figures={"channel": float(flipped[0].a_channel)}, words={"channel": names})  # fmt: skip
    if found.swapped:
        yield Cause(code="channel_swap", title="Left and right are swapped", takes_db=_bought(found, "time"),
                    evidence="A's left fits B's right, and A's right fits B's left.")  # fmt: skip
    if spread_db >= max(0.01, least_db):
        low, high = (
            min(live, key=lambda c: c.gain_db or 0.0),
            max(live, key=lambda c: c.gain_db or 0.0),
        )
        yield Cause(code="channel_level", title=f"B's {high.name} is louder than its {low.name}", takes_db=by_channel,
                    evidence=f"By {fmt.number(spread_db, 2)} dB against A: {', '.join(f'{c.name} {fmt.signed(c.gain_db or 0.0, 3)} dB' for c in live)}.",
                    figures={"apart_db": spread_db, **{f"{c.name.replace(' ', '_')}_db": c.gain_db or 0.0 for c in live}})  # fmt: skip
    if spread >= max(0.005, least_samples):
        late = max(live, key=lambda c: c.offset_samples or 0.0)
        yield Cause(code="channel_offset", title=f"B's {late.name} is later than the rest", takes_db=by_channel,
                    evidence=f"By {samples_word(spread)}: {', '.join(f'{c.name} {fmt.signed(c.offset_samples or 0.0, 2)}' for c in live)} samples.",
                    figures={"apart_samples": spread, **{f"{c.name.replace(' ', '_')}_samples": c.offset_samples or 0.0 for c in live}})  # fmt: skip
    for c in found.channels:
        if c.silent:
            yield Cause(code="silence", title=f"B's or A's {c.name} is silent", evidence="Nothing can be compared there.",
                        figures={"channel": float(c.a_channel)}, words={"channel": c.name})  # fmt: skip


def _rounding(found: Measurement) -> Iterator[Cause]:
    if found.within_rounding:
        words = [
            f"{c.grid_bits} bits" if c.grid_bits else "floating point" for c in (found.a, found.b)
        ]
        level = found.residual_rms_dbfs
        yield Cause(
            code="rounding", title="Rounding of the files",
            evidence=f"What is left, {fmt.number(level or 0.0, 1)} dBFS, is what word lengths of {words[0]} and {words[1]} leave.",
            figures={"level_dbfs": level or 0.0},
        )  # fmt: skip


def _facts(found: Measurement) -> Iterator[Cause]:
    gap = found.b.seconds - found.a.seconds
    if found.a.rate_hz != found.b.rate_hz:
        yield Cause(
            code="rate", title="Different sample rates",
            evidence=f"A is at {found.a.rate_hz / 1e3:g} kHz, B at {found.b.rate_hz / 1e3:g} kHz. B was resampled to A's rate first.",
            figures={"a_hz": float(found.a.rate_hz), "b_hz": float(found.b.rate_hz)},
        )  # fmt: skip
    if found.a.channels != found.b.channels:
        yield Cause(
            code="channels", title="Different channel counts",
            evidence=f"A has {fmt.plural(found.a.channels, 'channel')}, B {fmt.plural(found.b.channels, 'channel')}.",
            figures={"a": float(found.a.channels), "b": float(found.b.channels)},
        )  # fmt: skip
    if abs(gap) > 1.5 / found.a.rate_hz:
        word = "longer" if gap > 0 else "shorter"
        yield Cause(
            code="length", title="Different lengths",
            evidence=f"B is {fmt.significant(abs(gap), 4)} s {word}; {fmt.significant(found.compared_s, 6)} s that both have were compared.",
            figures={"apart_s": gap},
        )  # fmt: skip


_ORDER = (
    "channel_swap",
    "offset",
    "channel_offset",
    "polarity",
    "channel_polarity",
    "level",
    "channel_level",
)


def _to_set(
    found: Measurement, matching: list[Cause], later: list[tuple[ToSet, float]]
) -> list[ToSet]:
    """Corrections in the order to do them, each with what it leaves; what cannot be set is left out."""
    levels = {str(s.id): s.null_db for s in found.steps}
    steps: list[ToSet] = []
    before = levels["raw"]

    def add(cause: str, words: str, value: str, beside: str, leaves: float | None) -> None:
        nonlocal before
        takes = None if leaves is None or before is None else round(before - leaves, 3)
        hurts = (
            ""
            if takes is None or takes >= -0.05
            else "Worse for the moment: what comes next turns it."
        )
        steps.append(ToSet.model_validate({
            "code": cause, "words": words, "value": value, "beside": beside, "leaves_db": leaves,
            "takes_db": takes, "hurts": hurts,
        }))  # fmt: skip
        before = leaves

    codes = {str(c.code): c for c in matching}
    # Where the last of the matching leaves the residual; each before it where its step does.
    last = {"offset": "time", "polarity": "polarity", "level": "gain"}
    present = [c for c in _ORDER if c in codes]
    for code in present:
        leaves = levels[last.get(code, "channels")] if code != "channel_swap" else levels["time"]
        if code == present[-1]:
            leaves = found.null_depth_db
        cause = codes[code]
        if code == "offset":
            value = cause.figures["samples"]
            add(code, f"Move B {'earlier' if value > 0 else 'later'} by", samples_word(value),
                f"{fmt.significant(abs(cause.figures['ms']), 5)} ms", leaves)  # fmt: skip
        elif code == "level":
            value = cause.figures["gain_db"]
            add(
                code,
                f"{'Raise' if value < 0 else 'Lower'} B by",
                f"{fmt.number(abs(value), 2)} dB",
                "",
                leaves,
            )
        elif code == "polarity":
            add(code, "Turn B's polarity", "inverted", "all channels", leaves)
        elif code == "channel_polarity":
            add(code, "Turn the polarity of", cause.words["channel"], "", leaves)
        elif code == "channel_swap":
            add(code, "Swap", "left and right", "", leaves)
        elif code == "channel_level":
            add(
                code,
                "Bring the channels together by",
                f"{fmt.number(cause.figures['apart_db'], 2)} dB",
                cause.title,
                leaves,
            )
        else:
            add(
                code,
                "Bring the channels together by",
                samples_word(cause.figures["apart_samples"]),
                cause.title,
                leaves,
            )
    before = found.null_depth_db
    for step, takes in later:
        leaves = None if before is None else round(before - takes, 3)
        steps.append(step.model_copy(update={"leaves_db": leaves, "takes_db": round(takes, 3)}))
        before = leaves
    return steps
