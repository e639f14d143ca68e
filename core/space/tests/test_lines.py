"""Energies of the reverb's lines, against phases drawn at random and against rendered responses."""

import unittest

import numpy as np

from core.render.rig import Renderer, run
from core.routing import Context, compile_rig, parse_rig
from core.routing.plan.cells import MIDDLE_HZ
from core.space.lines import LENGTHS_MS, low_transfer, tail_power
from core.units import TempoFrame

MIX = np.array([[1.0]])
for _ in range(3):
    MIX = np.block([[MIX, MIX], [MIX, -MIX]]) / np.sqrt(2)
EVEN = np.arange(8) % 2 == 0


def heard(through: np.ndarray) -> np.ndarray:
    """(n, 2, 2): out by in, of lines that pass `through` (n, 8), lap by lap until nothing is left."""
    lines = np.zeros((len(through), 8, 2), complex)
    lines[:, EVEN, 0] = lines[:, ~EVEN, 1] = 0.5
    signs = np.stack([np.ones(8), np.where(EVEN, 1.0, -1.0)]) / np.sqrt(2)
    found = np.zeros((len(through), 2, 2), complex)
    while np.abs(lines).max() > 1e-4:
        came = through[:, :, None] * lines
        found += np.einsum("oj,njs->nos", signs, came)
        lines = np.einsum("ij,njs->nis", MIX, came)
    return found


def powers(response: np.ndarray, into: tuple[complex, complex, complex]) -> np.ndarray:
    """(4,): mean power out, of left, right and common power in."""
    left, right, common = into
    power = np.array([[left, common], [np.conj(common), right]])
    out = np.einsum("nij,jk,nlk->il", response, power, np.conj(response)) / len(response)
    return np.array([out[0, 0].real, out[1, 1].real, out[0, 1].real, out[0, 1].imag])


class TailPower(unittest.TestCase):
    """Ways of the same lines in another order arrive at one time, and add as amplitudes."""

    def test_against_lines_of_any_length(self):
        rng = np.random.default_rng(7)
        lengths = np.array(LENGTHS_MS) / np.mean(LENGTHS_MS)
        for lap_db in (1.0, 2.5, 6.0, 15.0):
            gains = 10 ** (-lap_db / 20 * lengths)
            turns = np.exp(2j * np.pi * rng.random((16_000, 8)))
            response = heard(gains * turns)
            kernel = tail_power((gains**2)[:, None], np.array([1 + 0j]), 1.0)[:, :, 0]
            for into in ((1, 0, 0), (0, 1, 0), (0.5, 0.5, 0.5), (0.5, 0.5, -0.3)):
                with self.subTest(lap_db, into=into):
                    row = np.array([into[0], into[1], into[2], 0.0])
                    want = powers(response, into)
                    scale = want[0] + want[1]
                    np.testing.assert_allclose(kernel @ row, want, atol=0.04 * scale)

    def test_the_lowest_octaves_are_those_of_the_lines_themselves(self):
        lengths = (1423, 1597, 1787, 2011, 2099, 2269, 2591, 2851)
        gains = 10 ** (-3 * np.array(lengths) / 48_000 / 0.9)
        hz = np.arange(20.0, 260.0, 0.5)
        turns = np.exp(-2j * np.pi * hz[:, None] * np.array(lengths) / 48_000)
        want = heard(gains * turns)
        got = low_transfer(lengths, gains[:, None] * np.ones(len(hz)))
        np.testing.assert_allclose(np.moveaxis(got, 2, 0), want, atol=2e-3)


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


if __name__ == "__main__":
    unittest.main()
