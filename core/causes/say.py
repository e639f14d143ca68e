"""Causes in words, figures and pictures."""

import numpy as np

from core.causes.compressor import DETECTORS, DynamicsFit
from core.causes.families import BLOCK, CurveFit, GainFit
from core.causes.rest import RestFound
from core.causes.shapes import Response, Shape, _db_at
from core.measure.results import Cause, Mark, Picture, Series, Sure
from core.units import format as fmt
from core.units.decibel import decibels

_POINTS = 500


def rounded(values: np.ndarray, digits: int = 4) -> list[float]:
    return [round(float(v), digits) for v in values]


def signed(value: float, digits: int = 2) -> str:
    """'+1.70' or, with a true minus, '-1.70'."""
    return fmt.signed(value, digits)


def hz_word(hz: float) -> str:
    return f"{fmt.significant(hz / 1e3, 3)} kHz" if hz >= 1000 else f"{fmt.significant(hz, 3)} Hz"


def thinned(count: int) -> np.ndarray:
    return np.unique(np.linspace(0, count - 1, min(count, _POINTS)).astype(int))


def shape_words(shape: Shape) -> str:
    if shape.kind == "bell":
        return f"a bell of {signed(shape.gain_db)} dB at {hz_word(shape.hz)}, Q {fmt.number(shape.q, 2)}"
    if shape.kind.endswith("shelf"):
        side = "above" if shape.kind.startswith("high") else "below"
        return f"a {shape.kind} of {signed(shape.gain_db)} dB, half of it at {hz_word(shape.hz)} ({side})"
    slope = 6 * shape.order
    return f"a {shape.kind} at {hz_word(shape.hz)}, {slope} dB an octave"


def opposite(shape: Shape) -> str:
    """What undoes a shape on B."""
    if shape.kind.endswith("cut"):
        return f"take out the {shape.kind}"
    return f"{signed(-shape.gain_db)} dB, {hz_word(shape.hz)}"


def filter_cause(
    found: Response, shapes: list[Shape], others: list[Shape], takes_db: float, sure: Sure,
    where: str,
) -> Cause:  # fmt: skip
    keep = found.weight > 0
    series = [
        Series(
            name="found",
            look="found",
            x=rounded(found.hz[keep], 2),
            y=list(rounded(found.db[keep], 3)),
        )
    ]
    figures: dict[str, float] = {}
    words: dict[str, str] = {}
    marks = []
    if shapes:
        best = shapes[0]
        fit = best.level_db + _db_at(best.sos(found.rate_hz), found.hz[keep], found.rate_hz)
        series.insert(0, Series(name=f"what {best.kind} would do", look="fit",
                                x=series[0].x, y=list(rounded(fit, 3))))  # fmt: skip
        figures = {
            "hz": round(best.hz, 2),
            "q": round(best.q, 3),
            "fits_within_db": round(best.error_db, 4),
        }
        if not best.kind.endswith("cut"):
            figures["gain_db"] = round(best.gain_db, 3)
        figures["order"] = float(best.order)
        words = {"shape": best.kind}
        marks = [Mark(x=round(best.hz, 2), label=hz_word(best.hz))]
        evidence = f"{shape_words(best)} fits within {fmt.number(max(best.error_db, 0.01), 2)} dB."
        evidence = evidence[0].upper() + evidence[1:]
        same = [s for s in shapes[1:] if s.kind != best.kind][:1]
        if same:
            evidence += f" So would {shape_words(same[0])}, {signed(same[0].level_db)} dB in level."
            words["also"] = same[0].kind
        title = {
            "low shelf": "B has more low end" if best.gain_db > 0 else "B has less low end",
            "high shelf": "B is brighter" if best.gain_db > 0 else "B is duller",
            "bell": "B is raised in one place" if best.gain_db > 0 else "B is dipped in one place",
            "low cut": "B lacks the lows",
            "high cut": "B lacks the highs",
        }[best.kind]
    else:
        span = found.db[keep]
        figures = {"most_db": round(float(span.max()), 2), "least_db": round(float(span.min()), 2)}
        words = {"shape": "other"}
        title = "B went through a filter"
        near = (
            f" The nearest, {shape_words(others[0])}, is off by {fmt.number(others[0].error_db, 1)} dB."
            if others
            else ""
        )
        evidence = (
            f"The same from start to end, {signed(float(span.min()), 1)} to "
            f"{signed(float(span.max()), 1)} dB; none of the shapes that are known fits.{near}"
        )
    return Cause(
        code="filter", title=title + where, evidence=evidence, sure=sure, takes_db=takes_db,
        figures=figures, words=words,
        pictures=[
            Picture(title="B against A by frequency", about="dB", x_unit="Hz", x_log=True,
                    y_unit="dB", series=series, marks=marks)
        ],
    )  # fmt: skip


def _gain_picture(gain: GainFit, energies: np.ndarray, rate_hz: int, start_s: float, base_db: float,
                  made: np.ndarray | None) -> tuple[Picture, np.ndarray]:  # fmt: skip
    db = decibels(np.maximum(np.abs(gain.gain), 1e-4)) - base_db
    heard = energies > 1e-6 * float(np.percentile(energies, 98))
    at = start_s + (np.arange(len(db)) + 0.5) * BLOCK / rate_hz
    pick = thinned(len(db))
    series = [
        Series(name="recovered", look="found", x=rounded(at[pick], 4),
               y=[round(float(db[i]), 3) if heard[i] else None for i in pick])
    ]  # fmt: skip
    if made is not None:
        n = min(len(made), len(db))
        pick = pick[pick < n]
        series.insert(0, Series(name="what these settings would do", look="fit",
                                x=rounded(at[pick], 4), y=list(rounded(made[pick] - base_db, 3))))  # fmt: skip
    return Picture(title="Gain, recovered", about="dB, B against A", x_unit="s", y_unit="dB",
                   series=series), np.where(heard, db, np.nan)  # fmt: skip


def static_curve(level_db: np.ndarray, gain_db: np.ndarray) -> tuple[list[float], list[float]]:
    """Medians of the gain in steps of 2 dB of A's level."""
    levels, gains = [], []
    for low in np.arange(-80, 6, 2.0):
        inside = (level_db >= low) & (level_db < low + 2) & np.isfinite(gain_db)
        if inside.sum() >= 12:
            levels.append(float(low + 1))
            gains.append(round(float(np.median(gain_db[inside])), 3))
    return levels, gains


def dynamics_cause(
    fit: DynamicsFit, gain: GainFit, energies: np.ndarray, level_db: np.ndarray, rate_hz: int,
    start_s: float, takes_db: float, sure: Sure,
) -> Cause:  # fmt: skip
    s = fit.settings
    picture, db = _gain_picture(gain, energies, rate_hz, start_s, s.makeup_db, fit.gain_db)
    least = float(np.nanmin(db)) if np.isfinite(db).any() else 0.0
    n = min(len(level_db), len(db))
    levels, gains = static_curve(level_db[:n], db[:n])
    expands = s.below or s.slope > 0
    ratio = s.ratio
    kind = "An expander" if expands else ("A limiter" if ratio > 15 else "A compressor")
    figures = {
        "threshold_db": round(s.threshold_db, 2), "ratio": round(min(ratio, 100.0), 4),
        "attack_ms": round(s.attack_ms, 2), "release_ms": round(s.release_ms, 1),
        "knee_db": round(s.knee_db, 1), "most_reduction_db": round(-least, 2),
        "smallest_shown_db": 0.1,
    }  # fmt: skip
    curve = Picture(
        title="Static curve", about="gain in dB against A's level", x_unit="dBFS", y_unit="dB",
        series=[Series(name="recovered", look="points", x=levels, y=list(gains))],
        marks=[Mark(x=round(s.threshold_db, 1), label=f"{fmt.number(s.threshold_db, 1)} dBFS")],
    )  # fmt: skip
    word = f"{fmt.significant(ratio, 3)}:1" if ratio < 50 else "a limiter's ratio"
    return Cause(
        code="dynamics", title=f"{kind} works on B", sure=sure, takes_db=takes_db, figures=figures,
        evidence=(
            f"The gain follows A's level: {word} from {fmt.number(s.threshold_db, 1)} dBFS, attack "
            f"{fmt.significant(s.attack_ms, 2)} ms, release {fmt.significant(s.release_ms, 2)} ms; "
            f"most {fmt.number(least, 1)} dB."
        ),
        words={"detector": DETECTORS[s.kind], "curve": "below" if s.below else "above"},
        pictures=[picture, curve],
    )  # fmt: skip


def moves_cause(
    gain: GainFit, energies: np.ndarray, rate_hz: int, start_s: float, base_db: float,
    takes_db: float, sure: Sure,
) -> Cause:  # fmt: skip
    picture, db = _gain_picture(gain, energies, rate_hz, start_s, base_db, None)
    low, high = (float(v) for v in np.nanpercentile(db, [1, 99]))
    return Cause(
        code="level_moves", title="B's level moves by itself", sure=sure, takes_db=takes_db,
        evidence=(
            f"Between {signed(low)} and {signed(high)} dB, at times of its own: it does not "
            "follow A's level as a compressor's would. A fader, a ride or a fade does that."
        ),
        figures={"least_db": round(low, 3), "most_db": round(high, 3), "smallest_shown_db": 0.1},
        pictures=[picture],
    )  # fmt: skip


def orders_of(curve: CurveFit) -> list[float]:
    """Levels (dB against the first) that a sine at the loudest of A would get, orders 2 to 7."""
    t = np.arange(4096) * 2 * np.pi / 4096
    spectrum = np.abs(np.fft.rfft(curve.of(curve.level_in[-1] * 0.999 * np.sin(t))))
    first = max(float(spectrum[1]), 1e-12)
    return [round(float(decibels(max(spectrum[k] / first, 1e-7))), 1) for k in range(2, 8)]


def curve_picture(curve: CurveFit) -> list[Picture]:
    orders = orders_of(curve)
    return [
        Picture(title="Curve", about="B over A, of full scale", x_unit="of full scale",
                y_unit="of full scale",
                series=[
                    Series(name="straight", look="fit", x=[round(float(curve.level_in[0]), 4), round(float(curve.level_in[-1]), 4)],
                           y=[round(float(curve.level_in[0]), 4), round(float(curve.level_in[-1]), 4)]),
                    Series(name="found", look="found", x=rounded(curve.level_in, 5), y=list(rounded(curve.level_out, 5))),
                ]),
        Picture(title="Distortion by order", about="of a sine as loud as A's loudest", x_unit="order",
                y_unit="dB", series=[Series(name="order", look="points", x=[2.0, 3, 4, 5, 6, 7], y=list(orders))]),
    ]  # fmt: skip


COLOURS = ((-1.2, 1.2, "white"), (-4.5, -1.8, "pink"), (-9, -4.5, "brown"))


def noise_cause(found: RestFound, takes_db: float, relative_db: float) -> Cause:
    colour = next((name for lo, hi, name in COLOURS if lo <= found.slope_db_per_octave <= hi), "")
    said = f"{colour} noise" if colour else "noise"
    return Cause(
        code="noise", title="There is noise in B", sure="certain", takes_db=takes_db,
        evidence=(
            f"What is left is {said} at {fmt.number(found.level_dbfs, 1)} dBFS, "
            f"{fmt.number(-relative_db, 0)} dB down, and does not follow A."
        ),
        figures={"level_dbfs": round(found.level_dbfs, 2),
                 "slope_db_per_octave": round(found.slope_db_per_octave, 2)},
        words={"colour": colour or "coloured"},
        pictures=[rest_picture(found)],
    )  # fmt: skip


def rest_picture(found: RestFound) -> Picture:
    return Picture(title="What is left, by frequency", about="dBFS per Hz", x_unit="Hz", x_log=True,
                   y_unit="dBFS", series=[Series(name="what is left", look="found",
                   x=rounded(found.bands_hz, 1), y=list(rounded(found.bands_db, 2)))])  # fmt: skip
