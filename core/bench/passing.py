"""Read what passes through, a loop, a filter, a cable and a compressor, beside its plan."""

import numpy as np
import scipy

from core.bench.halts import (
    Bench,
    BenchResult,
    Compared,
    Progress,
    halts_read,
    name_of,
    noise_row,
    polarity_row,
)
from core.bench.harmonics import harmonics_of
from core.bench.loop import measure_dynamics, measure_loop
from core.bench.plan import BenchPlan
from core.bench.results import DynamicsMeasured, Harmonic, LoopMeasured, Refused
from core.bench.take import Take
from core.measure.results import Picture, Series
from core.units import format as fmt


def _looped(bench: Bench, progress: Progress) -> tuple[LoopMeasured, list[Picture]]:
    progress(0.2, "Comparing what came back with what was sent")
    sent, back = bench.both("Notes", "Stillness")
    found = measure_loop(sent, back, search_s=0.5)
    points = found.response
    moves = _gain_moves(found)
    pictures = [
        Picture(
            title="Response", about="at the level of the test, where its gain moves" if moves else "against its own gain", x_unit="Hz", x_log=True, y_unit="dB",
            series=[Series(name="measured", x=[p.hz for p in points], y=[p.db for p in points])],
        )
    ]  # fmt: skip
    if not moves:
        progress(0.8, "Reading distortion by order")
        harmonics = _by_order(bench)
        found = found.model_copy(update={"harmonics": harmonics})
        if any(not h.below for h in harmonics):
            pictures.append(_orders(harmonics))
    return found, pictures


def _gain_moves(found: LoopMeasured) -> bool:
    return any(r.what == "steady_gain_db" for r in found.refused)


def _gain_word(found: LoopMeasured) -> str:
    """A level only where there is one: of whatever passes a sound on, its gain may move."""
    return (
        "its gain moves with the sound"
        if _gain_moves(found)
        else f"{fmt.signed(found.gain_db, 2)} dB"
    )


def _by_order(bench: Bench) -> list[Harmonic]:
    halt = bench.take.signal.halt("Sweep")
    first = round(halt.start_s * bench.rate)
    back = bench.take.cut("Sweep")
    loudest = back[int(np.argmax((back**2).sum(axis=1)))]
    return harmonics_of(bench.sent[first : first + len(loudest)], loudest, bench.rate)


def _orders(harmonics: list[Harmonic]) -> Picture:
    clear = [h for h in harmonics if not h.below]
    below = [h for h in harmonics if h.below]
    series = [
        Series(name=name, look=look, x=[float(h.order) for h in rows], y=[h.db for h in rows])
        for name, look, rows in (("measured", "points", clear), ("at most", "points", below))
        if rows
    ]
    return Picture(
        title="Distortion by order", about="against the sound itself, at the level of the sweep",
        x_unit="order", y_unit="dB", series=series,
    )  # fmt: skip


def _order_rows(harmonics: list[Harmonic]) -> list[Compared]:
    """The orders that stand out; where none does, what the strongest is at most."""
    clear = [h for h in harmonics if not h.below]
    rows = [
        Compared(name=f"Distortion, order {h.order}", unit="dB", planned=None, measured=h.db, digits=1, holds_within=1.0)
        for h in clear
    ]  # fmt: skip
    if harmonics and not clear:
        most = max(h.db for h in harmonics)
        words = f"none above {fmt.number(most, 0)} dB"
        rows.append(
            Compared(name="Distortion by order", unit="", planned=None, measured=None, words=words)
        )
    return rows


def _loop_rows(found: LoopMeasured, plan: BenchPlan, take: Take) -> list[Compared]:
    return [
        Compared(name="Gain", unit="dB", planned=plan.gain_db, measured=None, words="moves")
        if _gain_moves(found)
        else Compared(name="Gain", unit="dB", planned=plan.gain_db, measured=found.gain_db, holds_within=0.01),
        polarity_row(found.polarity < 0, plan),
        Compared(name="Distortion and rest", unit="%", planned=None, measured=found.distortion_percent, digits=3),
        *_order_rows(found.harmonics),
        Compared(name="Clock", unit="ppm", planned=None, measured=found.drift_ppm, digits=1, holds_within=0.5),
        noise_row(take),
    ]  # fmt: skip


def _latency(bench: Bench, plan: BenchPlan, found: LoopMeasured) -> Compared:
    """Known where playing and recording began together; what the cable alone takes is taken off."""
    late = bench.late_ms(found.latency_samples) - (plan.home_ms or 0.0)
    return Compared(
        name="Latency", unit="ms", planned=plan.latency_ms, digits=4,
        measured=round(late, 5) if plan.starts_together else None,
        holds_within=round(10 / bench.rate, 5) if plan.starts_together else None,
    )  # fmt: skip


def read_loop(bench: Bench, plan: BenchPlan, progress: Progress) -> BenchResult:
    found, pictures = _looped(bench, progress)
    name = name_of(plan, "The loop")
    turned = ", inverted" if found.polarity < 0 else ""
    latency = _latency(bench, plan, found)
    late = latency.measured
    refused = list(found.refused)
    if late is None:
        refused.append(
            Refused(
                what="latency_ms",
                why="It is not known when the signal was sent: the recording has to begin with it.",
            )
        )
        about = "How late the loop is cannot be told from a recording that did not begin with the signal."
    else:
        about = f"{fmt.number(late * bench.rate / 1e3, 2)} samples there and back at {fmt.number(bench.rate, 0)} Hz"
        about += ", the cable alone taken off." if plan.home_ms else "."
    if _gain_moves(found):
        about += " It works on the level: measure it as a compressor."
    told = f"{fmt.number(late, 3)} ms, " if late is not None else ""
    clock = f", its clock {fmt.signed(found.drift_ppm, 1)} ppm off" if found.drift_ppm else ""
    return BenchResult(
        kind="loop", device=name,
        sentence=f"{name}: {told}{_gain_word(found)}{turned}{clock}.",
        about=about,
        take=bench.take.report, halts=halts_read(bench.take, {"Notes": "read", "Sweep": "read"}),
        compared=[latency, *_loop_rows(found, plan, bench.take)], loop=found, pictures=pictures,
        refused=refused, cautions=bench.take.report.warnings,
    )  # fmt: skip


def _edge_hz(found: LoopMeasured, high: bool) -> float | None:
    """Where the response is 3 dB under its level at 1 kHz; between its points a smooth line."""
    points = sorted(found.response, key=lambda p: p.hz)
    if len(points) < 4:
        return None
    octaves = np.log2([p.hz / 1000 for p in points])
    line = scipy.interpolate.PchipInterpolator(octaves, [p.db for p in points])
    side = np.arange(0.0, octaves[-1] if high else octaves[0], 0.005 if high else -0.005)
    below = np.flatnonzero(line(side) <= float(line(0.0)) - 3.0103)
    return float(1000 * 2 ** side[below[0]]) if len(below) else None


def read_filter(bench: Bench, plan: BenchPlan, progress: Progress) -> BenchResult:
    found, pictures = _looped(bench, progress)
    name = name_of(plan, "The filter")
    low, high = _edge_hz(found, False), _edge_hz(found, True)
    parts = [
        f"from {fmt.significant(low, 3)} Hz" if low else "",
        f"to {fmt.significant(high, 3)} Hz" if high else "",
    ]
    told = " ".join(p for p in parts if p) or "no edge within what was sent"
    rows = [
        Compared(name="3 dB down, below", unit="Hz", planned=None, measured=low, digits=0),
        Compared(name="3 dB down, above", unit="Hz", planned=None, measured=high, digits=0),
        *_loop_rows(found, plan, bench.take),
    ]
    return BenchResult(
        kind="filter", device=name, sentence=f"{name}: {told}, {_gain_word(found)}.",
        about="Edges are where it is 3 dB under its level at 1 kHz.",
        take=bench.take.report, halts=halts_read(bench.take, {"Notes": "read", "Sweep": "read"}),
        compared=rows, loop=found, pictures=pictures, refused=found.refused, cautions=bench.take.report.warnings,
    )  # fmt: skip


def read_cable(bench: Bench, plan: BenchPlan, progress: Progress) -> BenchResult:
    found, pictures = _looped(bench, progress)
    name = name_of(plan, "The cable")
    turned = found.polarity < 0
    top = _edge_hz(found, True)
    said = (
        f"{name} is inverted: its two wires are the wrong way round."
        if turned
        else f"{name} keeps its polarity."
    )
    rows = [
        polarity_row(turned, plan.model_copy(update={"inverted": bool(plan.inverted)})),
        Compared(name="3 dB down, above", unit="Hz", planned=None, measured=top, digits=0),
        *[r for r in _loop_rows(found, plan, bench.take) if r.name in ("Gain", "Noise")],
    ]
    return BenchResult(
        kind="cable", device=name, sentence=said,
        about=f"{_gain_word(found)[0].upper()}{_gain_word(found)[1:]}; the response below is what it does to a low-impedance source.",
        take=bench.take.report, halts=halts_read(bench.take, {"Notes": "read", "Sweep": "read"}),
        compared=rows, loop=found, pictures=pictures, refused=found.refused, cautions=bench.take.report.warnings,
    )  # fmt: skip


def _works(found: DynamicsMeasured) -> str:
    """How it works, as far as it was found, in a sentence."""
    parts = [
        f"{fmt.number(found.ratio, 2)}:1 above it" if found.ratio is not None else "",
        f"attack {fmt.number(found.attack_ms, 1)} ms" if found.attack_ms is not None else "",
        f"release {fmt.number(found.release_ms, 0)} ms" if found.release_ms is not None else "",
        f"at most {fmt.number(found.most_reduction_db, 1)} dB"
        if found.most_reduction_db is not None
        else "",
    ]
    told = ", ".join(p for p in parts if p)
    return f"{told}." if told else found.sentence


def read_dynamics(bench: Bench, plan: BenchPlan, progress: Progress) -> BenchResult:
    progress(0.2, "Comparing what came back with what was sent")
    sent, back = bench.both("Levels", "Levels")
    found = measure_dynamics(sent, back, search_s=0.5)
    name = name_of(plan, "The compressor")
    compared = [
        Compared(name="Begins at", unit="dBFS", planned=plan.threshold_db, measured=found.threshold_db, digits=1, holds_within=1.0),
        Compared(name="Ratio", unit=":1", planned=plan.ratio, measured=found.ratio, holds_within=None if found.ratio is None else round(0.1 * found.ratio, 2)),
        Compared(name="Attack", unit="ms", planned=None, measured=found.attack_ms, digits=1),
        Compared(name="Release", unit="ms", planned=None, measured=found.release_ms, digits=0),
        Compared(name="Most reduction", unit="dB", planned=None, measured=found.most_reduction_db, digits=1, holds_within=0.3),
        Compared(name="Gain where it rests", unit="dB", planned=plan.gain_db, measured=found.makeup_db, holds_within=0.05),
        noise_row(bench.take),
    ]  # fmt: skip
    pictures = []
    if found.curve:
        pictures.append(
            Picture(
                title="Static curve", about="gain by the level that comes in", x_unit="dBFS", y_unit="dB",
                series=[Series(name="measured", look="points", x=[p.level_dbfs for p in found.curve], y=[p.gain_db for p in found.curve])],
            )
        )  # fmt: skip
    if found.gain_db:
        pictures.append(
            Picture(
                title="Gain over time", x_unit="s", y_unit="dB",
                series=[Series(name="measured", x=[p.at_s for p in found.gain_db], y=[p.gain_db for p in found.gain_db])],
            )
        )  # fmt: skip
    if found.threshold_db is None:
        said = f"{name} does not work at these levels: no change of gain over time was found."
    elif plan.threshold_db is not None and abs(plan.threshold_db - found.threshold_db) >= 1:
        early = plan.threshold_db - found.threshold_db
        said = (
            f"{name} begins at {fmt.number(found.threshold_db, 1)} dBFS, {fmt.number(abs(early), 1)} dB "
            f"{'below' if early > 0 else 'above'} where its meter first moves."
        )
    else:
        said = f"{name} begins at {fmt.number(found.threshold_db, 1)} dBFS, {fmt.number(found.ratio or 1.0, 2)}:1."
    return BenchResult(
        kind="dynamics", device=name, sentence=said,
        about=_works(found), take=bench.take.report, halts=halts_read(bench.take, {"Levels": "read"}),
        compared=compared, dynamics=found, pictures=pictures, refused=found.refused,
        cautions=bench.take.report.warnings,
    )  # fmt: skip
