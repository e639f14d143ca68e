"""Causes: why two clips do not null, and what to set."""

from collections.abc import Sequence
from contextlib import ExitStack
from itertools import zip_longest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soundfile

from core.audio.examine import Progress
from core.audio.source import open_audio
from core.causes.assemble import Assembled
from core.causes.explain import explain as find_causes
from core.measure import Measurement, NullOptions, null_test
from core.measure.null_test import Compared
from core.measure.view import resampled_copy, view_of

__all__ = ["explained_test"]


def _explain(
    given: Compared,
    stems: Sequence[Path | str],
    names: Sequence[str],
    scratch: Path | None,
    detectors: bool,
) -> Assembled:
    region, rate = given.options.region_a, given.a.rate_hz
    with ExitStack() as stack:
        folder = Path(stack.enter_context(TemporaryDirectory(prefix="stems-", dir=scratch)))
        opened = []
        for stem, name in zip_longest(stems, names):
            source = stack.enter_context(open_audio(stem, name))
            if source.rate_hz != rate:
                source = stack.enter_context(resampled_copy(source, rate, folder)[0])
            opened.append(source)
        views = [view_of(source, "a stem", region.start_s, region.length_s) for source in opened]
        return Assembled(
            find_causes(
                given.a, given.b, given.aligned, given.matches, given.result, given.floor_power,
                given.options.search_s, given.progress, views, detectors,
            )
        )  # fmt: skip


def explained_test(
    a: Path | str,
    b: Path | str,
    options: NullOptions = NullOptions(),
    *,
    stems: Sequence[Path | str] = (),
    stem_names: Sequence[str] = (),
    a_name: str | None = None,
    b_name: str | None = None,
    progress: Progress = lambda share, stage: None,
    scratch: Path | None = None,
    keep: Path | None = None,
    detectors: bool = True,
) -> Measurement:
    """A null test with its causes. Raises AudioError and MeasureError like `null_test`.

    `stems`: what A was mixed of, from the same start. `keep`: a file for what
    is left of an excerpt after each step that matching alone cannot undo (FLAC, one after another);
    it is written where there is such a step, and `rests` says what is in it. `detectors`: whether
    it is searched what a gain over time follows; without, a compressor is a level that moves.
    """
    explained: list[Assembled] = []

    def explain(given: Compared) -> Assembled:
        explained.append(_explain(given, stems, stem_names, scratch, detectors))
        return explained[-1]

    found = null_test(
        a, b, options, a_name=a_name, b_name=b_name, progress=progress, scratch=scratch,
        explain=explain,
    )  # fmt: skip
    if keep is None or found.rests is None:
        return found.model_copy(update={"rests": None})
    kept = explained[-1].kept(found.to_set)
    with soundfile.SoundFile(
        keep, "w", found.rests.rate_hz, len(next(iter(kept.values()))), "PCM_24", format="FLAC"
    ) as out:
        for rest in kept.values():
            out.write(np.clip(rest.T, -1.0, 1.0))
    return found
