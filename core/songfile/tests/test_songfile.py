"""The song's file: marks there and back, the same bytes each time, hostile archives refused in a sentence."""

import io
import json
import struct
import unittest
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory
from uuid import UUID

from hypothesis import given, settings
from hypothesis import strategies as st

from core.songfile import (
    HEAD,
    Archive,
    Marking,
    SongFileError,
    plain_name,
    read_song,
    unmarked,
    zipped,
)

IDS = [str(UUID(int=n + (0xABCDEF << 64))) for n in range(5)]
WORDS = st.text(max_size=12) | st.sampled_from(
    [HEAD, f"{HEAD}clip-001", f"{HEAD}%", "%", *IDS, f"see {IDS[1]}/{IDS[2]}"]
)
JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | WORDS,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(WORDS, inner, max_size=4),
    max_leaves=12,
)  # fmt: skip
# As version 1 wrote it, before notes had pictures.
SONG = {"format": "fonodrome-song", "version": 1, "song": {"title": "Low Water", "tempo_map": [{}]}}


class Marks(unittest.TestCase):
    @settings(deadline=None)
    @given(JSON)
    def test_what_was_marked_comes_back_as_it_was_whatever_was_typed(self, value):
        marking = Marking()
        for number, id in enumerate(IDS[:2], 1):
            marking.give(id, "clip", number)
        marked = marking.marked(value)
        text = json.dumps(marked)
        for id in IDS:
            self.assertNotIn(id, text)
        back = {m.removeprefix(HEAD): id for id, m in marking.known.items()}
        self.assertEqual(unmarked(marked, back.__getitem__), value)

    def test_the_same_document_under_other_ids_is_marked_the_same(self):
        def marked(ids):
            marking = Marking()
            marking.give(ids[0], "clip", 1)
            return marking.marked({"feeds": [ids[0], ids[3], f"verify/{ids[3]}"], "of": ids[4]})

        self.assertEqual(marked(IDS), marked([str(UUID(int=n + 77)) for n in range(5)]))
        self.assertEqual(
            marked(IDS)["feeds"], [f"{HEAD}clip-001", f"{HEAD}gone-001", f"verify/{HEAD}gone-001"]
        )

    def test_names_of_files(self):
        for name, said in (("a/b\\c:d", "a b c d"), ("../..", "sound"), ("  x.wav ", "x.wav"), ("\0", "sound"), ("é" * 200, "é" * 80)):  # fmt: skip
            self.assertEqual(plain_name(name), said)


class Files(unittest.TestCase):
    def setUp(self):
        held = TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def zip_of(self, entries, **more):
        path = self.folder / "x.zip"
        with zipfile.ZipFile(path, "w", **more) as archive:
            for name, data in entries:
                archive.writestr(name, data)
        return path

    def refused(self, path, words, name="song.json"):
        with self.assertRaises(SongFileError) as said, Archive(path) as archive:
            read_song(archive.document(name))
        self.assertIn(words, said.exception.sentence)

    def test_it_is_written_while_it_is_read_and_has_no_clock_in_it(self):
        sound = self.folder / "a.wav"
        sound.write_bytes(b"RIFF" + bytes(range(256)) * 20_000)
        pieces = list(zipped(iter([("song.json", b"{}"), ("audio/001 a.wav", sound)])))
        self.assertLess(max(map(len, pieces)), 2 << 20)
        whole = b"".join(pieces)
        self.assertEqual(
            whole, b"".join(zipped(iter([("song.json", b"{}"), ("audio/001 a.wav", sound)])))
        )
        # Read by the library's own reader, apart from what wrote it.
        with zipfile.ZipFile(io.BytesIO(whole)) as archive:
            self.assertIsNone(archive.testzip())
            self.assertEqual(archive.namelist(), ["song.json", "audio/001 a.wav"])
            self.assertEqual(archive.read("audio/001 a.wav"), sound.read_bytes())
            self.assertEqual({i.date_time for i in archive.infolist()}, {(1980, 1, 1, 0, 0, 0)})

    def test_foreign_damaged_newer_and_wrong_ones_are_refused(self):
        (self.folder / "no.zip").write_bytes(b"RIFF not a zip at all")
        self.refused(self.folder / "no.zip", "cannot be opened")
        (self.folder / "empty.zip").write_bytes(b"")
        self.refused(self.folder / "empty.zip", "cannot be opened")
        self.refused(self.zip_of([("notes.txt", "hello")]), "no “song.json”")
        self.refused(self.zip_of([("song.json", "{")]), "damaged")
        self.refused(self.zip_of([("song.json", "[" * 200_000)]), "damaged")
        self.refused(self.zip_of([("song.json", "[1]")]), "no song of Fonodrome")
        self.refused(
            self.zip_of([("song.json", json.dumps({**SONG, "version": 9}))]),
            "newer Fonodrome (version 9)",
        )
        self.refused(
            self.zip_of([("song.json", json.dumps(SONG).replace("Low Water", "a\\u0000b"))]),
            "damaged",
        )
        self.refused(
            self.zip_of([("song.json", json.dumps(SONG).replace("Low Water", "\\ud800"))]),
            "damaged",
        )
        self.refused(self.zip_of([("song.json", '{"format": NaN}')]), "damaged")
        self.refused(self.zip_of([("song.json", json.dumps({**SONG, "more": 1}))]), "more")
        slow = {**SONG, "song": {"title": "x", "tempo_map": [{"tempo_bpm": 0}]}}
        self.refused(self.zip_of([("song.json", json.dumps(slow))]), "song.tempo_map.0.tempo_bpm")

    def test_a_song_of_before_is_read_as_it_was(self):
        line = {"step": "log", "kind": "note", "title": "t", "made_at": "2026-11-30T00:00:00Z"}
        with Archive(self.zip_of([("song.json", json.dumps({**SONG, "log": [line]}))])) as archive:
            song = read_song(archive.document("song.json"))
        self.assertEqual(
            (song.version, song.song.title, song.log[0].pictures), (2, "Low Water", [])
        )

    def test_a_studio_holds_more_than_a_song(self):
        many = [(f"songs/{n}/song.json", "{}") for n in range(4001)]
        with Archive(self.zip_of([("studio.json", "{}"), *many])) as archive:
            self.assertEqual(len(archive.entries), 4002)

    def test_too_many_entries_and_two_of_one_name(self):
        self.refused(self.zip_of([(f"{n}.txt", "") for n in range(4001)]), "4001 entries")
        with self.assertWarns(UserWarning):
            twice = self.zip_of([("song.json", "{}"), ("song.json", "{}")])
        self.refused(twice, "one name")

    def test_a_bomb_is_stopped_before_it_is_unpacked(self):
        zeros = b"0" * (300 * 1024**2)
        path = self.zip_of([("song.json", zeros)], compression=zipfile.ZIP_DEFLATED)
        self.assertLess(path.stat().st_size, 1 << 20)
        self.refused(path, "too large")
        # One that lies of its size is stopped where it goes beyond it.
        small = self.zip_of([("a", b"0" * 5_000_000)], compression=zipfile.ZIP_DEFLATED)
        data = bytearray(small.read_bytes())
        at = data.rindex(b"PK\x01\x02")
        struct.pack_into("<I", data, at + 24, 10)
        small.write_bytes(bytes(data))
        out = io.BytesIO()
        with Archive(small) as archive, self.assertRaises(SongFileError):
            archive.take("a", 10, out)
        self.assertLessEqual(len(out.getvalue()), 10)

    def test_many_small_bombs_are_one_large_one(self):
        song = json.dumps(SONG) + " " * (24 * 1024**2)
        path = self.zip_of(
            [(f"{n}/song.json", song) for n in range(20)], compression=zipfile.ZIP_DEFLATED
        )
        with Archive(path) as archive, self.assertRaises(SongFileError) as said:
            for n in range(20):
                archive.document(f"{n}/song.json")
        self.assertIn("far more than it is", said.exception.sentence)
        self.assertLess(n, 4)

    def test_one_sound_stands_for_one_clip(self):
        path = self.zip_of([("audio/1", b"sound")])
        with Archive(path) as archive:
            archive.take("audio/1", 10, io.BytesIO())
            with self.assertRaises(SongFileError) as said:
                archive.take("audio/1", 10, io.BytesIO())
        self.assertIn("two things", said.exception.sentence)

    def test_audio_that_is_damaged_or_not_there(self):
        path = self.zip_of([("song.json", json.dumps(SONG)), ("audio/1", b"sound" * 1000)])
        data = bytearray(path.read_bytes())
        data[data.index(b"soundsound") + 7] ^= 0xFF
        path.write_bytes(bytes(data))
        with Archive(path) as archive:
            self.assertEqual(read_song(archive.document("song.json")).song.title, "Low Water")
            for name, words in (("audio/1", "damaged"), ("../../etc/passwd", "missing")):
                with self.assertRaises(SongFileError) as said:
                    archive.take(name, 10**6, io.BytesIO())
                self.assertIn(words, said.exception.sentence)

    def test_one_with_a_password_is_refused(self):
        path = self.zip_of([("song.json", json.dumps(SONG))])
        data = bytearray(path.read_bytes())
        for head, flag in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
            data[data.index(head) + flag] |= 1
        path.write_bytes(bytes(data))
        self.refused(path, "damaged")
