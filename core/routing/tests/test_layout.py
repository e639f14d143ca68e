"""Lanes and columns of a drawn rig: what stands in one lane stands clear in it, whatever was grown."""

import unittest

from core.routing import Rig, compile_rig, lay_out_rig, parse_rig
from core.routing.show.layout import PlacedRail
from core.routing.tests.by_hand import grown


def laid(rig: Rig):
    return lay_out_rig(rig, compile_rig(rig))


def levels(rail: PlacedRail) -> list[tuple[float, float, float]]:
    """Lane, start and end of every level part."""
    ends = list(zip(rail.lanes, rail.xs, strict=True))
    return [
        (a[0], min(a[1], b[1]), max(a[1], b[1]))
        for a, b in zip(ends, ends[1:], strict=False)
        if a[0] == b[0] and a[1] != b[1]
    ]


class Lanes(unittest.TestCase):
    def test_every_part_and_rail_is_there_once(self):
        for seed in range(20):
            rig = grown(seed, 6 + seed)
            layout = laid(rig)
            self.assertEqual(sorted(n.id for n in layout.nodes), sorted(rig.nodes))
            self.assertEqual(sorted(r.port for r in layout.rails), sorted(rig.rails))
            self.assertEqual(
                {r.port: r.target for r in layout.rails},
                {p: r.target for p, r in rig.rails.items()},
            )

    def test_no_two_parts_share_a_place_and_sound_runs_to_the_right(self):
        for seed in range(20):
            layout = laid(grown(seed, 6 + seed))
            places = [(n.lane, n.x) for n in layout.nodes]
            self.assertEqual(len(set(places)), len(places), seed)
            for rail in layout.rails:
                if not rail.back:
                    self.assertLessEqual(rail.xs[0], rail.xs[-1], (seed, rail.port))

    def test_no_rail_runs_level_through_a_part_that_it_does_not_reach(self):
        for seed in range(20):
            layout = laid(grown(seed, 6 + seed))
            for rail in layout.rails:
                if rail.back:
                    continue
                own = {rail.port.rpartition(".")[0], rail.target}
                for lane, start, end in levels(rail):
                    through = [
                        n.id for n in layout.nodes
                        if n.lane == lane and start < n.x < end and n.id not in own
                    ]  # fmt: skip
                    self.assertEqual(through, [], (seed, rail.port))

    def test_rails_share_a_lane_only_on_their_way_to_one_place(self):
        for seed in range(20):
            rails = [r for r in laid(grown(seed, 6 + seed)).rails if not r.back]
            for i, one in enumerate(rails):
                for other in rails[i + 1 :]:
                    if (
                        one.target == other.target
                        or one.port.split(".")[0] == other.port.split(".")[0]
                    ):
                        continue
                    for lane, start, end in levels(one):
                        for lane2, start2, end2 in levels(other):
                            apart = lane != lane2 or end <= start2 or end2 <= start
                            self.assertTrue(apart, (seed, one.port, other.port))

    def test_sends_to_one_bus_share_their_trunk(self):
        sends = " > ".join(f"x{n}: send" for n in range(6))
        lines = ["b: bus > r: reverb > o: output", f"s: source > {sends} > o"]
        lines += [f"x{n} > b" for n in range(6)]
        layout = laid(parse_rig("\n".join(lines)))
        trunks = [r.lanes[1] for r in layout.rails if r.target == "b" and len(r.lanes) == 4]
        # The first send opens the lane of the bus; the five others come to it over one lane.
        self.assertEqual((len(trunks), len(set(trunks))), (5, 1))
        self.assertEqual(layout.lanes, 3)

    def test_what_goes_back_runs_under_what_it_closes_round(self):
        loop = laid(
            parse_rig("g: source > m: merge > d: delay > s: split > o: output\ns > f: level > m")
        )
        back = next(r for r in loop.rails if r.back)
        self.assertGreater(min(back.lanes[1:3]), max(back.lanes[0], back.lanes[3]))
