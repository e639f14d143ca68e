"""A delay that wanders: vibrato, flutter."""

import numpy as np
import scipy

from core.causes import say
from core.causes.pair import MARGIN, depth_db
from core.causes.state import State, sureness
from core.causes.times import TimeFound
from core.causes.track import Piece, lag_in
from core.causes.warp import read_at
from core.measure.results import Cause, Picture, Series, ToSet
from core.units import format as fmt


def find_wander(
    state: State, wide: np.ndarray, y: np.ndarray, times: TimeFound
) -> tuple[float, np.ndarray, np.ndarray, np.ndarray, np.ndarray] | None:
    """B as A read at a place that wanders: depth, prediction, times (s), lags (samples), gains."""
    size, hop, reach = 2048, 512, 256
    n = y.shape[1]
    count = (n - size - 2 * reach) // hop
    if count < 20:
        return None
    few = np.unique(np.linspace(0, count - 1, 40).astype(int))

    def at(k: int) -> tuple[float, float, float]:
        start = reach + int(k) * hop
        block = wide[:, MARGIN + start : MARGIN + start + size]
        return lag_in(Piece(block), y[:, start - reach : start + size + reach], reach)

    first = np.array([at(int(k)) for k in few])
    sure = first[:, 1] > 5
    if sure.sum() < 10:
        return None
    spread = np.percentile(first[sure, 0], 90) - np.percentile(first[sure, 0], 10)
    if spread < 0.3:
        return None
    lags = np.array([at(k) for k in range(count)])
    middle = np.arange(count) * hop + reach + size / 2
    sure = lags[:, 1] > 5
    if sure.sum() < 10:
        return None
    # A window of a steady note may land a period off: it is judged by its neighbours.
    kept, held = lags[sure, 0], np.flatnonzero(sure)
    for width, most in ((31, 12.0), (11, 4.0)):
        smooth = scipy.ndimage.median_filter(kept, min(width, len(kept) | 1), mode="nearest")
        near = np.abs(kept - smooth) < most
        kept, held = kept[near], held[near]
    if len(kept) < 10:
        return None
    line = np.interp(np.arange(count), held, kept)
    line = scipy.signal.medfilt(line, 5)
    line = scipy.signal.savgol_filter(line, 7, 2)
    places = np.arange(n) - np.interp(np.arange(n), middle, line) + MARGIN
    made = np.array([read_at(row, places) for row in wide])
    gains = np.array(
        [float(m @ r) / max(float(m @ m), 1e-30) for m, r in zip(made, y, strict=True)]
    )
    made *= gains[:, None]
    return depth_db(y - made, y), made, middle / state.pair.rate_hz, line, gains


def say_wander(
    state: State, wander: tuple[float, np.ndarray, np.ndarray, np.ndarray, np.ndarray],
    plain: float,
) -> None:  # fmt: skip
    depth, _, at, line, _ = wander
    rate = state.pair.rate_hz
    # Single windows that went astray have no say in how it swings.
    low, high = np.percentile(line, [4, 96])
    held = np.clip(line, low, high)
    ms = 1e3 * (held - held.mean()) / rate
    step = float(at[1] - at[0])
    spectrum = np.abs(np.fft.rfft(ms * np.hanning(len(ms))))
    hz = np.fft.rfftfreq(len(ms), step)
    spectrum[0] = 0
    top = int(np.argmax(spectrum))
    share = float(
        (spectrum[max(0, top - 2) : top + 3] ** 2).sum() / max(float((spectrum**2).sum()), 1e-30)
    )
    swing = float(np.percentile(ms, 98) - np.percentile(ms, 2))
    start = state.pair.start / rate
    takes = plain - depth
    pick = say.thinned(len(at))
    even = share > 0.6
    rate_word = f" {fmt.significant(float(hz[top]), 2)} times a second" if even else ", not evenly"
    state.say(
        Cause(
            code="modulation", title="B's time wanders", takes_db=round(takes, 2),
            sure=sureness(takes, depth),
            evidence=f"The delay swings by {fmt.significant(swing, 3)} ms{rate_word}: a vibrato or chorus, or a tape's flutter.",
            figures={"wander_ms": round(swing, 4), "wander_hz": round(float(hz[top]), 3)},
            words={"even": "yes" if even else "no"},
            pictures=[Picture(title="Delay over time", about="ms, B late", x_unit="s", y_unit="ms",
                series=[Series(name="found", look="found", x=say.rounded(at[pick] + start, 3), y=list(say.rounded(1e3 * line[pick] / rate, 4)))])],
        )
    )  # fmt: skip
    state.out.later.append(
        (ToSet(code="modulation", words="Switch the modulation off, or to the same phase", value=f"{fmt.significant(float(hz[top]), 2)} Hz",
               beside=f"{fmt.significant(swing, 3)} ms", leaves_db=None, takes_db=None), takes)
    )  # fmt: skip
    state.out.offset_is_sure = False
