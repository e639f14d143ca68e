"""From a measurement to a verdict, a sentence and the first causes."""

from core.measure.results import (
    Cause,
    Judgement,
    Limit,
    Measurement,
    NullResult,
    ScaleMark,
    Verdict,
)
from core.units import format as fmt

SCALE: tuple[tuple[Verdict, str, float | None, float | None], ...] = (
    ("unrelated", "Unrelated", 0.0, 10.0),
    ("related", "Related", 10.0, 30.0),
    ("changed", "Same part, changed sound", 30.0, 60.0),
    ("nearly_same", "Nearly the same", 60.0, 90.0),
    ("same", "Same sound", 90.0, None),
    ("rounding", "Identical within rounding", None, None),
    ("bit_identical", "Bit-identical", None, None),
)
_NAMES = {verdict: name for verdict, name, _, _ in SCALE}
# What differs by less than this is not worth a word.
_LEVEL_DB = 0.005
_OFFSET_SAMPLES = 0.005


def verdict_of(found: Measurement) -> Verdict:
    """Grade on the scale of null depths; rounding and exact silence come first."""
    if found.bit_identical or found.null_depth_db is None:
        return "bit_identical"
    if found.within_rounding:
        return "rounding"
    down = -found.null_depth_db
    for verdict, _, low, high in SCALE:
        if low is not None and down < (high if high is not None else float("inf")):
            return verdict
    return "unrelated"


def has_passed(found: Measurement, limit: Limit) -> bool:
    """Against a relative limit or one in dBFS. Rounding alone always passes."""
    if found.null_depth_db is None or found.within_rounding:
        return True
    if limit.kind == "relative":
        return -found.null_depth_db >= limit.value_db
    level = found.residual_rms_dbfs
    return level is None or level <= -limit.value_db


def _db(value: float) -> str:
    return fmt.number(value, 2 if abs(value) < 10 else 1)


def _samples(value: float) -> str:
    whole = abs(value - round(value)) < _OFFSET_SAMPLES
    number = fmt.number(abs(value), 0 if whole else 2)
    return f"{number} {'sample' if number == '1' else 'samples'}"


def _matters(found: Measurement) -> tuple[bool, bool]:
    return abs(found.gain_db) >= _LEVEL_DB, abs(found.offset_samples) >= _OFFSET_SAMPLES


def _differences(found: Measurement) -> str:
    """', 3.37 dB apart, 38 400.37 samples late and inverted'."""
    level, time = _matters(found)
    parts = []
    if level:
        parts.append(f"{_db(abs(found.gain_db))} dB apart")
    if time:
        side = "late" if found.offset_samples > 0 else "early"
        parts.append(f"{_samples(found.offset_samples)} {side}")
    flipped = [c.name for c in found.channels if c.polarity < 0 and not c.silent]
    if flipped and len(flipped) == sum(not c.silent for c in found.channels):
        parts.append("inverted")
    elif flipped:
        parts.append(f"{' and '.join(flipped)} inverted")
    if found.swapped:
        parts.append("left and right swapped")
    if not parts:
        return ""
    joined = parts[0] if len(parts) == 1 else ", ".join(parts[:-1]) + " and " + parts[-1]
    return ", " + joined


def sentence_of(found: Measurement, verdict: Verdict) -> str:
    """The verdict in one sentence with its numbers."""
    said = _differences(found)
    if verdict == "bit_identical":
        rest = "nothing is left." if said else "every sample is the same."
        return f"Bit-identical{said}: {'matched, ' if said else ''}{rest}"
    down = -(found.null_depth_db or 0.0)
    depth = f"{fmt.number(down, 0 if down >= 20 else 1)} dB down"
    if verdict == "rounding":
        return (
            f"Identical within rounding{said}: what is left, {depth}, is the rounding of the files."
        )
    if verdict == "unrelated":
        return f"Unrelated: even matched, the residual is only {depth}."
    if verdict == "related":
        return f"Related, not the same: matched, the residual is {depth}."
    return f"{_NAMES[verdict]}{said}: matched, the residual is {depth}."


def causes_of(found: Measurement, verdict: Verdict) -> list[Cause]:
    """The first causes, each with its evidence; what is left unexplained is said as well."""
    causes: list[Cause] = []

    def add(code: str, title: str, evidence: str, explains: str) -> None:
        causes.append(
            Cause.model_validate(
                {"code": code, "title": title, "evidence": evidence, "explains": explains}
            )
        )

    if verdict == "unrelated":
        add(
            "unrelated",
            "Different material",
            "No offset within the search range makes the two agree. If they should, widen the "
            "search or choose a region where both play.",
            "all",
        )
        return causes + _file_causes(found)
    level, time = _matters(found)
    live = [c for c in found.channels if not c.silent]
    flipped = [c for c in live if c.polarity < 0]
    good = verdict in ("same", "rounding", "bit_identical")
    only = good and sum([level, time, bool(flipped), found.swapped]) == 1
    if verdict == "bit_identical" and not found.swapped and not (level or time or flipped):
        add(
            "bit_identical",
            "No difference",
            f"All {fmt.number(found.compared_samples, 0)} samples of each channel are equal.",
            "all",
        )
    if level:
        word = "quieter" if found.gain_db < 0 else "louder"
        gains = [c.gain_db for c in live if c.gain_db is not None]
        spread = max(gains) - min(gains) if gains else 0.0
        evidence = f"B is {_db(abs(found.gain_db))} dB {word}."
        if spread >= 0.01 and len(gains) > 1:
            evidence += f" Channels differ by {_db(spread)} dB among themselves."
        add("level", "Only the level" if only else "Level", evidence, "level")
    if time:
        side = "late" if found.offset_samples > 0 else "early"
        evidence = (
            f"B is {_samples(found.offset_samples)} ({fmt.significant(abs(found.offset_ms), 5)} "
            f"ms) {side}."
        )
        lags = [c.offset_samples for c in live if c.offset_samples is not None]
        if lags and max(lags) - min(lags) >= 0.01:
            evidence += f" Channels differ by {_samples(max(lags) - min(lags))}."
        add("time", "Only the time" if only else "Time", evidence, "offset")
    if flipped and len(flipped) == len(live):
        add(
            "polarity",
            "Only the polarity" if only else "Polarity",
            "B is inverted: a plain subtraction adds the two instead.",
            "polarity",
        )
    elif flipped:
        names = " and ".join(c.name for c in flipped)
        add(
            "channel_flipped",
            f"One side inverted: {names}" if len(flipped) == 1 else f"Inverted: {names}",
            f"The other {'side agrees' if len(live) == 2 else 'channels agree'} upright. Look for "
            "a cable or an input with reversed polarity.",
            "channels",
        )
    if found.swapped:
        add(
            "channels_swapped",
            "Left and right swapped",
            "A's left fits B's right, and A's right fits B's left.",
            "channels",
        )
    causes += _file_causes(found)
    if verdict == "rounding":
        add(
            "rounding",
            "Rounding of the files",
            f"The residual, {_db(found.residual_rms_dbfs or 0)} dBFS, is what word lengths of "
            f"{_word(found.a.grid_bits)} and {_word(found.b.grid_bits)} leave.",
            "residual",
        )
    elif found.null_depth_db is not None and not good:
        add(
            "unexplained",
            "The sound itself was changed",
            "What is left after matching is none of level, time, polarity or channels. Tone, "
            "dynamics, modulation and noise are not told apart yet.",
            "residual",
        )
    return causes


def _word(bits: int | None) -> str:
    return f"{bits} bits" if bits else "floating point"


def _file_causes(found: Measurement) -> list[Cause]:
    causes = []
    gap = found.b.seconds - found.a.seconds
    if abs(gap) > 0.5 / found.a.rate_hz:
        word = "longer" if gap > 0 else "shorter"
        causes.append(
            Cause(
                code="lengths",
                title="Different lengths",
                evidence=f"B is {fmt.significant(abs(gap), 4)} s {word}; "
                f"{fmt.significant(found.compared_s, 6)} s that both have were compared.",
                explains="all",
            )
        )
    if found.a.rate_hz != found.b.rate_hz:
        causes.append(
            Cause(
                code="rates",
                title="Different sample rates",
                evidence=f"A is at {found.a.rate_hz / 1e3:g} kHz, B at {found.b.rate_hz / 1e3:g} "
                "kHz. B was resampled to A's rate first.",
                explains="residual",
            )
        )
    if found.a.channels != found.b.channels:
        causes.append(
            Cause(
                code="channel_counts",
                title="Different channel counts",
                evidence=f"A has {fmt.plural(found.a.channels, 'channel')}, "
                f"B {fmt.plural(found.b.channels, 'channel')}.",
                explains="channels",
            )
        )
    return causes


def judge(found: Measurement, limit: Limit) -> Judgement:
    """Judge a stored measurement against a limit; cheap, so the limit can be tried out."""
    verdict = verdict_of(found)
    text = (
        f"{fmt.significant(limit.value_db, 4)} dB down against A"
        if limit.kind == "relative"
        else f"residual at or below {fmt.significant(-limit.value_db, 4)} dBFS"
    )
    return Judgement(
        verdict=verdict,
        verdict_name=_NAMES[verdict],
        passed=has_passed(found, limit),
        limit=limit,
        limit_text=text,
        sentence=sentence_of(found, verdict),
        causes=causes_of(found, verdict),
        scale=[ScaleMark(verdict=v, name=n, from_db=lo, to_db=hi) for v, n, lo, hi in SCALE],
    )


def judged(found: Measurement, limit: Limit) -> NullResult:
    """A measurement and its judgement in one flat result."""
    fields = {name: getattr(found, name) for name in Measurement.model_fields}
    opinion = judge(found, limit)
    return NullResult.model_construct(
        **fields, **{name: getattr(opinion, name) for name in type(opinion).model_fields}
    )
