"""What the work grows with faster than with the rig has an end, said in a sentence; and can be mended below it."""

import unittest

from core.routing import load_rig, parse_rig, perform, refuse_wide
from core.routing.document.rig import RigError
from core.routing.edit.actions import Insert, Remove


def chain(kind: str, count: int, more: str = "") -> str:
    return "s: source > " + "".join(f"x{i}: {kind} > " for i in range(count)) + "o: output\n" + more


class TooMuch(unittest.TestCase):
    CASES = (
        ("chorus", 24, "25 choruses and tremolos are in it; up to 24"),
        ("tremolo", 24, "25 choruses and tremolos are in it; up to 24"),
        ("drive", 40, "41 drives are in it; up to 40"),
        ("reverb", 200, "201 reverbs are in it; up to 200"),
    )

    def test_the_last_that_is_worked_out_and_the_first_that_is_not(self):
        for kind, most, words in self.CASES:
            with self.subTest(kind):
                refuse_wide(parse_rig(chain(kind, most)))
                with self.assertRaisesRegex(RigError, words):
                    refuse_wide(parse_rig(chain(kind, most + 1)))

    def test_an_edit_beyond_is_refused_and_a_rig_that_is_beyond_can_shrink(self):
        full = parse_rig(chain("drive", 40))
        with self.assertRaisesRegex(RigError, "41 drives"):
            perform(full, Insert(at="s.0", kind="drive"))
        beyond = parse_rig(chain("drive", 43))
        less = perform(beyond, Remove(nodes=("x0",))).rig
        self.assertEqual(sum(n.kind == "drive" for n in less.nodes.values()), 42)
        perform(beyond, Insert(at="s.0", kind="level"))
        with self.assertRaises(RigError):
            perform(beyond, Insert(at="s.0", kind="drive"))

    def test_scenes_of_a_large_rig(self):
        # 58 stages, source and output: 60 nodes, 59 rails; 25 scenes are 2975 parts, 26 are 3094.
        names = "".join(f'scene "S{i}": off x{i % 58}\n' for i in range(26))
        few = "".join(names.splitlines(keepends=True)[:25])
        refuse_wide(parse_rig(chain("level", 58, few)))
        with self.assertRaisesRegex(
            RigError, "3094 parts in all are in 26 scenes of 119 parts each"
        ):
            refuse_wide(parse_rig(chain("level", 58, names)))
        # A document that was stored before there was an end can be read all the same.
        stored = parse_rig(chain("level", 58, names)).model_dump(mode="json")
        self.assertEqual(len(load_rig(stored).scenes), 26)


if __name__ == "__main__":
    unittest.main()
