"""One computation for all who ask for the same rig; another rig, tempo or clip is another one."""

import threading
import time
import unittest
from unittest import mock

from core.routing import Context, RigError, parse_rig, rig_view
from core.units import TempoFrame
from server.rigs import views
from server.rigs.views import Views

RIG = "in: source > e: delay (time 1/4) > o: output"


class Once(unittest.TestCase):
    def counted(self, wait: float = 0.0):
        calls = []

        def compute(document, context):
            calls.append(document)
            time.sleep(wait)
            return rig_view(document, context)

        return calls, mock.patch.object(views, "rig_view", compute)

    def test_those_who_ask_at_the_same_time_wait_for_one_answer(self):
        calls, patched = self.counted(0.1)
        held, found = Views(), []
        with patched:
            askers = [
                threading.Thread(target=lambda: found.append(held.of(parse_rig(RIG), Context())))
                for _ in range(8)
            ]
            for asker in askers:
                asker.start()
            for asker in askers:
                asker.join()
        self.assertEqual((len(calls), len(found)), (1, 8))

    def test_what_matters_makes_another_one(self):
        calls, patched = self.counted()
        held = Views()
        with patched:
            for text, tempo in (
                (RIG, 120),
                (RIG, 121),
                (RIG.replace("1/4", "1/8"), 120),
                (RIG, 120),
            ):
                view = held.of(parse_rig(text), Context(TempoFrame(tempo_bpm=tempo)))
        self.assertEqual(len(calls), 3)
        # 120 quarters a minute: half a second, plus nothing before it.
        self.assertAlmostEqual(view.report.boards[0].arrivals[0].time_ms, 500, places=6)

    def test_few_are_held_and_no_failure_is(self):
        calls, patched = self.counted()
        held = Views(most=2)
        with patched:
            for tempo in (60, 61, 62, 60):
                held.of(parse_rig(RIG), Context(TempoFrame(tempo_bpm=tempo)))
        self.assertEqual(len(calls), 4)
        with mock.patch.object(views, "rig_view", side_effect=RigError("no")) as failing:
            for _ in range(2):
                with self.assertRaises(RigError):
                    held.of(parse_rig(RIG), Context(TempoFrame(tempo_bpm=99)))
        self.assertEqual(failing.call_count, 2)
