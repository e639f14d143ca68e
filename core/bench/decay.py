"""Measure a decay: EDT, T20, T30 by octave, clarity and pre-delay, from an impulse or a swept sine.

Definitions of ISO 3382-1; backward integration after Schroeder (1965), noise taken off and the
truncation made up for as Lundeby and others (1995) do. Octave filters run backwards in time, so
that their own ringing does not lengthen short decays.
"""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy

from core.bench.results import DecayBand, DecayFigures, DecayMeasured, Refused
from core.bench.slopes import slopes_of
from core.bench.source import noise_of, read_short
from core.errors import MeasureError
from core.units import format as fmt
from core.units.decibel import amplitude, power_decibels, power_of

OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
# Peak over noise that each figure needs: its range, and what lies under and above it.
NEEDS_DB = {"edt_s": 20.0, "t20_s": 33.0, "t30_s": 43.0}
_SPANS = {"edt_s": (0.0, -10.0), "t20_s": (-5.0, -25.0), "t30_s": (-5.0, -35.0)}
_ROUGH = 0.1
_DIRECT_S = 0.005
_STRAIGHT = {"edt_s": 0.95, "t20_s": 0.97, "t30_s": 0.97}


def deconvolve(y: np.ndarray, sweep: np.ndarray, rate_hz: int) -> np.ndarray:
    """The linear impulse response of a swept recording, from 5 ms before the direct sound.

    (frames,) each. Division by the sweep's spectrum where it has energy; what a device bends comes
    before the direct sound and is left out (Farina, 2000).
    """
    size = scipy.fft.next_fast_len(len(y) + len(sweep), real=True)
    sx, sy = scipy.fft.rfft(sweep, size), scipy.fft.rfft(y, size)
    energy = np.abs(sx) ** 2
    line = scipy.fft.irfft(sy * sx.conj() / (energy + 1e-4 * float(energy.mean())), size)
    peak = int(np.argmax(np.abs(line)))
    lead = round(0.005 * rate_hz)
    return np.roll(line, lead - peak)[: max(rate_hz // 10, size - len(sweep) - peak + lead)]


@dataclass(frozen=True)
class _Curve:
    """Energy decay in dB every step from the onset, and the range it was read from."""

    db: np.ndarray
    step_s: float
    range_db: float


def _energy_curve(band: np.ndarray, rate_hz: int) -> _Curve | None:
    """Backward integration up to where the decay meets the noise, noise taken off."""
    step = max(1, round(0.001 * rate_hz))
    n = len(band) // step
    if n < 60:
        return None
    blocks = (band[: n * step].reshape(n, step) ** 2).mean(axis=1)
    tail = blocks[-max(10, n // 10) :]
    noise = float(np.mean(tail))
    wide = max(1, round(0.01 / (step / rate_hz)))
    smooth = np.convolve(blocks, np.ones(wide) / wide, "same")
    peak = float(smooth.max())
    if peak <= 0:
        return None
    start = int(np.argmax(smooth > peak * 0.1))
    range_db = power_decibels(peak / max(noise, peak * 1e-14))
    # Lundeby: a line through the decay, where it crosses the noise, and once more from there.
    knee = n
    for _ in range(4):
        db = power_decibels(np.maximum(smooth, 1e-30))
        floor = power_decibels(max(noise, peak * 1e-14))
        below = np.flatnonzero(db[start:knee] < floor + 8)
        end = start + (int(below[0]) if len(below) else knee - start)
        first = start + int(np.argmax(smooth[start:]))
        if end - first < 8:
            break
        slope, offset = np.polyfit(np.arange(first, end), db[first:end], 1)
        if slope >= 0:
            break
        crossing = int((floor - offset) / slope)
        new = int(np.clip(crossing, first + 8, n))
        quiet = blocks[min(n - 5, new + round(0.1 * (new - first))) :]
        if len(quiet) >= max(10, n // 20):
            noise = float(np.mean(quiet))
        if abs(new - knee) < 2:
            break
        knee = new
    clean = blocks[start:knee] - noise
    energy = np.cumsum(np.maximum(clean, 0.0)[::-1])[::-1]
    # What lies behind the knee, as if the last stretch went on.
    db = power_decibels(np.maximum(smooth[start:knee], 1e-30))
    half = len(db) // 2
    if half > 6:
        slope, offset = np.polyfit(np.arange(half, len(db)), db[half:], 1)
        if slope < -1e-6:
            last = power_of(slope * len(db) + offset)
            energy = energy + last / (1 - power_of(slope))
    top = float(energy[0]) if len(energy) else 0.0
    if top <= 0:
        return None
    return _Curve(power_decibels(np.maximum(energy / top, 1e-15)), step / rate_hz, float(range_db))


def _time(curve: _Curve, what: str) -> tuple[float | None, str]:
    """One of EDT, T20, T30 in seconds, or why it cannot be stated."""
    need = NEEDS_DB[what]
    word = what.removesuffix("_s").upper()
    if curve.range_db < need:
        return (
            None,
            f"{word} needs {fmt.number(need, 0)} dB over the noise, this has {fmt.number(curve.range_db, 0)}.",
        )
    high, low = _SPANS[what]
    first = int(np.argmax(curve.db <= high)) if high < 0 else 0
    under = np.flatnonzero(curve.db <= low)
    if len(under) == 0:
        return None, f"{word}: the decay ends before {fmt.number(low, 0)} dB."
    last = int(under[0])
    if last - first < 4:
        return (
            None,
            f"{word}: the decay is over within {fmt.number(1e3 * (last - first) * curve.step_s, 0)} ms.",
        )
    at = np.arange(first, last + 1) * curve.step_s
    line = curve.db[first : last + 1]
    slope, _ = np.polyfit(at, line, 1)
    straight = float(np.corrcoef(at, line)[0, 1] ** 2)
    if slope >= 0 or straight < _STRAIGHT[what]:
        return None, f"{word}: the decay is not straight enough (r² {fmt.number(straight, 2)})."
    return float(-60 / slope), ""


def _clarity(x: np.ndarray, direct: int, ms: float, rate_hz: int, noise: float) -> float | None:
    split = direct + round(ms * rate_hz / 1e3)
    energy = np.maximum(x * x - noise * noise, 0.0)
    early, late = float(energy[direct:split].sum()), float(energy[split:].sum())
    if early <= 0 or late <= 1e-12 * early:
        return None
    return float(power_decibels(early / late))


def _figures(
    band: np.ndarray, direct: int, rate_hz: int, label: str, refused: list[Refused],
    width_hz: float, from_s: float,
) -> DecayFigures:  # fmt: skip
    curve = _energy_curve(band[direct:], rate_hz)
    values: dict[str, float | None] = dict.fromkeys(NEEDS_DB)
    if curve is None:
        refused.append(Refused(what=label, why="Nothing sounds in this band."))
        return DecayFigures(
            edt_s=None, t20_s=None, t30_s=None, c50_db=None, c80_db=None, range_db=None
        )
    for what in NEEDS_DB:
        value, why = _time(curve, what)
        values[what] = None if value is None else round(value, 4)
        if value is None:
            refused.append(Refused(what=f"{what} {label}".strip(), why=why))
    noise = noise_of(band[len(band) * 3 // 4 :], rate_hz) if curve.range_db < 80 else 0.0
    c50, c80 = (_clarity(band, direct, ms, rate_hz, noise) for ms in (50, 80))
    return DecayFigures(
        edt_s=values["edt_s"], t20_s=values["t20_s"], t30_s=values["t30_s"],
        c50_db=None if c50 is None else round(c50, 2), c80_db=None if c80 is None else round(c80, 2),
        range_db=round(curve.range_db, 1), **_slopes(band[direct:], width_hz, rate_hz, from_s),
    )  # fmt: skip


def _slopes(
    band: np.ndarray, width_hz: float, rate_hz: int, from_s: float
) -> dict[str, float | None]:
    """The likeliest slopes of a band, as far as they hold within a tenth."""
    found = slopes_of(band, width_hz, rate_hz, from_s)
    if found is None or found.sigma > _ROUGH:
        return {}
    return {
        "rt60_s": round(found.rt60_s, 4), "within_percent": round(100 * found.sigma, 2),
        "late_s": None if found.late_s is None else round(found.late_s, 4),
        "bend_db": None if found.bend_db is None else round(found.bend_db, 2),
    }  # fmt: skip


def _octave(x: np.ndarray, hz: float, rate_hz: int) -> np.ndarray:
    edges = [hz / np.sqrt(2), min(hz * np.sqrt(2), 0.49 * rate_hz)]
    sos = scipy.signal.butter(6, edges, "bandpass", fs=rate_hz, output="sos")
    return scipy.signal.sosfilt(sos, x[::-1])[::-1]


def _pre_delay_ms(x: np.ndarray, direct: int, rate_hz: int) -> float | None:
    """From the direct sound to the reverb: a gap 26 dB under the direct, then a rise of 12 dB."""
    top = float(np.abs(x[direct : direct + round(0.0025 * rate_hz)]).max())
    step = max(1, rate_hz // 4000)
    after = x[direct : direct + round(0.4 * rate_hz)]
    n = len(after) // step
    if n < 20:
        return None
    level = np.abs(after[: n * step]).reshape(n, step).max(axis=1)
    quiet = np.flatnonzero(level < top * amplitude(-26))
    if len(quiet) == 0:
        return None
    first = int(quiet[0])
    highest = np.maximum.accumulate(level[first:])
    window = max(4, n // 200)
    gap = float(np.median(level[first : first + window]))
    rises = np.flatnonzero(highest > max(4 * gap, 1e-4 * top))
    if len(rises) == 0 or rises[0] == 0:
        return None
    over = 2 * float(level[first : first + max(1, int(rises[0]))].max(initial=gap))
    begin = direct + first * step
    late = np.flatnonzero(np.abs(x[begin : direct + len(after)]) > over)
    return None if len(late) == 0 else float(1e3 * (begin + int(late[0]) - direct) / rate_hz)


def measure_decay(
    path: Path | str, sweep: Path | str | None = None, *, name: str | None = None
) -> DecayMeasured:
    """A decay from a recorded impulse, or from a recorded sweep and the sweep that was sent.

    Raises AudioError and MeasureError.
    """
    samples, rate = read_short(path, name)
    x = samples[int(np.argmax((samples**2).sum(axis=1)))]
    if sweep is not None:
        sent, _ = read_short(sweep, None, rate)
        x = deconvolve(x, sent.mean(axis=0), rate)
    peak = int(np.argmax(np.abs(x)))
    top = float(np.abs(x[peak]))
    early = np.flatnonzero(np.abs(x[: peak + 1]) > 0.1 * top)
    direct = int(early[0]) if len(early) else peak
    if len(x) - direct < 0.08 * rate:
        raise MeasureError("Less than 80 ms follow the impulse: record on until it has died away.")
    refused: list[Refused] = []
    # Two octaves stand for all: below them rumble speaks, above them the air.
    middle = _octave(x, 500.0, rate) + _octave(x, 1000.0, rate)
    pre = _pre_delay_ms(x, direct, rate)
    from_s = _DIRECT_S if pre is None else max(_DIRECT_S, pre / 1e3)
    whole = _figures(middle, direct, rate, "", refused, 1414.0 - 354.0, from_s)
    bands = []
    for hz in OCTAVES_HZ:
        if hz * np.sqrt(2) < 0.49 * rate:
            label = f"at {fmt.number(hz, 0)} Hz"
            found = _figures(
                _octave(x, hz, rate), direct, rate, label, refused, hz / np.sqrt(2), from_s
            )
            bands.append(DecayBand(hz=hz, **found.model_dump()))
    if pre is None:
        refused.append(
            Refused(
                what="pre_delay_ms",
                why="No gap is seen between the direct sound and the reverb: send a single click.",
            )
        )
    best = whole.rt60_s or whole.t30_s or whole.t20_s or whole.edt_s
    said = (
        "No decay can be stated: see what is missing."
        if best is None
        else f"{fmt.significant(best, 3)} s for 60 dB, at 500 to 1000 Hz."
    )
    if whole.late_s is not None:
        said += f" Two slopes: {fmt.significant(whole.late_s, 3)} s from {fmt.number(whole.bend_db or 0.0, 0)} dB down."
    wide = {k: v for k, v in whole.model_dump().items() if k not in ("c50_db", "c80_db")}
    c50, c80 = (
        _clarity(x, direct, ms, rate, noise_of(x[len(x) * 3 // 4 :], rate)) for ms in (50, 80)
    )
    return DecayMeasured(
        **wide, c50_db=None if c50 is None else round(c50, 2), c80_db=None if c80 is None else round(c80, 2),
        pre_delay_ms=None if pre is None else round(pre, 3), bands=bands, refused=refused, sentence=said,
    )  # fmt: skip
