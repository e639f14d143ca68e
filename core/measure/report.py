"""Turn the sums of a null test into figures, curves and notes."""

import numpy as np

from core.audio.examine import to_db
from core.audio.source import AudioSource
from core.measure import kernel
from core.measure.align import Window
from core.measure.alignment import Alignment
from core.measure.bands import third_octave_centres_hz
from core.measure.passes import ChannelMatch, MatchedReader, PassResult
from core.measure.results import (
    Bands,
    ChannelResult,
    ClipFacts,
    MatchedChannel,
    Measurement,
    Overlay,
    Step,
    Timeline,
)
from core.measure.view import View
from core.units.decibel import amplitude, decibels

_COLUMNS = 600
_OVERLAY_S = 0.024
_ONE_DB = 10**0.1


def _down(part: float, whole: float) -> float | None:
    """Power ratio in dB; null when the part is exactly nothing."""
    level = to_db(part / whole) if whole > 0 else None
    return None if level is None else round(level, 6)


def _left(sums: np.ndarray, gains: np.ndarray, trial: np.ndarray) -> float:
    """Energy of a - trial * b from the sums of a - gain * b, without cancellation."""
    off = gains - trial
    energy = sums[:, kernel.RR] + 2 * off * sums[:, kernel.RB] + off * off * sums[:, kernel.BB]
    return float(np.maximum(energy, 0.0).sum())


def _steps(result: PassResult, joint: np.ndarray, gains: np.ndarray, swapped: bool) -> list[Step]:
    whole = float(joint[:, kernel.AA].sum())
    weights = joint[:, kernel.BB]
    shared = float((gains * weights).sum()) / max(float(weights.sum()), 1e-30)
    upright = np.ones_like(gains)
    sign = -1.0 if shared < 0 else 1.0
    after_time = "Time, and sides swapped back" if swapped else "Time"
    energies = [
        ("raw", "As delivered", float(result.raw[:, 0].sum()), float(result.raw[:, 1].sum())),
        ("time", after_time, _left(joint, gains, upright), whole),
        ("polarity", "Polarity", _left(joint, gains, sign * upright), whole),
        # A gain fitted on all sums may beat those fitted on the windows by a hair; never show it.
        (
            "gain",
            "Gain",
            max(_left(joint, gains, shared * upright), result.total(kernel.RR)),
            whole,
        ),
        ("channels", "Each channel", result.total(kernel.RR), result.total(kernel.AA)),
    ]
    steps: list[Step] = []
    for step_id, name, part, total in energies:
        level = _down(part, total)
        before = steps[-1].null_db if steps else None
        bought = None if level is None or before is None else round(before - level, 6)
        steps.append(
            Step.model_validate(
                {"id": step_id, "name": name, "null_db": level, "bought_db": bought}
            )
        )
    return steps


def _channel_name(index: int, count: int) -> str:
    if count == 1:
        return "mono"
    return ("left", "right")[index] if count == 2 else f"channel {index + 1}"


def _channels(
    matches: list[ChannelMatch], result: PassResult, live: list[bool]
) -> list[ChannelResult]:
    out = []
    for k, match in enumerate(matches):
        row = result.sums[k]
        alive = live[k] and match.gain != 0
        out.append(
            ChannelResult(
                a_channel=match.a_channel + 1,
                b_channel=match.b_channel + 1,
                name=_channel_name(k, len(matches)),
                offset_samples=match.lag if alive else None,
                gain_db=-decibels(float(abs(match.gain))) if alive else None,
                polarity=-1 if match.gain < 0 else 1,
                null_depth_db=_down(row[kernel.RR], row[kernel.AA]) if alive else None,
                silent=not alive,
            )
        )
    return out


def grid_bits(block: np.ndarray, most: int | None) -> int | None:
    """Smallest word length (8, 16, 20, 24 or 32 bits) that holds every sample exactly.

    None where none does: floating point, or sound that came out of a lossy codec.
    """
    for bits in (8, 16, 20, 24, 32):
        if most is not None and bits >= most:
            return most
        scaled = block.astype(np.float64) * 2.0 ** (bits - 1)
        if np.array_equal(scaled, np.round(scaled)):
            return bits
    return None


def _rounding_power(bits: int | None, lossy: bool, power: float, dither: bool) -> float:
    """q^2/12, or q^2/4 with triangular dither; for floats that of a 24-bit mantissa."""
    if lossy:
        return 0.0
    if bits is None:
        return power * 2.0**-48 / 3.0
    step = 2.0 ** (1 - bits)
    return step * step / (4.0 if dither else 12.0)


def _is_white(band_energy: np.ndarray, centres: np.ndarray) -> bool:
    """Whether the energy per hertz is even within 3 dB from 500 Hz to 16 kHz."""
    middle = (centres > 450) & (centres < 17_000)
    density = band_energy[middle] / centres[middle]
    return len(density) > 5 and density.min() > 0 and density.max() < 4.0 * density.min()


def _timeline(result: PassResult, rate_hz: int, rows: int) -> Timeline:
    counts = np.full(len(result.frame_a), result.frame_frames, dtype=float)
    counts[-1] = result.frames - (len(counts) - 1) * result.frame_frames
    level_a, level_r = result.frame_a / counts / rows, result.frame_r / counts / rows
    per = -(-len(counts) // _COLUMNS)
    starts = np.arange(0, len(counts), per)
    worst = int(np.argmax(level_r))
    loudest = float(level_r[worst])

    def column(level: np.ndarray) -> list[float | None]:
        return [_short(float(v)) for v in np.maximum.reduceat(level, starts)]

    return Timeline(
        start_s=result.first / rate_hz,
        step_s=per * result.frame_frames / rate_hz,
        a_dbfs=column(level_a),
        residual_dbfs=column(level_r),
        worst_at_s=(result.first + worst * result.frame_frames) / rate_hz if loudest else None,
        worst_dbfs=to_db(loudest),
    )


def _short(power: float) -> float | None:
    level = to_db(power)
    return None if level is None else round(level, 2)


def _bands(result: PassResult, rate_hz: int, rows: int) -> Bands:
    scale = 1.0 / (result.frames * rows)
    return Bands(
        centre_hz=[round(float(f), 2) for f in third_octave_centres_hz(rate_hz)],
        a_dbfs=[_short(float(e) * scale) for e in result.band_a],
        residual_dbfs=[_short(float(e) * scale) for e in result.band_r],
    )


def _overlay(
    a: View, b: View, matches: list[ChannelMatch], result: PassResult, window: Window
) -> Overlay:
    row = int(np.argmax(result.sums[:, kernel.AA]))
    match = matches[row]
    count = min(round(_OVERLAY_S * a.rate_hz), result.frames)
    look = a.read(window.start, window.frames)[match.a_channel]
    middle = window.start + int(np.argmax(np.abs(look)))
    start = int(np.clip(middle - count // 4, result.first, result.end - count))
    stride = max(1, -(-count // 1200))
    cut_a = a.read(start, count)[match.a_channel].astype(np.float64)
    delivered = b.read(start, count)[match.b_channel].astype(np.float64)
    moved = MatchedReader(b, [match], np.dtype(np.float64)).read(start, count)[0] * match.gain
    rest = cut_a - moved
    top, peak = float(np.abs(rest).max()), float(np.abs(cut_a).max())
    raised = 0.0
    if top > 0:
        raised = float(np.clip(10 * np.floor(2 * np.log10(0.5 * peak / top + 1e-30)), 0, 200))

    def points(values: np.ndarray) -> list[float]:
        return [round(float(v), 5) for v in values[::stride]]

    return Overlay(
        start_s=start / a.rate_hz,
        step_ms=stride / a.rate_hz * 1e3,
        channel=_channel_name(row, len(matches)),
        a=points(cut_a),
        b_delivered=points(delivered),
        b_matched=points(moved),
        residual=points(rest * amplitude(raised)),
        raised_db=raised,
    )


def _facts(source: AudioSource, view: View, window: Window, rms: float, peak: float) -> ClipFacts:
    probe = view.read(window.start, min(window.frames, 1 << 15))
    lossless = source.bits is not None or source.subtype in {"FLOAT", "DOUBLE"}
    return ClipFacts(
        name=source.name,
        rate_hz=source.rate_hz,
        channels=source.channels,
        seconds=source.seconds,
        encoding=source.subtype,
        grid_bits=grid_bits(probe, source.bits) if lossless else None,
        rms_dbfs=to_db(rms),
        peak_dbfs=to_db(peak * peak),
    )


def _common_gain(matches: list[ChannelMatch], sums: np.ndarray) -> float:
    """The gain of all channels together: the mean of their sizes, each weighed by its energy."""
    gains = np.array([abs(m.gain) for m in matches])
    weights = sums[:, kernel.AA]
    total = float(weights.sum())
    return float(np.exp(weights @ np.log(np.maximum(gains, 1e-9)) / total)) if total > 0 else 1.0


def _main(matches: list[ChannelMatch], sums: np.ndarray) -> ChannelMatch:
    """The channel that speaks for all: the loudest."""
    return matches[int(np.argmax(sums[:, kernel.AA]))]


def _floors(
    a: View, facts_a: ClipFacts, facts_b: ClipFacts, original_b: AudioSource,
    aa: float, bb: float, size: float,
) -> tuple[float, float]:  # fmt: skip
    """Power that rounding leaves, without and with dither in both, through the matching gain."""
    lossy_a = a.source.bits is None and facts_a.encoding not in _FLOATS
    lossy_b = original_b.bits is None and facts_b.encoding not in _FLOATS
    low, high = (
        _rounding_power(facts_a.grid_bits, lossy_a, aa, dither)
        + size * size * _rounding_power(facts_b.grid_bits, lossy_b, bb, dither)
        for dither in (False, True)
    )
    return low, high


def floor_power(
    a: View, b: View, original_b: AudioSource, matches: list[ChannelMatch], result: PassResult,
    windows: list[Window],
) -> float:  # fmt: skip
    """Mean square that the word lengths of both leave at best, in A's level."""
    samples = result.frames * len(matches)
    aa, bb = result.total(kernel.AA) / samples, result.total(kernel.BB) / samples
    main = _main(matches, result.sums)
    facts_a = _facts(a.source, a, windows[0], aa, 0.0)
    place = Window(max(windows[0].start + main.whole, b.first_possible()), windows[0].frames)
    if b.resampled:
        whole = View(original_b, 0, original_b.frames, original_b.rate_hz)
        place = Window(int(place.start * original_b.rate_hz / a.rate_hz), windows[0].frames)
        facts_b = _facts(original_b, whole, place, bb, 0.0)
    else:
        facts_b = _facts(b.source, b, place, bb, 0.0)
    size = _common_gain(matches, result.sums)
    return _floors(a, facts_a, facts_b, original_b, aa, bb, size)[0]


def build_measurement(
    a: View,
    b: View,
    original_b: AudioSource,
    matches: list[ChannelMatch],
    found: Alignment,
    result: PassResult,
    joint: np.ndarray,
    windows: list[Window],
    notes: list[str],
) -> Measurement:
    """Assemble the measurement. `joint`: sums at one common lag, for the steps."""
    sums, rows = result.sums, len(matches)
    gains = np.array([m.gain for m in matches])
    samples = result.frames * rows
    aa, rr = result.total(kernel.AA), result.total(kernel.RR)
    bb = result.total(kernel.BB)
    size = _common_gain(matches, sums)
    channels = _channels(matches, result, found.live)
    upside_down = all(c.polarity < 0 for c in channels if not c.silent)
    main = _main(matches, sums)
    place = Window(max(windows[0].start + main.whole, b.first_possible()), windows[0].frames)
    # The peak of B is not looked for by itself; it follows from its matched level only roughly.
    facts_a = _facts(a.source, a, windows[0], aa / samples, float(sums[:, kernel.PEAK_A].max()))
    if b.resampled:
        whole_b = View(original_b, 0, original_b.frames, original_b.rate_hz)
        probe = Window(int(place.start * original_b.rate_hz / a.rate_hz), windows[0].frames)
        facts_b = _facts(original_b, whole_b, probe, bb / samples, 0.0)
    else:
        facts_b = _facts(b.source, b, place, bb / samples, 0.0)
    low, high = _floors(a, facts_a, facts_b, original_b, aa / samples, bb / samples, size)
    left = rr / samples
    centres = third_octave_centres_hz(a.rate_hz)
    within = 0 < left <= low * _ONE_DB or (
        0 < left <= high * _ONE_DB and _is_white(result.band_r, centres)
    )
    peak_r = float(sums[:, kernel.PEAK_R].max())
    room = 40.0
    if left > 0:
        room = min(room, (to_db(aa / samples) or 0.0) - (to_db(left) or 0.0), -6 - decibels(peak_r))
    if main.fraction:
        notes = [
            *notes,
            "B was read between its samples by a windowed-sinc filter of 513 taps; 256 samples at "
            "the ends of its file are left out.",
        ]
    return Measurement(
        offset_samples=main.lag,
        offset_ms=main.lag / a.rate_hz * 1e3,
        gain_db=-decibels(float(size)) if size > 0 else 0.0,
        polarity=-1 if upside_down else 1,
        null_depth_db=_down(rr, aa),
        raw_null_db=_down(float(result.raw[:, 0].sum()), float(result.raw[:, 1].sum())),
        residual_rms_dbfs=to_db(left),
        residual_peak_dbfs=to_db(peak_r * peak_r),
        reference_rms_dbfs=to_db(aa / samples),
        rounding_floor_dbfs=to_db(low),
        within_rounding=bool(within),
        bit_identical=rr == 0.0,
        ambiguous=bool(found.coarse.rivals),
        swapped=found.swapped,
        ambiguous_offsets=[round(x, 2) for x in found.coarse.rivals[:4]],
        compared_start_s=result.first / a.rate_hz,
        compared_s=result.frames / a.rate_hz,
        compared_samples=result.frames,
        steps=_steps(result, joint, gains, found.swapped),
        channels=channels,
        bands=_bands(result, a.rate_hz, rows),
        timeline=_timeline(result, a.rate_hz, rows),
        overlay=_overlay(a, b, matches, result, windows[0]),
        matched=[
            MatchedChannel(a_channel=m.a_channel, b_channel=m.b_channel, lag=m.lag, gain=m.gain)
            for m in matches
        ],
        a=facts_a,
        b=facts_b,
        notes=notes,
        residual_listening_gain_db=float(round(room, 1)),
    )


_FLOATS = {"FLOAT", "DOUBLE"}
