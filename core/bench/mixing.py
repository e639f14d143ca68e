"""The law of a mix control: what it does at five positions, between all dry and all wet."""

import numpy as np
import soxr

from core.bench.halts import (
    Bench,
    BenchResult,
    Compared,
    Progress,
    halts_read,
    name_of,
    noise_row,
)
from core.bench.plan import BenchPlan
from core.bench.results import MixMeasured, MixPosition, Refused
from core.bench.signal import POSITIONS, TURN_S, position_name
from core.blend import LAWS, law_gains, mix_of_ratio
from core.errors import MeasureError
from core.measure.results import Picture, Series
from core.units import format as fmt
from core.units.decibel import amplitude, decibels, power_decibels

_LOCKED_PPM = 0.3
_TWO_SOUNDS = 0.98
_REST_DB, _FITS_DB, _APART_DB = -15.0, 0.5, 0.3
_LEAST = 1e-4


def _at_each(bench: Bench) -> list[np.ndarray]:
    """What came back at each position, (channels * frames,), on the clock of the signal."""
    take, rate = bench.take, bench.rate
    samples = take.samples
    ppm = take.report.clock_ppm
    if abs(ppm) > _LOCKED_PPM:
        samples = np.asarray(soxr.resample(samples.T, rate * (1 + 1e-6 * ppm), rate, "VHQ").T)
    found = []
    for percent in POSITIONS:
        halt = take.signal.halt(position_name(percent))
        first = round((halt.start_s + TURN_S) * rate)
        last = round((halt.start_s + halt.length_s) * rate)
        found.append(samples[:, first:last].ravel())
    return found


def law_of(shares: list[tuple[float, float]]) -> dict[str, float]:
    """How far each mix law is from such dry and wet gains at the same ratio, at most, in dB.

    Whatever the marks of the control say: a law is where the two gains stand to each other.
    """
    off = {}
    for law in LAWS:
        apart = [0.0]
        for dry, wet in shares:
            if min(dry, wet) < _LEAST:
                continue
            should = np.hypot(*law_gains(law, mix_of_ratio(law, wet / dry)))
            apart.append(abs(float(decibels(np.hypot(dry, wet) / should))))
        off[law] = max(apart)
    return off


def measured_mix(rows: list[np.ndarray], noise_rms: float) -> MixMeasured:
    """Shares of all dry (the first row) and all wet (the last) in the rows between; equal lengths.

    Raises MeasureError where dry and wet are one sound, or nothing comes back at one end.
    """
    dry, wet = rows[0], rows[-1]
    own = np.array([float(dry @ dry), float(wet @ wet)])
    if min(own) < 4 * noise_rms**2 * len(dry):
        which = "dry" if own[0] < own[1] else "wet"
        raise MeasureError(
            f"Nothing came back where it should be all {which}: begin with the control at 0 and end at 100."
        )
    alike = abs(float(dry @ wet)) / float(np.sqrt(own.prod()))
    if alike > _TWO_SOUNDS:
        raise MeasureError(
            "Dry and wet sound the same: set the device so that its wet differs (a long delay, a "
            "reverb), or turn the control between the halts."
        )
    parts = np.stack([dry, wet])
    gram = parts @ parts.T - np.diag(np.full(2, noise_rms**2 * len(dry)))
    positions, refused = [], list[Refused]()
    for percent, row in zip(POSITIONS, rows, strict=True):
        a, b = (
            (1.0, 0.0) if percent == 0 else (0.0, 1.0) if percent == 100
            else (float(v) for v in np.linalg.solve(gram, parts @ row))
        )  # fmt: skip
        rest = row - a * dry - b * wet
        quiet = noise_rms**2 * len(row) * (1 + a * a + b * b)
        left = max(float(rest @ rest) - quiet, 1e-12 * float(row @ row))
        rest_db = float(power_decibels(left / max(float(row @ row), 1e-30)))
        if rest_db > _REST_DB and 0 < percent < 100:
            why = "What comes back is neither dry nor wet alone: switch modulation off, or lock it."
            refused.append(Refused(what=f"at {percent} %", why=why))
        else:
            positions.append(
                MixPosition(
                    percent=percent, dry=round(a, 5), wet=round(b, 5), rest_db=round(rest_db, 1)
                )
            )
    inner = [p for p in positions if 0 < p.percent < 100 and min(p.dry, p.wet) > _LEAST]
    if len(inner) < 2:
        refused.append(
            Refused(what="law", why="Fewer than two positions between the ends could be read.")
        )
        return MixMeasured(
            positions=positions, law=None, law_off_db=None, refused=refused,
            sentence="Its law cannot be told.",
        )  # fmt: skip
    off = sorted((value, law) for law, value in law_of([(p.dry, p.wet) for p in inner]).items())
    (best, law), (second, _) = off[0], off[1]
    if best > _FITS_DB or second - best < _APART_DB:
        why = (
            f"No law fits within {fmt.number(_FITS_DB, 1)} dB: the nearest, {law}, is {fmt.number(best, 1)} dB off."
            if best > _FITS_DB
            else "Two laws fit as well as each other at these positions."
        )
        refused.append(Refused(what="law", why=why))
        return MixMeasured(
            positions=positions, law=None, law_off_db=round(best, 2), refused=refused,
            sentence="It follows none of the usual laws." if best > _FITS_DB else "Its law cannot be told.",
        )  # fmt: skip
    positions = [
        p.model_copy(update={"does_percent": round(100 * mix_of_ratio(law, p.wet / p.dry), 2)})
        if p.dry > _LEAST
        else p.model_copy(update={"does_percent": 100.0})
        for p in positions
    ]
    middle = next((p.does_percent for p in positions if p.percent == 50), None)
    said = f"It follows the {law} law within {fmt.number(max(best, 0.05), 2)} dB"
    if middle is not None:
        said += f"; at 50 % it does {fmt.number(middle, 1)} %"
    return MixMeasured(
        positions=positions,
        law=law,
        law_off_db=round(best, 3),
        refused=refused,
        sentence=f"{said}.",
    )


def read_mix(bench: Bench, plan: BenchPlan, progress: Progress) -> BenchResult:
    progress(0.2, "Comparing the positions with all dry and all wet")
    noise = bench.take.report.noise_dbfs
    found = measured_mix(_at_each(bench), 0.0 if noise is None else float(amplitude(noise)))
    name = name_of(plan, "The mix control")
    compared = [
        Compared(
            name="Law", unit="", planned=None, measured=None, words=found.law or "not told",
            planned_words=plan.mix_law or "",
        )
    ]  # fmt: skip
    for p in found.positions:
        if p.does_percent is not None and 0 < p.percent < 100:
            compared.append(
                Compared(name=f"At {p.percent} it does", unit="%", planned=float(p.percent), measured=p.does_percent, digits=1, holds_within=0.5)
            )  # fmt: skip
    compared.append(noise_row(bench.take))
    read = {"Back": "for the marker"}
    read |= {position_name(p.percent): f"{_db(p.dry)}, {_db(p.wet)}" for p in found.positions}
    return BenchResult(
        kind="mix", device=name, sentence=f"{name}: {found.sentence[0].lower()}{found.sentence[1:]}",
        about="In dB at each position: dry against what came back at 0, wet against what came back at 100.",
        take=bench.take.report, halts=halts_read(bench.take, read), compared=compared, mix=found,
        pictures=_pictures(found), refused=found.refused, cautions=bench.take.report.warnings,
    )  # fmt: skip


def _db(gain: float) -> str:
    return fmt.signed(float(decibels(gain)), 1) if gain > _LEAST else "off"


def _pictures(found: MixMeasured) -> list[Picture]:
    """Gains over the position, beside the law at the positions that it really does."""
    x = [float(p.percent) for p in found.positions]
    series = [
        Series(name="dry", look="points", x=x, y=[round(p.dry, 4) for p in found.positions]),
        Series(name="wet", look="points", x=x, y=[round(p.wet, 4) for p in found.positions]),
    ]
    if found.law is not None:
        marks = np.arange(0.0, 100.1, 2.0)
        gains = [law_gains(found.law, m / 100) for m in marks]
        for k, name in enumerate(("dry", "wet")):
            series.append(
                Series(name=f"{name}, {found.law}", look="fit", x=[float(m) for m in marks], y=[round(g[k], 4) for g in gains])
            )  # fmt: skip
    return [
        Picture(
            title="Gain by position", about="gain over percent; line: its law if the marks were true",
            x_unit="%", y_unit="gain", series=series,
        )
    ]  # fmt: skip
