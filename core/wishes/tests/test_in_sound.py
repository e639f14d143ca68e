"""What is proposed, rendered on noise and measured from its samples: wishes of levels hold in the sound too."""

import unittest

from core.render.tests.noise import measured
from core.routing import Context, Rig, compile_rig, parse_rig, perform
from core.routing.edit.actions import SetStrip
from core.units import TempoFrame
from core.wishes import FreeAsked, Looked, chosen, propose

SONG = Context(TempoFrame(tempo_bpm=120))
RIG = """
a: source "Oboe" (level -20 dB, crest 15 dB) > c: compressor (threshold -30 dB, ratio 3) > ways: split > mix: merge > out: output
ways > late: delay (time 1/8, feedback 30 %) > mix [level -2 dB]
ways > hall: reverb (RT60 1.4 s, pre-delay 20 ms, locked) > mix [level -1 dB]
"""
# Steady noise through a compressor and a tail: as near as the plan and the sound are held to be.
TOLERANCE_DB = 1.2


def heard(rig: Rig, node: str = "out") -> tuple[float, float]:
    """RMS and peak at a node, dBFS, of the rendered samples."""
    level, peak = measured(rig, compile_rig(rig, SONG), 6.0, 3.0, 1)[node]
    return float(level[0]), float(max(peak))


def alone(rig: Rig, *ports: str) -> float:
    """The level at the output with these inputs of the merge muted."""
    for port in ports:
        rig = perform(rig, SetStrip(rail=port, values={"muted": True})).rig
    return heard(rig)[0]


class InSound(unittest.TestCase):
    def test_what_is_said_to_hold_holds_in_the_samples(self):
        wishes = (
            "wish level of out about -22 dBFS within 0.5 dB", "wish peak of out under 8 dBFS",
            "wish level of hall against dry about -9 dB within 0.5 dB",
            "wish level of late against dry under -7 dB",
        )  # fmt: skip
        rig = parse_rig(RIG + "\n".join(wishes))
        free = [FreeAsked(key=k) for k in ("rail/ways.0/level_db", "rail/late.0/level_db", "rail/hall.0/level_db", "node/c/makeup_db", "node/late/feedback_percent")]  # fmt: skip
        out = propose(Looked(rig, SONG), chosen(rig, SONG, free))  # fmt: skip
        self.assertTrue(out.proposals[0].musts_held, out.sentence)
        for proposal in out.proposals:
            with self.subTest(proposal.name):
                made = perform(rig, proposal.action).rig
                level, peak = heard(made)
                self.assertAlmostEqual(level, -22, delta=0.5 + TOLERANCE_DB)
                # A bound: no sample passes what is said of the peak.
                self.assertLessEqual(peak, proposal.wishes[1].figure + 0.05)
                dry = alone(made, "late.0", "hall.0")
                self.assertAlmostEqual(
                    alone(made, "ways.0", "late.0") - dry, -9, delta=0.5 + TOLERANCE_DB
                )
                self.assertLessEqual(alone(made, "ways.0", "hall.0") - dry, -7 + TOLERANCE_DB)


if __name__ == "__main__":
    unittest.main()
