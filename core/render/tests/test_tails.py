"""Power by band and side of a reverb as it sounds, against what the plan takes it for."""

import unittest

import numpy as np

from core.render.rig import Renderer
from core.render.run import run
from core.routing import Context, compile_rig, parse_rig
from core.routing.plan.cells import MIDDLE_HZ
from core.units import TempoFrame


class AsRendered(unittest.TestCase):
    """Power by band and side of a reverb as it sounds, against what the plan takes it for."""

    BANDS = ((40, 80), (80, 160), (160, 500), (500, 1500), (1500, 5000), (5000, 12_000))

    def response(self, text: str, seed: int = 0):
        plan = compile_rig(parse_rig(text), Context(TempoFrame(tempo_bpm=120)))
        sides = plan.channels[plan.sources["a"]]
        hit, parts = np.zeros((sides, 3 * 48_000)), []
        hit[0, 0] = 1.0
        renderer = Renderer(plan, 48_000, {}, seed=seed)
        run(
            renderer, lambda start, n: {"a": hit[:, start : start + n]}, hit.shape[1],
            lambda out: parts.append(out["o"]), tail_s=0.0,
        )  # fmt: skip
        return plan, np.concatenate(parts, axis=1)

    def bands(self, sounds: list[np.ndarray]) -> np.ndarray:
        """(bands, 3): mean power left, right and in common, for equal power in every octave."""
        rows = []
        for low, high in self.BANDS:
            row = np.zeros(3)
            for sound in sounds:
                left, right = np.fft.rfft(sound, axis=1)
                hz = np.fft.rfftfreq(sound.shape[1], 1 / 48_000)
                inside = (hz >= low) & (hz < high)
                weights = 1 / hz[inside] / (1 / hz[inside]).sum()
                for i, x in enumerate(
                    (left * left.conj(), right * right.conj(), left * right.conj())
                ):
                    row[i] += float((weights * x.real[inside]).sum()) / len(sounds)
            rows.append(row)
        return np.array(rows)

    def test_sides_and_bands(self):
        for stereo in (False, True):
            for settings in ("RT60 0.6 s, locked", "RT60 2 s, locked", "RT60 1.2 s"):
                text = (
                    f"a: source (level 0 dB{', stereo' if stereo else ''}) "
                    f"> r: reverb ({settings}) > o: output (stereo)"
                )
                heard_of = [self.response(text, seed) for seed in range(6)]
                plan = heard_of[0][0]
                power = plan.carried.cells(plan.outputs["o"])
                if stereo:
                    # Only its left side was struck.
                    (arc,) = [a for a in plan.arcs if a.diffuse]
                    power = arc.spread.kernel[:, 0]
                got = self.bands([sound for _, sound in heard_of])
                for (low, high), row in zip(self.BANDS, got, strict=True):
                    inside = np.logical_and(low <= MIDDLE_HZ, high > MIDDLE_HZ)
                    weights = self.weights(plan)[inside]
                    share = np.ones(weights.shape) / len(weights) if stereo else 1 / weights.sum()
                    want = (power[:3, inside] * share).sum(axis=1)
                    with self.subTest(settings, stereo=stereo, band=(low, high)):
                        # Six sets of lines leave this much to luck where there are few modes.
                        luck = 1.2 if high <= 160 else 0.7
                        for side in (0, 1):
                            self.assertAlmostEqual(
                                10 * np.log10(want[side] / row[side]), 0, delta=luck
                            )
                        whole = np.sqrt(row[0] * row[1])
                        self.assertAlmostEqual(want[2] / whole, row[2] / whole, delta=0.2)

    def weights(self, plan) -> np.ndarray:
        """Of the assumed spectrum, worked apart: equal power in every octave, 40 Hz to 16 kHz."""
        edges = np.geomspace(20, 20_000, 97)
        logs = np.log(np.clip(edges, 40, 16_000))
        return np.diff(logs) / (np.log(16_000) - np.log(40))
