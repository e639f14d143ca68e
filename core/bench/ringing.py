"""Read what rings on, a delay and a reverb, beside its plan."""

from core.bench.decay import measure_decay
from core.bench.delay import measure_delay
from core.bench.halts import (
    Bench,
    BenchResult,
    Compared,
    Progress,
    halts_read,
    name_of,
    noise_row,
)
from core.bench.plan import BenchPlan, readings_of
from core.bench.results import DecayMeasured, DelayMeasured, Refused
from core.errors import FonodromeError
from core.measure.results import Picture, Series
from core.units import format as fmt

_TIME_MS, _LEVEL_DB = 0.01, 0.1
_SHORT_MS = 45.0


def _burst_and_click(
    bench: Bench, plan: BenchPlan, progress: Progress
) -> tuple[DelayMeasured, dict[str, str], list[Refused], float]:
    """The burst's reading, the click's where only that can be read, and how far the two are apart (ms)."""
    said: dict[str, str] = {}
    read: dict[str, DelayMeasured] = {}
    failed: list[FonodromeError] = []
    refused: list[Refused] = []
    for name in ("Burst", "Click"):
        try:
            read[name] = measure_delay(bench.back(name), planned_ms=plan.wanted_ms)
            said[name] = fmt.plural(len(read[name].repeats), "repeat")
        except FonodromeError as error:
            failed.append(error)
            refused.append(Refused(what=name.lower(), why=error.sentence))
        progress(0.6, "Reading the click")
    if not read:
        raise failed[0]
    burst, click = read.get("Burst"), read.get("Click")
    # Repeats of a burst that is longer than the delay lie over each other; a click's do not.
    short = click is not None and click.time_ms is not None and click.time_ms < _SHORT_MS
    found = click if burst is None or short else burst
    assert found is not None
    holds = _TIME_MS
    if not short and click and burst and click.time_ms is not None and burst.time_ms is not None:
        holds = max(holds, abs(click.time_ms - burst.time_ms))
    return found, said, [*found.refused, *refused], holds


def _tone(found: DelayMeasured) -> list[Picture]:
    """What each octave loses from one repeat to the next."""
    known = [(b.hz, b.each_db) for b in found.bands if b.each_db is not None]
    if len(known) < 2:
        return []
    return [
        Picture(
            title="Fall by octave", about="from one repeat to the next", x_unit="Hz", x_log=True,
            y_unit="dB",
            series=[Series(name="measured", look="points", x=[hz for hz, _ in known], y=[db for _, db in known])],
        )
    ]  # fmt: skip


def read_delay(bench: Bench, plan: BenchPlan, progress: Progress) -> BenchResult:
    take = bench.take
    progress(0.2, "Reading the burst")
    found, said, refused, holds = _burst_and_click(bench, plan, progress)
    if plan.wet_only:
        refused.append(
            Refused(
                what="first_repeat_db",
                why="No dry sound comes back: what the first repeat is against it is not known.",
            )
        )
        found = found.model_copy(
            update={
                "first_repeat_db": None,
                "first_repeat_ms": None,
                "bands": [b.model_copy(update={"first_db": None}) for b in found.bands],
            }
        )
    readings = readings_of(plan, found.time_ms) if found.time_ms is not None else None
    compared = [
        Compared(
            name="Time", unit="ms", planned=plan.label_ms or plan.wanted_ms, measured=found.time_ms,
            holds_within=round(holds, 3),
        ),
        Compared(name="Each repeat", unit="dB", planned=plan.each_db, measured=found.feedback_db, digits=1, holds_within=_LEVEL_DB),
        Compared(name="First repeat", unit="dB", planned=plan.first_db, measured=found.first_repeat_db, digits=1, holds_within=_LEVEL_DB),
        *_moves(found),
        Compared(name="Sides", unit="", planned=None, measured=None, words=found.mode),
        noise_row(take),
    ]  # fmt: skip
    about = f"{fmt.plural(len(found.repeats), 'repeat')}, {found.mode}."
    if found.read_at_hz is not None:
        about += f" The loop is filtered: levels are those at {fmt.number(found.read_at_hz, 0)} Hz."
    if readings is not None and found.time_ms is not None and plan.label_ms is not None:
        late = found.time_ms - readings.wanted_ms
        count = max(1, len(found.repeats))
        about = (
            f"The plan wants {fmt.number(readings.wanted_ms, 3)} ms. Set to {fmt.significant(plan.label_ms, 6)} it does "
            f"{fmt.number(found.time_ms, 2)} ms, and {count} repeats end {_off(late * count)}; set to "
            f"{fmt.significant(readings.nearest.label_ms, 6)} they end {_off(readings.nearest.error_ms * count)}."
        )
    return BenchResult(
        kind="delay", device=name_of(plan, "The delay"),
        sentence=readings.sentence if readings else _sentence(found.sentence), about=about,
        take=take.report, halts=halts_read(take, said), compared=compared, readings=readings, delay=found,
        pictures=_tone(found), refused=refused, cautions=take.report.warnings,
    )  # fmt: skip


def _moves(found: DelayMeasured) -> list[Compared]:
    """Rows of a time that does not stay the same."""
    known = (("Each interval longer by", found.growth_ms), ("Wander", found.wander_ms))
    return [
        Compared(name=name, unit="ms", planned=None, measured=ms, digits=3, holds_within=_TIME_MS)
        for name, ms in known
        if ms is not None
    ]


def _off(ms: float) -> str:
    size = fmt.number(abs(ms), 1)
    return "on time" if abs(ms) < 0.05 else f"{size} ms {'late' if ms > 0 else 'early'}"


def _sentence(words: str) -> str:
    return words if words.endswith(".") else f"{words}."


def _held(found: DecayMeasured, time_s: float | None) -> float | None:
    """How far off a decay may be: two standard deviations of the fit, or a twentieth."""
    if time_s is None:
        return None
    share = 0.02 * found.within_percent if found.rt60_s and found.within_percent else 0.05
    return round(max(0.005, share) * time_s, 3)


def read_decay(bench: Bench, plan: BenchPlan, progress: Progress) -> BenchResult:
    take = bench.take
    progress(0.2, "Reading the sweep")
    found = measure_decay(bench.back("Sweep"), bench.out("Sweep"))
    said = {"Sweep": f"{fmt.number(found.range_db or 0.0, 0)} dB of range"}
    progress(0.6, "Reading the click")
    refused = list(found.refused)
    try:
        # A single click has no ringing of its own before the reverb begins.
        click = measure_decay(bench.back("Click"))
        said["Click"] = "the gap before the reverb"
        if click.pre_delay_ms is not None:
            found = found.model_copy(update={"pre_delay_ms": click.pre_delay_ms})
            refused = [r for r in refused if r.what != "pre_delay_ms"]
    except FonodromeError as error:
        refused.append(Refused(what="click", why=error.sentence))
    time_s = found.rt60_s or found.t30_s or found.t20_s or found.edt_s
    held = _held(found, time_s)
    compared = [
        Compared(name="Decay, 60 dB", unit="s", planned=plan.rt60_s, measured=time_s, holds_within=held),
        *([Compared(name=f"Late slope, from {fmt.signed(-(found.bend_db or 0.0), 0)} dB", unit="s", planned=None, measured=found.late_s)] if found.late_s else []),
        Compared(name="T30", unit="s", planned=None, measured=found.t30_s),
        Compared(name="EDT", unit="s", planned=None, measured=found.edt_s),
        Compared(name="Pre-delay", unit="ms", planned=plan.pre_delay_ms, measured=found.pre_delay_ms, digits=1, holds_within=0.3),
        Compared(name="C50", unit="dB", planned=None, measured=found.c50_db, digits=1, holds_within=0.2),
        Compared(name="C80", unit="dB", planned=None, measured=found.c80_db, digits=1, holds_within=0.2),
        noise_row(take),
    ]  # fmt: skip
    bands = [(b.hz, b.rt60_s or b.t30_s or b.t20_s) for b in found.bands]
    series = [
        Series(name="measured", look="points", x=[hz for hz, _ in bands], y=[t for _, t in bands])
    ]
    if plan.rt60_s is not None:
        series.append(
            Series(
                name="planned",
                look="fit",
                x=[bands[0][0], bands[-1][0]],
                y=[plan.rt60_s, plan.rt60_s],
            )
        )
    late = [(b.hz, b.late_s) for b in found.bands]
    if any(value is not None for _, value in late):
        series.append(
            Series(
                name="late slope", look="points", x=[hz for hz, _ in late], y=[t for _, t in late]
            )
        )
    pictures = [
        Picture(
            title="Decay by octave",
            about="seconds for 60 dB",
            x_unit="Hz",
            x_log=True,
            y_unit="s",
            series=series,
        )
    ]
    name = name_of(plan, "The reverb")
    if time_s is None:
        said_all = f"{name}: no decay can be stated."
    elif plan.rt60_s is None:
        said_all = f"{name} takes {fmt.number(time_s, 2)} s for 60 dB."
    else:
        share = 100 * (time_s / plan.rt60_s - 1)
        word = (
            "as planned"
            if abs(share) < 5
            else f"{fmt.number(abs(share), 0)} % {'longer' if share > 0 else 'shorter'} than planned"
        )
        said_all = f"{name} takes {fmt.number(time_s, 2)} s for 60 dB, {word}."
    if found.late_s is not None and found.bend_db is not None:
        said_all += (
            f" Its decay has two slopes: from {fmt.number(found.bend_db, 0)} dB down it takes "
            f"{fmt.number(found.late_s, 2)} s."
        )
    return BenchResult(
        kind="decay", device=name, sentence=said_all,
        about="The middle two octaves, 500 and 1000 Hz, stand for all: the bands below have times of their own.",
        take=take.report, halts=halts_read(take, said), compared=compared, decay=found, pictures=pictures,
        refused=refused, cautions=take.report.warnings,
    )  # fmt: skip
