"""Drive: gain into a shaper, oversampled."""

from collections.abc import Callable

import numpy as np

from core.audio.oversample import LATENCY, Oversampler
from core.render.processors.base import Setting
from core.routing.document import kinds as k
from core.units.decibel import amplitude


def shaper(shape: str, ceiling: float) -> Callable[[np.ndarray], None]:
    """What bends a signal (float32), in place.

    Soft: `c tanh(x / c)`. Hard: cut at c. Fold: turned back at c, `2 c / pi asin sin`.
    """
    top, most = np.float32(ceiling), np.float32(1 / ceiling)

    def soft(x: np.ndarray) -> None:
        np.multiply(x, most, out=x)
        np.tanh(x, out=x)
        np.multiply(x, top, out=x)

    def hard(x: np.ndarray) -> None:
        np.clip(x, -top, top, out=x)

    def fold(x: np.ndarray) -> None:
        np.multiply(x, np.float32(np.pi / 2) * most, out=x)
        np.sin(x, out=x)
        np.arcsin(x, out=x)
        np.multiply(x, np.float32(2 / np.pi) * top, out=x)

    return {"soft": soft, "hard": hard, "fold": fold}[shape]


class DriveWork:
    """Gain into a shaper on four times as many samples, 56 samples late, which is made up for.

    What folds back at 5 kHz and full scale with 10 dB of drive: soft more than 60 dB down; hard and
    fold, whose harmonics fall slowly, about 40 dB. Single precision.
    """

    latency = LATENCY
    own = 0.0

    def __init__(self, stage: k.Drive, setting: Setting) -> None:
        self.gain = amplitude(stage.gain_db)
        self.shape = shaper(stage.shape, amplitude(stage.ceiling_dbfs))
        self.over = Oversampler(setting.channels)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        channels = self.over.channels
        out = np.zeros_like(block)
        out[:channels] = self.over.around(block[:channels] * self.gain, self.shape)
        return out
