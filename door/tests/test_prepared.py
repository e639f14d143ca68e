"""A new folder has what another one was given, row by row and byte by byte; what is broken or not its own is made
anew, and a folder that holds something is left alone.
"""

import contextlib
import io
import os
import sys
import tempfile
import unittest
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import prepared
from database import Cluster


class Prepared(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.enterClassContext(contextlib.redirect_stdout(io.StringIO()))
        cls.held = tempfile.TemporaryDirectory(prefix="fonodrome-prepared-")
        os.chmod(cls.held.name, 0o755)
        cls.addClassCleanup(cls.held.cleanup)
        cls.folder = Path(cls.held.name)
        cls.kept = cls.folder / "kept"
        cls.first = cls.cluster("first")
        cls.first.ask(
            "CREATE TABLE songs AS SELECT 'Song ' || n AS title FROM generate_series(1, 300) n"
        )
        cls.sounds = {f"audio/{n:02x}/{n}": os.urandom(1000 * n + 1) for n in range(4)}
        for name, sound in cls.sounds.items():
            path = cls.folder / "first" / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(sound)
        (cls.folder / "first" / "secret-key").write_text("a secret")
        prepared.keep(cls.first, cls.folder / "first", "today", cls.kept)

    @classmethod
    def cluster(cls, name: str) -> Cluster:
        made = Cluster(cls.folder / name / "pg", throwaway=True)
        made.start()
        cls.addClassCleanup(made.stop)
        return made

    def test_the_next_folder_has_it_all_and_no_secret(self):
        other, data = self.cluster("other"), self.folder / "other"
        self.assertTrue(other.is_empty)
        self.assertFalse(prepared.bring(other, data, "yesterday", self.kept))
        self.assertTrue(prepared.bring(other, data, "today", self.kept))
        told = "SELECT count(*), min(title), max(title) FROM songs"
        self.assertEqual(other.ask(told), self.first.ask(told))
        self.assertEqual(other.ask(told), "300|Song 1|Song 99")
        found = {str(p.relative_to(data)): p.read_bytes() for p in data.glob("audio/*/*")}
        self.assertEqual(found, self.sounds)
        self.assertEqual([*self.kept.rglob("secret-key"), *data.glob("secret-key")], [])
        self.assertEqual((self.kept / "today").stat().st_mode & 0o077, 0)
        # What is there by now is not filled once more.
        other.ask("DELETE FROM songs")
        self.assertFalse(prepared.bring(other, data, "today", self.kept))
        self.assertEqual(other.ask("SELECT count(*) FROM songs"), "0")

    def test_what_is_spoilt_is_not_taken_and_leaves_the_database_empty(self):
        other, data = self.cluster("third"), self.folder / "third"
        kept = self.folder / "spoilt"
        prepared.keep(self.first, self.folder / "first", "today", kept)
        dump = kept / "today" / "database"
        whole = dump.read_bytes()
        for spoilt in (b"", whole[: len(whole) // 2], b"no dump"):
            dump.write_bytes(spoilt)
            self.assertFalse(prepared.bring(other, data, "today", kept))
            self.assertTrue(other.is_empty)
        dump.write_bytes(whole)
        self.assertTrue(prepared.bring(other, data, "today", kept))

    def test_one_is_kept_and_a_folder_without_room_is_none(self):
        kept = self.folder / "several"
        for key in ("one", "two"):
            prepared.keep(self.first, self.folder / "first", key, kept)
        self.assertEqual([p.name for p in kept.iterdir()], ["two"])
        in_the_way = self.folder / "a-file"
        in_the_way.write_text("no folder")
        prepared.keep(self.first, self.folder / "first", "one", in_the_way)
        self.assertFalse(prepared.bring(self.first, self.folder / "first", "one", in_the_way))
