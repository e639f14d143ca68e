"""A song's log: who writes into it, and what is found in it."""

import csv
import io
from datetime import timedelta
from unittest import mock

import numpy as np
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from server.jobs.runner import run_attempt
from server.log.models import LogEntry
from server.log.services import page, write
from server.testing import ApiCase, clip_in, noise, song_for, wav_bytes
from server.verify.models import NullTest
from server.verify.tasks import run_null_test

TWO_WAYS = 'g: source "Guitar" > s: split > e: delay "Echo" (time 3 ms, mix 100 %) > m: merge > o: output\ns > m'


class Written(ApiCase):
    def log(self, **asked) -> dict:
        query = "&".join(f"{k}={v}" for k, v in asked.items())
        status, found = self.call("get", f"/songs/{self.song.pk}/log?{query}")
        self.assertEqual(status, 200, found)
        return found

    def test_a_null_test_makes_one_line_that_opens_it(self):
        sound = noise(1)
        a = clip_in(self.song, wav_bytes(sound), "print.wav")
        b = clip_in(self.song, wav_bytes(sound + 0.01 * np.roll(sound, 99, axis=0)), "loop.wav")
        body = {"clip_a": str(a.pk), "clip_b": str(b.pk)}
        test = self.call("post", f"/songs/{self.song.pk}/null-tests", body)[1]["id"]
        self.assertEqual(self.log()["total"], 0)
        run_null_test(test_id=test)
        run_null_test(test_id=test)
        (entry,) = self.log()["entries"]
        self.assertEqual(entry["title"], "print.wav against loop.wav")
        self.assertEqual(
            (entry["step"], entry["kind"], entry["place"]),
            ("verify", "null test", f"verify/{test}"),
        )
        # A hundredth of it is left: 40 dB down.
        self.assertRegex(entry["number"], "^−(39|40)\\.\\d dB$")
        self.assertEqual(entry["tone"], "plain")

    def test_what_failed_or_was_taken_over_makes_none(self):
        clip = clip_in(self.song, wav_bytes(noise(0.1)))
        row = NullTest.objects.create(
            song=self.song, clip_a=clip, clip_b=clip, options={}, limit={}
        )
        then = mock.Mock()

        def overtaken(attempt):
            NullTest.objects.filter(pk=row.pk).update(attempt=9)
            return {}

        run_attempt(NullTest, row.pk, overtaken, then)
        then.assert_not_called()
        # Where the line cannot be written, the result is not there either.
        NullTest.objects.filter(pk=row.pk).update(attempt=0, status="queued")
        then.side_effect = RuntimeError("no log")
        with self.assertLogs("server.jobs.runner", "ERROR"):
            run_attempt(NullTest, row.pk, lambda attempt: {"summary": {"passed": True}}, then)
        row.refresh_from_db()
        self.assertEqual((row.status, row.summary), ("failed", None))

    def edit(self, **changes) -> None:
        self.song.refresh_from_db()
        body = {"base_revision": self.song.revision, "changes": changes}
        status, said = self.call("patch", f"/songs/{self.song.pk}", body)
        self.assertEqual(status, 200, said)

    def tempo(self, bpm: float) -> None:
        self.song.refresh_from_db()
        first, *more = self.song.tempo_map
        self.edit(tempo_map=[first | {"tempo_bpm": bpm}, *more])

    def test_decay_moves_and_a_capture_write_themselves_down_with_what_was_in_hand(self):
        self.edit(space={"rt60_s": 1.25, "pre_delay": "1/64"})
        self.edit(space={"rt60_s": 1.25, "pre_delay": "1/64", "drop_db": 30})
        (entry,) = self.log(step="space")["entries"]
        self.assertEqual(
            (entry["title"], entry["text"], entry["number"]),
            ("Decay 1.25 s after 1/64", "before: Decay 1.80 s after 20 ms", "1.25 s"),
        )
        body = {"name": "Two ways", "notation": TWO_WAYS}
        rig = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]
        variant = rig["variants"][0]["id"]
        move = {"part": "e", "field": "mix_percent", "points": [{"bar": 1, "value": 100}, {"bar": 3, "value": 0}]}  # fmt: skip
        for moves in ([move], [move], []):
            status, said = self.call("put", f"/variants/{variant}/moves", {"moves": moves})
            self.assertEqual(status, 200, said)
        # Written and taken away within a minute: nothing was decided.
        self.assertEqual(self.log(step="listen")["total"], 0)
        self.call("put", f"/variants/{variant}/moves", {"moves": [move]})
        (entry,) = self.log(step="listen")["entries"]
        self.assertEqual(entry["title"], "Two ways A: 1 move, 2 points")
        self.assertEqual(entry["hand"], {"variant": variant, "clip": None})
        clips = [clip_in(self.song, wav_bytes(noise(0.2, n)), f"{n}.wav") for n in (1, 2)]
        body = {"clip": str(clips[0].pk), "capture": str(clips[1].pk), "output": "o"}
        status, said = self.call("post", f"/variants/{variant}/renders", body)
        self.assertEqual(status, 200, said)
        self.call("post", f"/variants/{variant}/renders", body)
        captures = [e for e in self.log(step="listen")["entries"] if e["kind"] == "capture"]
        self.assertEqual(
            [e["title"] for e in captures], ["“2.wav” is heard in place of Two ways A"]
        )
        self.assertEqual(captures[0]["hand"], {"variant": variant, "clip": str(clips[0].pk)})

    def test_as_a_table(self):
        write(self.song.pk, "verify", "note", "=1+1", text="a,b", number="−3 dB")
        write(self.song.pk, "log", "note", "plain")
        answer = self.call("get", f"/songs/{self.song.pk}/log.csv?step=verify")[1]
        rows = list(csv.reader(io.StringIO(answer.content.decode())))
        self.assertEqual(
            [r[1:] for r in rows[1:]], [["verify", "note", "'=1+1", "a,b", "−3 dB", "plain", "0"]]
        )

    def test_a_tempo_that_is_dragged_is_one_line_with_where_it_began(self):
        for bpm in (121, 124, 131.5):
            self.tempo(bpm)
        (entry,) = self.log()["entries"]
        self.assertEqual(
            (entry["title"], entry["text"]), ("Tempo 131.5 BPM", "before: Tempo 120 BPM")
        )
        # Back where it was: nothing was decided.
        self.tempo(120)
        self.assertEqual(self.log()["total"], 0)
        # A minute later it is another act.
        self.tempo(90)
        LogEntry.objects.update(created_at=timezone.now() - timedelta(minutes=2))
        self.tempo(95)
        self.edit(delay_value="1/8")
        titles = [(e["title"], e["text"]) for e in self.log()["entries"]]
        self.assertEqual(
            titles,
            [
                ("Delay 1/8", "before: Delay 1/8."),
                ("Tempo 95 BPM", "before: Tempo 90 BPM"),
                ("Tempo 90 BPM", "before: Tempo 120 BPM"),
            ],
        )

    def test_a_check_that_is_meant_is_a_decision_with_its_reason(self):
        body = {"name": "Mine", "notation": TWO_WAYS}
        status, made = self.call("post", f"/songs/{self.song.pk}/rigs", body)
        self.assertEqual(status, 200, made)
        variant = made["variants"][0]
        view = self.call("get", f"/variants/{variant['id']}")[1]
        finding = view["view"]["checks"]["findings"][0]
        action = {
            "do": "intend", "check": finding["check"], "at": finding["at"], "reason": "it is the sound",
        }  # fmt: skip
        edit = {
            "action": action, "base_revision": variant["revision"],
            "id": "00000000-0000-4000-8000-000000000001",
        }  # fmt: skip
        for _ in range(2):
            status, said = self.call("post", f"/variants/{variant['id']}/edits", edit)
            self.assertEqual(status, 200, said)
        (entry,) = self.log()["entries"]
        self.assertEqual(entry["title"], f"Intended: {finding['sentence']}"[:200])
        self.assertEqual((entry["text"], entry["kind"]), ("it is the sound. Mine A", "decision"))

    def test_a_note_keeps_every_word(self):
        path = f"/songs/{self.song.pk}/log"
        status, entry = self.call(
            "post", path, {"text": "  Leak in bar 109\nkeep, it sounds alive "}
        )
        self.assertEqual(status, 200)
        self.assertEqual(
            (entry["title"], entry["text"]), ("Leak in bar 109", "keep, it sounds alive")
        )
        long = "word " * 300
        entry = self.call("post", path, {"text": long})[1]
        self.assertEqual((len(entry["title"]), entry["text"]), (200, long.strip()))
        for bad in ("", " \n ", "x" * 5000, None):
            self.refused("post", path, {"text": bad}, 422, "")
        self.refused("post", path, {"text": "a\x00b"}, 422, "")


class Finding(ApiCase):
    def setUp(self):
        super().setUp()
        for k in range(30):
            step = ("verify", "time", "log")[k % 3]
            write(
                self.song.pk,
                step,
                "kind",
                f"Entry {k}",
                text="warm hall" if k % 2 else "",
                number=f"{k} dB",
            )
        write(song_for(self.user, "Other").pk, "time", "kind", "Entry of another song")

    def test_newest_first_in_pages_that_do_not_overlap(self):
        path = f"/songs/{self.song.pk}/log"
        pages = [self.call("get", f"{path}?most=12&after={n}")[1] for n in (0, 12, 24, 36)]
        titles = [e["title"] for one in pages for e in one["entries"]]
        self.assertEqual(titles, [f"Entry {k}" for k in range(29, -1, -1)])
        self.assertEqual({one["total"] for one in pages}, {30})

    def test_by_step_and_by_words_wherever_they_stand(self):
        path = f"/songs/{self.song.pk}/log"
        found = self.call("get", f"{path}?step=time")[1]
        self.assertEqual(found["total"], 10)
        self.assertEqual(found["counts"], {"verify": 10, "time": 10, "log": 10})
        found = self.call("get", f"{path}?find=HALL%20entry&step=verify")[1]
        # Odd ones among 0, 3, 6 ... 27.
        self.assertEqual(
            [e["title"] for e in found["entries"]], [f"Entry {k}" for k in (27, 21, 15, 9, 3)]
        )
        self.assertEqual(found["counts"], {"verify": 5, "time": 5, "log": 5})
        for words in ("%25", "_", "nowhere", "warm%20nowhere"):
            self.assertEqual(self.call("get", f"{path}?find={words}")[1]["total"], 0)
        self.refused("get", f"{path}?step=nowhere", None, 422, "")
        self.refused("get", f"{path}?most=100000", None, 422, "")

    def test_a_page_of_ten_thousand_takes_as_many_questions_as_one_of_ten(self):
        rows = [LogEntry(song=self.song, kind="kind", title=f"More {k}") for k in range(10_000)]
        LogEntry.objects.bulk_create(rows)
        with CaptureQueriesContext(
            connection,
        ) as asked:
            found = page(self.song.pk, "", "more", 9_990, 50)
        self.assertEqual((len(asked), len(found.entries), found.total), (3, 10, 10_000))
