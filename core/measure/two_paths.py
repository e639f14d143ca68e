"""Two paths of one sound: what delay and polarity make them loudest together, in full and by band.

Two microphones, DI and amp, two amps: they are not to null but to add up. All figures come from the
averaged auto- and cross-spectra of the two (Welch, 1967): the power of `A + p B`, B moved by `t`, is
`Saa + Sbb + 2 p Re(Sab e^(j w t))`, summed over the band.
"""

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import scipy
import soxr
from pydantic import Field

from core.audio.channels import sounding
from core.audio.source import open_audio
from core.edge import Edge
from core.errors import MeasureError
from core.measure.results import Mark, Picture, Series
from core.units import format as fmt
from core.units.decibel import power_decibels, power_of

LONGEST_S = 120.0
LEAST_S = 0.5
MOST_MS = 100.0
OCTAVES_HZ = (63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16_000.0)
_BLOCK_S = 1.4
_FINE = 8
_WORTH_DB = 0.05
_CLEAR = 0.5
_RELATED = 0.12
"""Share of the power that has to add up for a delay to be stated."""
_WINDOW_S = 0.4
_QUIET_DB = -60.0


class PathBand(Edge):
    """One octave of the sum, against the two added as if they had nothing in common."""

    hz: float
    now_db: float | None = Field(description="As they are; null where nothing sounds")
    set_db: float | None = Field(description="With the delay and polarity for the whole")
    best_db: float | None = Field(description="With a delay of its own")
    best_ms: float | None
    polarity: Literal[1, -1]


class TwoPaths(Edge):
    """How two paths add up now, and how they would at best."""

    related: bool
    late_ms: float | None = Field(description="B after A, as they add up best; positive: B is late")
    late_samples: float | None
    polarity: Literal[1, -1] = Field(description="-1: B has to be turned over")
    now_db: float = Field(description="Their sum now, against the two added as if unrelated")
    best_db: float
    gain_db: float = Field(description="How much louder the sum gets by it")
    mono_loss_db: float = Field(description="Their sum now, against the best: 0 or below")
    b_against_a_db: float
    over_s: float
    rate_hz: int
    bands: list[PathBand]
    pictures: list[Picture]
    sentence: str
    notes: list[str]


@dataclass(frozen=True)
class _Spectra:
    """Averaged over blocks; (bins,)."""

    aa: np.ndarray
    bb: np.ndarray
    ab: np.ndarray
    size: int
    rate_hz: int

    def correlation(self, band: np.ndarray) -> np.ndarray:
        """Of the bins of a band at lags of an eighth of a sample, lag 0 first; (size * 8,).

        Positive lags: B is late by them.
        """
        return np.asarray(scipy.fft.irfft(np.where(band, self.ab, 0), self.size * _FINE) * _FINE)

    def powers(self, band: np.ndarray) -> tuple[float, float]:
        """Of A and of B, on the scale of `correlation`."""
        weight = np.full(len(self.aa), 2.0)
        weight[0] = 1.0
        if self.size % 2 == 0:
            weight[-1] = 1.0
        scale = 1 / self.size
        return (
            float((self.aa * weight)[band].sum() * scale),
            float((self.bb * weight)[band].sum() * scale),
        )


def _read(path: Path | str, name: str | None, rate_hz: int | None) -> tuple[np.ndarray, int, str]:
    with open_audio(path, name) as source:
        count = min(source.frames, round(LONGEST_S * source.rate_hz))
        sound = np.asarray(source.read(0, count), np.float64)[:2]
        rate, named = source.rate_hz, source.name
    if rate_hz is not None and rate != rate_hz:
        sound, rate = soxr.resample(sound.T, rate, rate_hz, "VHQ").T, rate_hz
    return sound - sound.mean(axis=1, keepdims=True), rate, named


def _pairs(a: np.ndarray, b: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Channels side by side, (pairs, frames) each: left with left, or the one of a mono with both.

    Channels are never added up: one that is turned over against the other would take it away.
    """
    a, b = sounding(a), sounding(b)
    count = max(len(a), len(b))
    return np.broadcast_to(a, (count, a.shape[1])), np.broadcast_to(b, (count, b.shape[1]))


def _spectra(a: np.ndarray, b: np.ndarray, rate: int) -> _Spectra:
    """Of all pairs of channels together; (pairs, frames) each."""
    n = a.shape[1]
    size = scipy.fft.next_fast_len(min(n, round(_BLOCK_S * rate)), real=True)
    window = scipy.signal.windows.hann(size, sym=False)
    window /= np.sqrt(np.mean(window**2))
    aa = np.zeros(size // 2 + 1)
    bb, ab = np.zeros(size // 2 + 1), np.zeros(size // 2 + 1, complex)
    blocks = 0
    for start in range(0, max(1, n - size // 2), size // 2):
        fx, fy = (
            scipy.fft.rfft(np.pad(piece, ((0, 0), (0, size - piece.shape[1]))) * window, axis=1)
            for piece in (line[:, start : start + size] for line in (a, b))
        )
        aa += (np.abs(fx) ** 2).sum(axis=0)
        bb += (np.abs(fy) ** 2).sum(axis=0)
        ab += (fy * fx.conj()).sum(axis=0)
        blocks += 1
    return _Spectra(aa / blocks, bb / blocks, ab / blocks, size, rate)


def _best(correlation: np.ndarray, reach: int) -> tuple[float, float]:
    """Lag in fine steps, between them too, and the correlation there with its sign.

    A lag that is not clearly better than a shorter one is not taken for it.
    """
    near = np.concatenate([correlation[-reach:], correlation[: reach + 1]])
    size = np.abs(near)
    top = float(size.max())
    peaks = np.flatnonzero(size >= 0.999 * top)
    k = int(peaks[np.argmin(np.abs(peaks - reach))])
    while 0 < k < len(size) - 1 and size[k] < max(size[k - 1], size[k + 1]):
        k += 1 if size[k + 1] > size[k - 1] else -1
    part = 0.0
    if 0 < k < len(size) - 1:
        left, middle, right = size[k - 1 : k + 2]
        bow = left - 2 * middle + right
        part = 0.5 * (left - right) / bow if bow < 0 else 0.0
    return k + float(np.clip(part, -0.5, 0.5)) - reach, float(near[k])


def _sum_db(powers: tuple[float, float], shared: float) -> float | None:
    alone = powers[0] + powers[1]
    if alone <= 0:
        return None
    return round(float(power_decibels(max(alone + 2 * shared, 1e-9 * alone) / alone)), 3)


def two_paths(
    path_a: Path | str, path_b: Path | str, *, a_name: str | None = None, b_name: str | None = None,
    most_ms: float = 30.0,
) -> TwoPaths:  # fmt: skip
    """How two paths of the same sound add up. most_ms: delays are looked for up to this, either way.

    Left goes with left and right with right, a mono with both; of each the first two minutes. Raises AudioError, and
    MeasureError where one of the two is silent or too short.
    """
    if not 0 < most_ms <= MOST_MS:
        raise MeasureError(f"Delays are looked for up to {fmt.number(MOST_MS, 0)} ms.")
    a, rate, name_a = _read(path_a, a_name, None)
    b, _, name_b = _read(path_b, b_name, rate)
    n = min(a.shape[1], b.shape[1])
    if n < LEAST_S * rate:
        raise MeasureError("The two have less than half a second in common: take longer clips.")
    a, b = a[:, :n], b[:, :n]
    for sound, name in ((a, name_a), (b, name_b)):
        if not np.any(np.abs(sound) > 1e-7):
            raise MeasureError(f"“{name}” is silent: nothing can be added to it.")
    a, b = _pairs(a, b)
    spectra = _spectra(a, b, rate)
    hz = scipy.fft.rfftfreq(spectra.size, 1 / rate)
    everything = hz > 20
    reach = min(round(most_ms * rate / 1e3) * _FINE, spectra.size * _FINE // 4)
    correlation = spectra.correlation(everything)
    powers = spectra.powers(everything)
    lag, shared = _best(correlation, reach)
    share = 2 * abs(shared) / (powers[0] + powers[1])
    likeness = abs(shared) / float(np.sqrt(powers[0] * powers[1]))
    related = likeness >= _RELATED
    polarity: Literal[1, -1] = 1 if shared >= 0 else -1
    at = round(lag) % len(correlation)
    now = _sum_db(powers, float(correlation[0])) or 0.0
    best = _sum_db(powers, abs(shared)) or 0.0
    late = lag / _FINE
    # A delay that brings nothing over the polarity alone is not worth a move.
    unmoved = _sum_db(powers, polarity * float(correlation[0])) or 0.0
    moves = best - unmoved >= _WORTH_DB
    bands = [
        band
        for centre in OCTAVES_HZ
        if (band := _band(spectra, hz, centre, reach, at, polarity)) is not None
    ]
    gain = round(best - now, 3)
    late_ms = 1e3 * late / rate
    return TwoPaths(
        related=related, late_ms=round(late_ms, 4) if related else None,
        late_samples=round(late, 3) if related else None, polarity=polarity if related else 1,
        now_db=now, best_db=best, gain_db=gain, mono_loss_db=round(now - best, 3),
        b_against_a_db=round(float(power_decibels(powers[1] / powers[0])), 2),
        over_s=round(n / rate, 3), rate_hz=rate, bands=bands,
        pictures=[
            _by_delay(correlation, powers, reach, rate, late_ms if related else None, polarity),
            _over_time(a, b, late if related else 0.0, polarity, rate),
        ],
        sentence=_turned_side(a, b, rate, everything, reach)
        or _said(related, late_ms if moves else 0.0, polarity, gain, likeness),
        notes=[
            f"{fmt.number(100 * min(1.0, share), 0)} % of their power adds up at best.",
            "Loudest is not always best: what is taken out of phase on purpose is a sound of its own.",
        ],
    )  # fmt: skip


def _turned_side(a: np.ndarray, b: np.ndarray, rate: int, inside: np.ndarray, reach: int) -> str:
    """Where left and right of one of the two want different polarities: first mend that."""
    if len(a) != 2:
        return ""
    signs = []
    for x, y in zip(a, b, strict=True):
        alone = _spectra(x[None], y[None], rate)
        powers = alone.powers(inside)
        _, shared = _best(alone.correlation(inside), reach)
        if abs(shared) < _CLEAR * float(np.sqrt(powers[0] * powers[1])):
            return ""
        signs.append(shared > 0)
    if signs[0] == signs[1]:
        return ""
    return (
        "Left and right want different polarities: one side of A or B is turned over. Turn that side first, "
        "then compare again."
    )


def _said(related: bool, late_ms: float, polarity: int, gain_db: float, likeness: float) -> str:
    if not related:
        return (
            f"No delay brings these two together: they share {fmt.number(100 * likeness, 0)} % of their movement. "
            "They are other sounds, or too far apart."
        )
    if gain_db < 0.1:
        return "They are as loud together as they can be: leave them."
    moves = []
    if abs(late_ms) >= 0.005:
        moves.append(
            f"move B {fmt.number(abs(late_ms), 2)} ms {'earlier' if late_ms > 0 else 'later'}"
        )
    if polarity < 0:
        moves.append("turn its polarity over")
    told = " and ".join(moves) or "leave them"
    return f"{told[0].upper()}{told[1:]}: together they get {fmt.number(gain_db, 1)} dB louder."


def _band(
    spectra: _Spectra, hz: np.ndarray, centre: float, reach: int, at: int, polarity: int
) -> PathBand | None:
    if centre / np.sqrt(2) >= hz[-1]:
        return None
    inside = (hz >= centre / np.sqrt(2)) & (hz < centre * np.sqrt(2))
    powers = spectra.powers(inside)
    whole = sum(spectra.powers(hz > 20))
    if sum(powers) <= whole * float(power_of(_QUIET_DB)):
        return PathBand(hz=centre, now_db=None, set_db=None, best_db=None, best_ms=None, polarity=1)
    line = spectra.correlation(inside)
    lag, shared = _best(line, reach)
    set_db, best_db = _sum_db(powers, polarity * float(line[at])), _sum_db(powers, abs(shared))
    if set_db is not None and best_db is not None and best_db - set_db < _WORTH_DB:
        # What is set for the whole serves this band as well as any delay of its own.
        lag = at if at < len(line) // 2 else at - len(line)
        shared = polarity * abs(shared)
    return PathBand(
        hz=centre, now_db=_sum_db(powers, float(line[0])),
        set_db=set_db, best_db=best_db,
        best_ms=round(1e3 * lag / _FINE / spectra.rate_hz, 3), polarity=1 if shared >= 0 else -1,
    )  # fmt: skip


def _by_delay(
    correlation: np.ndarray, powers: tuple[float, float], reach: int, rate: int,
    late_ms: float | None, polarity: int,
) -> Picture:  # fmt: skip
    """Level of the sum with B moved, over the stretch that matters: the finding and some around it."""
    around = max(2.0, 2.5 * abs(late_ms or 0.0)) * rate / 1e3 * _FINE
    wide = int(min(reach, around))
    step = max(1, wide // 300)
    places = np.arange(-wide, wide + 1, step)
    alone = sum(powers)
    lines = []
    for sign, name in ((1, "upright"), (-1, "turned over")):
        power = np.maximum(alone + 2 * sign * correlation[places % len(correlation)], 1e-4 * alone)
        db = power_decibels(power / alone)
        lines.append(
            Series(
                name=name, look="found" if sign == polarity else "fit",
                x=[round(float(p), 4) for p in 1e3 * places / _FINE / rate],
                y=[round(float(v), 3) for v in db],
            )
        )  # fmt: skip
    lines.sort(key=lambda s: s.look != "fit")
    marks = [Mark(x=0.0, label="now")]
    if late_ms is not None and abs(late_ms) > 0.02:
        marks.append(Mark(x=round(late_ms, 4), label=f"{fmt.signed(late_ms, 2)} ms"))
    return Picture(
        title="The sum by delay", about="dB against both added as if unrelated; B earlier by", x_unit="ms",
        y_unit="dB", series=lines, marks=marks,
    )  # fmt: skip


def _over_time(a: np.ndarray, b: np.ndarray, late: float, polarity: int, rate: int) -> Picture:
    """Correlation in windows of 0.4 s, as they are and with B moved by whole samples."""
    n = a.shape[1]
    step = round(_WINDOW_S * rate)
    whole = round(late)
    loud = np.sqrt(np.mean(a**2)) * 1e-3
    at, now, then = [], [], []
    for start in range(0, n - step + 1, max(step, n // 400)):
        x, y = a[:, start : start + step], b[:, start : start + step]
        first = start + whole
        moved = b[:, max(0, first) : max(0, first) + step] if first >= 0 else y
        at.append(round(start / rate, 3))
        now.append(_likeness(x, y, loud))
        then.append(
            _likeness(x, polarity * moved, loud) if moved.shape[1] == step and first >= 0 else None
        )
    return Picture(
        title="Correlation over time", about="1: they add up; \u22121: they cancel", x_unit="s",
        y_unit="of full scale",
        series=[
            Series(name="now", look="fit", x=at, y=now),
            Series(name="as set", look="found", x=at, y=then),
        ],
    )  # fmt: skip


def _likeness(x: np.ndarray, y: np.ndarray, loud: float) -> float | None:
    power = float(np.sqrt((x * x).sum() * (y * y).sum()))
    if power <= loud * loud * x.size:
        return None
    return round(float((x * y).sum()) / power, 4)
