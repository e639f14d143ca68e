"""A rig on a clip: from one file to another, with what was measured on the way."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from pydantic import Field

from core.audio import open_audio
from core.audio.loudness import integrated_lufs
from core.edge import Edge
from core.render.rig import Renderer, RenderError, render_clip
from core.routing.plan import Plan

LONGEST_S = 60.0
Progress = Callable[[float, str], None]


class RenderReport(Edge):
    """A rig rendered on a clip."""

    seconds: float
    rate_hz: int
    channels: int
    loudness_lufs: float | None = Field(description="Integrated; null for silence")
    peak_dbfs: float | None = Field(description="Largest sample; null for silence")
    shortened: bool = Field(description="Only the clip's first minute was rendered")
    sentence: str


def render_file(
    plan: Plan, source: str, output: str, clip: Path, name: str, target: Path, progress: Progress
) -> RenderReport:
    """Render `clip` through the plan from a source to an output, as a 32-bit float WAV.

    At the clip's own rate; the other sources are silent. Raises RenderError and AudioError; a file
    that was begun is removed.
    """
    if source not in plan.sources or output not in plan.outputs:
        raise RenderError("The rig has no such source or output any more.")
    with open_audio(clip, name) as sound:
        rate = sound.rate_hz
        frames = min(sound.frames, round(LONGEST_S * rate))
        shortened = frames < sound.frames
        dry = np.asarray(sound.read(0, frames), dtype=np.float64)[:2]
    out = render_clip(
        plan, rate, {source: dry}, progress=lambda share: progress(0.9 * share, "Rendering")
    )[output]
    wide = plan.channels[plan.outputs[output]] == 2
    out = out if wide else out[:1]
    progress(0.95, "Measuring")
    peak = float(np.abs(out).max()) if out.size else 0.0
    try:
        soundfile.write(target, out.T.astype(np.float32), rate, format="WAV", subtype="FLOAT")
    except BaseException:
        target.unlink(missing_ok=True)
        raise
    loudness = integrated_lufs(out, rate)
    level = 20 * np.log10(peak) if peak > 0 else None
    said = f"{out.shape[1] / rate:.1f} s rendered"
    if shortened:
        said += f", the first {LONGEST_S:g} s of the clip"
    return RenderReport(
        seconds=out.shape[1] / rate, rate_hz=rate, channels=len(out), loudness_lufs=loudness,
        peak_dbfs=None if level is None else float(level), shortened=shortened, sentence=said + ".",
    )  # fmt: skip


__all__ = ["RenderReport", "Renderer", "render_file"]
