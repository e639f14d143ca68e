"""Backup while the database runs, restore into an empty folder: every row and every byte; what is broken,
foreign or in the way changes nothing.
"""

import contextlib
import hashlib
import io
import json
import os
import subprocess
import sys
import tarfile
import tempfile
import unittest
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from database import Cluster
from keeping import backup, restore
from show import Trouble


def sql(cluster: Cluster, words: str) -> str:
    env = {**os.environ, "PGPASSWORD": cluster.environment()["FONODROME_DB_PASSWORD"]}
    where = ["-h", "127.0.0.1", "-p", str(cluster.port), "-U", "fonodrome", "-d", "fonodrome"]
    done = subprocess.run(
        [str(cluster._bin / "psql"), *where, "-Atc", words], env=env, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    return done.stdout.strip()


class Keeping(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.enterClassContext(contextlib.redirect_stdout(io.StringIO()))
        cls.held = tempfile.TemporaryDirectory(prefix="fonodrome-keeping-")
        os.chmod(cls.held.name, 0o755)
        cls.folder = Path(cls.held.name)
        cls.addClassCleanup(cls.held.cleanup)
        cls.data = cls.folder / "there"
        cls.cluster = Cluster(cls.data / "pg", throwaway=True)
        cls.cluster.start()
        cls.addClassCleanup(cls.cluster.stop)
        sql(cls.cluster, "CREATE TABLE songs (title text, sound bytea)")
        sql(cls.cluster, "INSERT INTO songs SELECT 'Song ' || n, sha256(n::text::bytea) FROM generate_series(1, 500) n")  # fmt: skip
        cls.sounds = [os.urandom(1000 * n + 1) for n in range(5)] + [b"\0" * 3_000_000]
        for sound in cls.sounds:
            name = hashlib.sha256(sound).hexdigest()
            (cls.data / "audio" / name[:2]).mkdir(parents=True, exist_ok=True)
            (cls.data / "audio" / name[:2] / name).write_bytes(sound)
        (cls.data / "secret-key").write_text("a secret")
        cls.kept = cls.folder / "all.tar"
        backup(cls.data, cls.kept)

    def test_what_is_kept_elsewhere_is_not_said_to_be_in_the_file(self):
        target = self.folder / "elsewhere.tar"
        for name in ("FONODROME_OBJECTS", "FONODROME_DB_HOST"):
            with (
                mock.patch.dict(os.environ, {name: "elsewhere"}),
                self.assertRaises(Trouble) as said,
            ):
                backup(self.data, target)
            self.assertIn("kept elsewhere", str(said.exception))
            self.assertFalse(target.exists())

    def made(self, name: str) -> Path:
        folder = self.folder / name
        self.addCleanup(lambda: Cluster(folder / "pg").stop())
        return folder

    def state(self, data: Path) -> tuple[str, dict[str, bytes], str]:
        cluster = Cluster(data / "pg", throwaway=True)
        cluster.start()
        rows = sql(cluster, "SELECT md5(string_agg(title || encode(sound, 'hex'), ',' ORDER BY title)) FROM songs")  # fmt: skip
        sounds = {p.name: p.read_bytes() for p in (data / "audio").glob("*/*")}
        return rows, sounds, (data / "secret-key").read_text()

    def test_into_an_empty_folder_every_row_and_every_byte(self):
        there = self.made("empty")
        restore(there, self.kept)
        rows, sounds, secret = self.state(there)
        self.assertEqual((rows, sounds, secret), self.state(self.data))
        self.assertEqual(len(sounds), 6)
        self.assertEqual([p.name for p in there.glob("restoring-*")], [])
        # Nobody else reads what holds everybody's songs.
        self.assertEqual(self.kept.stat().st_mode & 0o777, 0o600)

    def test_what_is_written_while_it_is_made_does_not_tear_it(self):
        writing = subprocess.Popen(
            [sys.executable, "-c", "import sys; sys.path.insert(0, sys.argv[1]); from test_keeping import busy; busy(sys.argv[2])",
             str(Path(__file__).parent), str(self.data)], stdout=subprocess.PIPE,
        )  # fmt: skip
        try:
            writing.stdout.readline()
            backup(self.data, self.folder / "busy.tar")
        finally:
            writing.terminate()
            writing.wait()
            writing.stdout.close()
        there = self.made("after-busy")
        restore(there, self.folder / "busy.tar")
        cluster = Cluster(there / "pg", throwaway=True)
        cluster.start()
        # Two rows go in together: never one of them.
        self.assertEqual(sql(cluster, "SELECT count(*) % 2 FROM pairs"), "0")

    def test_nothing_is_overwritten_without_being_told(self):
        there = self.made("twice")
        restore(there, self.kept)
        with self.assertRaisesRegex(Trouble, "holds data already"):
            restore(there, self.kept)
        with self.assertRaisesRegex(Trouble, "is there already"):
            backup(self.data, self.kept)
        before = self.state(there)
        (there / "secret-key").write_text("another")
        restore(there, self.kept, replace=True)
        self.assertEqual(self.state(there), before)
        (aside,) = there.glob("before-*")
        self.assertEqual((aside / "secret-key").read_text(), "another")
        self.assertEqual(len(list(aside.glob("audio/*/*"))), 6)

    def test_what_is_broken_or_foreign_changes_nothing(self):
        whole = self.kept.read_bytes()
        at = whole.index(b"\0" * 100_000) + 50_000
        cases = {
            "cut.tar": whole[: len(whole) // 2],
            "flipped.tar": whole[:at] + b"\1" + whole[at + 1 :],
            "text.tar": b"no backup at all",
            "empty.tar": b"",
            "foreign.tar": self.tar({"backup.json": b'{"format": "another"}'}),
            "outside.tar": self.tar(
                {"backup.json": json.dumps({"format": "fonodrome-backup-1", "sounds": 0, "database": ""}).encode(),
                 "../../outside": b"x"}
            ),
        }  # fmt: skip
        for name, content in cases.items():
            with self.subTest(name):
                (self.folder / name).write_bytes(content)
                there = self.folder / f"no-{name}"
                with self.assertRaises(Trouble) as said:
                    restore(there, self.folder / name)
                self.assertRegex(str(said.exception), "no backup|another version")
                self.assertEqual(sorted(p.name for p in there.iterdir()), ["lock"])
        self.assertFalse((self.folder / "outside").exists())
        with self.assertRaisesRegex(Trouble, "There is no"):
            restore(self.folder / "x", self.folder / "nowhere.tar")
        with self.assertRaisesRegex(Trouble, "no Fonodrome data"):
            backup(self.folder / "nothing", self.folder / "y.tar")

    @staticmethod
    def tar(entries: dict[str, bytes]) -> bytes:
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode="w") as tar:
            for name, content in entries.items():
                entry = tarfile.TarInfo(name)
                entry.size = len(content)
                tar.addfile(entry, io.BytesIO(content))
        return out.getvalue()


def busy(data: str) -> None:
    """Write pairs of rows until it is ended."""
    cluster = Cluster(Path(data) / "pg", throwaway=True)
    cluster.start()
    sql(cluster, "CREATE TABLE IF NOT EXISTS pairs (n int)")
    print("writing", flush=True)
    while True:
        sql(cluster, "BEGIN; INSERT INTO pairs VALUES (1); INSERT INTO pairs VALUES (2); COMMIT")
