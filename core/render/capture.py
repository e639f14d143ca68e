"""A recording of real gear, brought to the time of its variant's render, to be heard in its place."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import soxr

from core.audio import open_audio
from core.audio.floats import write_float
from core.errors import FonodromeError
from core.measure import null_test
from core.render.meters import SoundMeter
from core.render.report import RenderDetail, RenderReport

_BLOCK = 1 << 16
Progress = Callable[[float, str], None]


def align_capture(
    mix: Path, capture: Path, name: str, target: Path, start_s: float, progress: Progress
) -> tuple[RenderReport, RenderDetail]:
    """Write `capture` so that it lies under `mix` sample by sample, as long as it, and measure it.

    The time comes from a null test of the two; polarity, level and sound stay as they were recorded.
    Raises FonodromeError where the two have nothing to do with each other.
    """
    found = null_test(
        mix, capture, b_name=name, progress=lambda s, _: progress(0.6 * s, "Aligning")
    )
    depth = found.null_depth_db
    if depth is not None and depth > -1.0:
        raise FonodromeError(
            f"“{name}” does not match this variant's render: no offset brings them together. "
            "Choose the clip that was recorded from this part."
        )
    with open_audio(mix, own=True) as against, open_audio(capture, name) as sound:
        rate, frames = against.rate_hz, against.frames
        samples = np.asarray(sound.read(0, sound.frames), np.float64)[:2]
        if sound.rate_hz != rate:
            samples = soxr.resample(samples.T, sound.rate_hz, rate, "HQ").T
    offset_ms = found.offset_ms or 0.0
    late = round(found.offset_samples or 0.0)
    out = np.zeros((len(samples), frames))
    first, last = max(0, -late), min(frames, samples.shape[1] - late)
    if last > first:
        out[:, first:last] = samples[:, first + late : last + late]
    meter = SoundMeter(len(out), rate, frames)
    for start in range(0, frames, _BLOCK):
        meter.push(out[:, start : start + _BLOCK])
        progress(0.6 + 0.4 * start / frames, "Measuring")
    write_float(target, out, rate)
    report = RenderReport(
        **meter.report().model_dump(), start_s=start_s, place=None, needs_render="", stems=[],
        sentence=f"“{name}”, moved by {-offset_ms:+.3f} ms onto the render.".replace("-", "\u2212"),
    )  # fmt: skip
    return report, RenderDetail(**meter.curves().model_dump(), energies=[], before_dbfs=[])
