"""Which channels of a recording hold its sound."""

import numpy as np

from core.units.decibel import power_of

BESIDE_DB = 40.0


def sounding(samples: np.ndarray) -> np.ndarray:
    """Channels within 40 dB of the loudest, (channels, frames): an input that was not plugged in is no side."""
    power = (samples**2).mean(axis=1)
    return np.asarray(samples[power >= power.max() * float(power_of(-BESIDE_DB))])
