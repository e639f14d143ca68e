"""A rig that was set wrong, rendered, nulled against the right one, corrected and rendered again."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.measure import null_test
from core.render import render_clip
from core.routing import (
    Context,
    RigError,
    Wanted,
    compile_rig,
    correction,
    inputs_to_correct,
    parse_rig,
    perform,
)
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
TWO = """
g: source "Guitar" > s: split > m: merge > o: output (stereo)
s > c: generic (gain -3 dB, latency 0.4 ms) > m [level -6 dB]
"""
ALONE = 'v: source "Voice" > t: level (level -2 dB) > o: output (stereo) [level -1 dB]'


def sound() -> np.ndarray:
    rng = np.random.default_rng(8)
    swell = 0.2 + 0.8 * np.abs(np.sin(np.arange(2 * RATE) * 2 * np.pi * 0.7 / RATE))
    return 0.1 * rng.standard_normal((1, 2 * RATE)) * swell


def rendered(rig, x: np.ndarray) -> np.ndarray:
    plan = compile_rig(rig, SONG)
    return next(iter(render_clip(plan, RATE, {next(iter(plan.sources)): x}, tail_s=0.1).values()))


def nulled(a: np.ndarray, b: np.ndarray):
    with tempfile.TemporaryDirectory() as held:
        for name, x in (("a", a), ("b", b)):
            soundfile.write(Path(held) / f"{name}.wav", x.T, RATE, subtype="DOUBLE")
        return null_test(Path(held) / "a.wav", Path(held) / "b.wav")


def left_db(a: np.ndarray, b: np.ndarray) -> float:
    """What a plain subtraction leaves, by NumPy alone."""
    rest = float(np.sum((a - b) ** 2))
    return 10 * np.log10(max(rest, 1e-30) / float(np.sum(a**2)))


def wanted_of(found) -> Wanted:
    return Wanted(level_db=-found.gain_db, later_ms=-found.offset_ms, turned=found.polarity < 0)


class Corrected(unittest.TestCase):
    def test_a_whole_rig_comes_back_to_its_reference(self):
        right = parse_rig(ALONE)
        port = next(p for p, r in right.rails.items() if r.target == "o")
        wrong = right
        for values in ({"level_db": 0.73}, {"inverted": True}, {"delay_ms": 1.25}):
            wrong = perform(wrong, _set(port, values)).rig
        x = sound()
        a, b = rendered(right, x), rendered(wrong, x)
        self.assertGreater(left_db(a, b), 0)
        found = correction(wrong, port, wanted_of(nulled(a, b)))
        self.assertEqual(found.name, "Level into Output")
        self.assertEqual(len(found.words), 3)
        self.assertEqual(found.rest, [])
        self.assertLess(left_db(a, rendered(_done(wrong, found.actions), x)), -90)

    def test_a_path_that_cannot_come_earlier_makes_the_others_wait(self):
        rig = parse_rig(TWO)
        port = next(p for p in rig.rails if p.startswith("c."))
        other = next(p for p, r in rig.rails.items() if r.target == "m" and p != port)
        found = correction(rig, port, Wanted(later_ms=-0.4))
        self.assertEqual([(a.rail, a.values) for a in found.actions], [(other, {"delay_ms": 0.4})])
        # Together both now arrive 0.4 ms after the direct one did: one click, no comb.
        click = np.zeros((1, 4096))
        click[0, 100] = 1.0
        out = rendered(_done(rig, found.actions), click)[0]
        late = np.flatnonzero(np.abs(out) > 0.1)
        self.assertLess(late.max() - late.min(), 4)
        self.assertAlmostEqual(float(late.mean()) - 100, 0.4e-3 * RATE, delta=1)
        # A delay that it has is shortened before anything else waits.
        rig = _done(rig, [_set(port, {"delay_ms": 1.0})])
        found = correction(rig, port, Wanted(later_ms=-0.4))
        self.assertEqual([(a.rail, a.values) for a in found.actions], [(port, {"delay_ms": 0.6})])

    def test_inputs_of_one_name_are_told_apart(self):
        rig = parse_rig(
            "g: source > s: split > m: merge > o: output\n"
            's > a: reverb "Hall" > r1: return > m\ns > b: reverb "Room" > r2: return > m'
        )
        names = [name for _, name in inputs_to_correct(rig)]
        self.assertEqual(len(set(names)), len(names), names)
        self.assertIn("Hall, Return into Merge", names)

    def test_what_cannot_be_is_said_and_the_rest_is_done(self):
        rig = parse_rig(ALONE)
        port = next(p for p, r in rig.rails.items() if r.target == "o")
        found = correction(rig, port, Wanted(level_db=70, later_ms=-3, turned=True))
        self.assertEqual(found.actions[0].values, {"level_db": 60.0, "inverted": True})
        self.assertEqual(len(found.rest), 2)
        self.assertIn("3.000 ms earlier", found.rest[1])
        with self.assertRaises(RigError):
            correction(rig, next(p for p in rig.rails if p != port), Wanted(level_db=1))


def _set(port: str, values: dict):
    from core.routing.edit.actions import SetStrip

    return SetStrip(rail=port, values=values)


def _done(rig, actions):
    for action in actions:
        rig = perform(rig, action).rig
    return rig


if __name__ == "__main__":
    unittest.main()
