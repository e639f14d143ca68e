"""What the checks say where settings move: against plans that rest there, and arithmetic by hand."""

import unittest

from core.render.moved import MOST_CORNERS, plan_where_it_moves, value_at
from core.render.moves import MoveError, MovePoint, WrittenMove
from core.routing import Context, Evaluation, parse_rig, run_checks
from core.tempo import TempoMap, TempoSection
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=120))
TEMPO = TempoMap([TempoSection(tempo_bpm=120, beat_unit="1/4", metre_count=4, metre_unit=4)])


def looped(percent: float):
    return parse_rig(
        "a: source (stereo) > s: split > m: merge > o: output (stereo)\n"
        f"s > d: delay (time 300 ms, feedback {percent} %, mix 100 %) > m [level -6 dB]"
    )


LOOP = looped(40)


def point(bar: int, value, ramp: bool = False, beat: float = 1) -> MovePoint:
    return MovePoint(bar=bar, beat=beat, value=value, ramp=ramp)


def feedback(*points: MovePoint) -> WrittenMove:
    return WrittenMove(part="d", field="feedback_percent", points=points)


def keys(rig) -> set[tuple[str, str, str]]:
    found = run_checks(Evaluation(rig, SONG)).findings
    return {(f.check, f.at, f.severity) for f in found}


class ValueTests(unittest.TestCase):
    def test_a_step_holds_and_a_ramp_is_straight(self):
        move = feedback(point(3, 10.0), point(5, 50.0, ramp=True), point(6, 20.0))
        times = [4.0, 8.0, 10.0]
        # Half of the way from 10 to 50 is 30, a quarter 20.
        for at, wanted in (
            (0, 40),
            (4, 10),
            (5, 20),
            (6, 30),
            (8, 50),
            (9, 50),
            (10, 20),
            (99, 20),
        ):
            self.assertAlmostEqual(value_at(move, 40.0, times, at), wanted, msg=str(at))

    def test_a_switch_does_not_slide_and_what_was_off_comes_on_at_once(self):
        move = WrittenMove(
            part="d", field="muted", points=(point(1, False), point(2, True, ramp=True))
        )
        self.assertEqual(
            [value_at(move, True, [0.0, 2.0], t) for t in (0, 1, 2)], [False, False, True]
        )
        cut = WrittenMove(part="d", field="low_cut_hz", points=(point(2, 100.0, ramp=True),))
        self.assertEqual([value_at(cut, None, [2.0], t) for t in (1, 2)], [None, 100.0])


class MovedChecks(unittest.TestCase):
    def test_a_loop_that_grows_in_one_bar_is_found_there_with_what_a_rig_at_rest_there_says(self):
        move = feedback(point(3, 80.0), point(5, 104.0, ramp=True), point(6, 40.0))
        found = plan_where_it_moves(LOOP, SONG, [move], TEMPO)
        told = {(f.finding.check, f.finding.at, f.finding.severity): f.bar for f in found.findings}
        # Each is what a rig says that rests there, and is told at the first place of it.
        at_three, at_five = (keys(looped(percent)) - keys(LOOP) for percent in (80, 104))
        self.assertEqual({k for k, bar in told.items() if bar == 3}, at_three)
        self.assertEqual({k for k, bar in told.items() if bar == 5}, at_five - at_three)
        self.assertIn("alarm", {severity for _, _, severity in at_five - at_three})
        self.assertTrue(all(f.finding.fix is None for f in found.findings))
        self.assertEqual((found.looked_at, found.places), (3, 3))
        (reach,) = found.ranges
        self.assertEqual((reach.least, reach.most, reach.unit), (40, 104, "%"))

    def test_what_is_said_at_rest_is_not_said_again(self):
        loud = looped(104)
        self.assertEqual(
            plan_where_it_moves(loud, SONG, [feedback(point(2, 105.0))], TEMPO).findings, []
        )
        # And down to where it dies away there is nothing to say at all.
        self.assertEqual(
            plan_where_it_moves(loud, SONG, [feedback(point(2, 10.0))], TEMPO).findings, []
        )

    def test_two_moves_meet_at_the_points_of_either(self):
        """Each alone dies away: 60 % of 90 %; together in bar 4 they are above unity."""
        rig = parse_rig(
            "a: source (stereo) > b: bus > d: delay (time 300 ms, mix 100 %) > s: split > o: output (stereo)\n"
            "s > l: level (level -20 dB) > b"
        )

        def of(field: str, part: str, *points: MovePoint) -> WrittenMove:
            return WrittenMove(part=part, field=field, points=points)

        back = of("level_db", "l", point(2, -4.0), point(6, -20.0))
        gain = of("feedback_percent", "d", point(4, 60.0), point(5, 0.0))
        alone = plan_where_it_moves(rig, SONG, [back], TEMPO)
        both = plan_where_it_moves(rig, SONG, [back, gain], TEMPO)
        self.assertFalse([f for f in alone.findings if f.finding.severity == "alarm"])
        alarms = [(f.bar, f.finding.check) for f in both.findings if f.finding.severity == "alarm"]
        self.assertEqual({bar for bar, _ in alarms}, {4})

    def test_of_many_points_the_ends_are_looked_at_and_it_says_how_many_were_not(self):
        many = [point(b, 40.0 + (b % 7), beat=1 + (b % 3)) for b in range(1, 60)]
        many[37] = point(38, 110.0, beat=3)
        found = plan_where_it_moves(LOOP, SONG, [feedback(*many)], TEMPO)
        self.assertEqual((found.looked_at, found.places), (MOST_CORNERS, 59))
        self.assertEqual([f.bar for f in found.findings if f.finding.severity == "alarm"], [38])

    def test_a_switch_and_a_time_are_worked_out_too(self):
        bypass = WrittenMove(part="d", field="bypassed", points=(point(2, True),))
        time = WrittenMove(part="d", field="time", points=(point(3, 2.0),))
        found = plan_where_it_moves(LOOP, SONG, [bypass, time], TEMPO)
        self.assertEqual([r.switch for r in found.ranges], [True, False])
        self.assertEqual(found.ranges[1].unit, "ms")
        self.assertEqual(found.looked_at, 2)

    def test_what_is_gone_is_said(self):
        with self.assertRaisesRegex(MoveError, "not in this rig"):
            plan_where_it_moves(
                LOOP,
                SONG,
                [WrittenMove(part="x", field="level_db", points=(point(1, 0.0),))],
                TEMPO,
            )
