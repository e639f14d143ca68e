"""Compile the sample loops once, before workers start: two first compilers can spoil a cache."""

import tempfile
from pathlib import Path

import numpy as np
import soundfile
from django.core.management.base import BaseCommand

from core.blend import ParallelSettings
from core.causes import warm_up as warm_up_causes
from core.measure import null_test
from core.render import render_clip
from core.render.simulate import measure_parallel
from core.routing import compile_rig, parse_rig
from core.space import clip_levels


class Command(BaseCommand):
    help = "Compile what is compiled on first use"

    def handle(self, *args: object, **options: object) -> None:
        rng = np.random.default_rng(1)
        with tempfile.TemporaryDirectory() as folder:
            for subtype in ("PCM_24", "DOUBLE"):
                path = Path(folder) / f"{subtype}.wav"
                soundfile.write(path, rng.standard_normal((9_600, 2)) * 0.1, 48_000, subtype)
                null_test(path, path)
            measure_parallel(path, "noise", ParallelSettings())
            clip_levels(path, "noise")
        warm_up_causes(rng.standard_normal((1, 12_000)) * 0.1)
        plan = compile_rig(parse_rig("g: source > compressor > reverb > o: output (stereo)"))
        render_clip(plan, 48_000, {"g": rng.standard_normal((1, 4_800)) * 0.1}, tail_s=0)
