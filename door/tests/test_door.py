"""The front door: what it counts, what it says when something is in the way."""

import os
import socket
import subprocess
import sys
import tempfile
import unittest
import unittest.mock
from pathlib import Path

DOOR = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(DOOR))

import check  # noqa: E402
import serve  # noqa: E402
import setup  # noqa: E402
import show  # noqa: E402


class Counting(unittest.TestCase):
    def test_what_a_runner_says_becomes_passed_and_failed(self):
        for output, code, wanted in [
            ("Ran 12 tests in 3s\n\nOK", 0, (12, 0)),
            ("Ran 12 tests in 3s\n\nFAILED (failures=2, errors=1)", 1, (9, 3)),
            ("Ran 0 tests in 0s\n\nNO TESTS RAN", 5, (0, 1)),
            ("All checks passed!", 0, (1, 0)),
            ("Found 3 errors", 1, (0, 1)),
        ]:
            self.assertEqual(check._count(output, code), wanted, output)


class WhichPython(unittest.TestCase):
    """The system's own is built to be quick: a third quicker than one that was compiled without its profile."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def fake(self, name: str, text: str) -> Path:
        made = self.folder / name
        made.write_text(f"#!/bin/sh\n{text}\n")
        made.chmod(0o755)
        return made

    def asked(self, system: Path | str) -> str:
        """Which one the script runs, with a Python called “mine” first on the way."""
        (self.folder / "door").mkdir()
        self.fake("python3", 'case "$1" in -c) exit 0;; esac; echo mine "$@"')
        script = (DOOR.parent / "fonodrome").read_text().replace("/usr/bin/python3", str(system))
        self.fake("fonodrome", script)
        path = f"{self.folder}:{os.environ['PATH']}"
        done = subprocess.run(
            [self.folder / "fonodrome", "test", "a b"],
            env={**os.environ, "PATH": path}, capture_output=True, text=True, check=True,
        )  # fmt: skip
        return done.stdout.strip()

    def test_the_system_s_own_goes_before_what_stands_first_on_the_way(self):
        own = self.fake("own", 'case "$1" in -c) exit 0;; esac; echo system "$@"')
        self.assertEqual(self.asked(own), f"system {self.folder}/door test a b")

    def test_one_that_is_too_old_or_not_there_is_passed_over(self):
        for system in (self.fake("old", "exit 1"), self.folder / "none"):
            with self.subTest(system=system.name):
                self.assertEqual(self.asked(system), f"mine {self.folder}/door test a b")
                (self.folder / "door").rmdir()

    def test_an_environment_that_runs_is_kept_and_one_whose_python_is_gone_or_went_on_is_not(self):
        made = self.folder / "env"
        (made / "bin").mkdir(parents=True)
        self.assertFalse(setup.still_runs(made), "half made")
        (made / "pyvenv.cfg").write_text("home = /some/where/bin\nversion = 3.11.7\n")
        self.assertFalse(setup.still_runs(made), "without a Python")
        for says, kept in (("3.11", True), ("3.1", False), ("3.13", False)):
            self.fake("env/bin/python", f"echo {says}")
            self.assertIs(setup.still_runs(made), kept, says)
        self.fake("env/bin/python", "exit 1")
        self.assertFalse(setup.still_runs(made), "broken")
        self.assertTrue(setup.still_runs(Path(sys.prefix)), "the one that runs this")

    def test_only_what_does_not_run_is_taken_away(self):
        """A link that somebody set is taken away as a link: what it leads to is theirs."""
        theirs = self.folder / "theirs"
        (theirs / "bin").mkdir(parents=True)
        link, whole = self.folder / "link", self.folder / "whole"
        for runs in (True, False):
            link.symlink_to(theirs)
            whole.mkdir()
            for place in (link, whole):
                with (
                    unittest.mock.patch.object(setup, "VENV", place),
                    unittest.mock.patch.object(setup, "still_runs", return_value=runs),
                    unittest.mock.patch.object(setup, "is_current", return_value=True),
                ):
                    setup.python_packages(testing=False)
            self.assertEqual(
                (link.is_symlink(), whole.is_dir(), theirs.is_dir()), (runs, runs, True)
            )
            if runs:
                link.unlink()
                whole.rmdir()


class Beside(unittest.TestCase):
    def test_two_commands_at_a_time_never_share_a_database(self):
        names = []
        for number in range(2):
            probe = check.Check(
                "e2e", "probe",
                (sys.executable, "-c", "import os; print('DB', os.environ['FONODROME_DB_NAME'])", "test"),
                database=True,
            )  # fmt: skip
            said = []
            with (
                unittest.mock.patch.object(check, "say", said.append),
                unittest.mock.patch.object(
                    check, "_count", lambda output, code: (names.append(output), (1, 0))[1]
                ),
            ):
                check._run(number, probe, {**os.environ, "FONODROME_DB_NAME": "x"})
        self.assertEqual(len(set(names)), 2, names)

    def test_what_runs_beside_the_browser_tests_gives_way_to_them(self):
        began = []
        with (
            unittest.mock.patch.object(check, "say"),
            unittest.mock.patch.object(check.subprocess, "run") as run,
        ):
            run.side_effect = lambda command, **_: (
                began.append(command) or subprocess.CompletedProcess(command, 0, "", "")
            )
            for part in ("e2e", "core"):
                check._run(0, check.Check(part, "probe", ("true",)), dict(os.environ))
        self.assertEqual(began, [("true",), ("nice", "-n", "19", "true")])


class Behind(unittest.TestCase):
    def test_what_works_in_the_background_gives_way_to_every_other_session(self):
        """Its own niceness counts within its session alone: the kernel shares a core between sessions first."""
        own = Path("/proc/self/autogroup")
        said = subprocess.run(
            [sys.executable, "-c", "import os; print(os.nice(0)); print(open('/proc/self/autogroup').read())"]
            if own.exists()
            else [sys.executable, "-c", "import os; print(os.nice(0))"],
            capture_output=True, text=True, check=True, start_new_session=True, preexec_fn=serve._behind,
        ).stdout.split("\n")  # fmt: skip
        self.assertEqual(int(said[0]), min(19, os.nice(0) + serve.BEHIND))
        if own.exists():
            self.assertTrue(said[1].endswith(f"nice {serve.BEHIND}"), said[1])

    def test_the_worker_is_what_works_in_the_background(self):
        first = {}
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        running = serve.Running(Path(held.name), 8403)
        with unittest.mock.patch("serve.subprocess.Popen", side_effect=lambda *_, **given: first.update({given["stdout"].name: given["preexec_fn"]})):  # fmt: skip
            running._launch("web", ["true"])
            running._launch("worker", ["true"])
        self.assertEqual(
            {Path(name).stem: begins for name, begins in first.items()},
            {"web": serve._end_with_parent, "worker": serve._behind},
        )


class InTheWay(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def test_a_taken_port(self):
        with socket.socket() as other:
            other.bind(("127.0.0.1", 0))
            other.listen()
            port = other.getsockname()[1]
            with self.assertRaisesRegex(show.Trouble, f"Port {port} is taken.*--port"):
                serve._port_is_free(port)

    def test_the_database_has_a_line_for_every_thread_that_may_ask_it(self):
        """A process of 4 threads, and what looks after them: 64 processes would stand before a closed door at 80."""
        self.assertEqual(serve.lines_for(2), 80)
        for web in (8, 64):
            self.assertGreaterEqual(serve.lines_for(web), web * 4 + 30)
        with tempfile.TemporaryDirectory() as held:
            running = serve.Running(Path(held), 8123)
            running.web = 64
            asked = {}

            class Made(Exception):
                pass

            def cluster(folder, **given):
                asked.update(given)
                raise Made

            with (
                unittest.mock.patch.object(serve, "Cluster", cluster),
                unittest.mock.patch.dict(os.environ, {"FONODROME_DB_HOST": ""}),
                unittest.mock.patch.object(serve, "_port_is_free"),
                self.assertRaises(Made),
            ):
                running.start()
            running._lock.close()
        self.assertEqual(asked, {"lines": serve.lines_for(64)})

    def test_as_many_web_processes_as_cores_within_bounds_or_as_many_as_were_asked_for(self):
        for cores, asked, wanted in (
            (1, "", 2), (2, "", 2), (6, "", 6), (64, "", 8), (2, " 5 ", 5), (8, "1", 1),
        ):  # fmt: skip
            with (
                unittest.mock.patch("serve.os.sched_getaffinity", return_value=set(range(cores))),
                unittest.mock.patch.dict(os.environ, {"FONODROME_WEB_PROCESSES": asked}),
            ):
                self.assertEqual(serve.web_processes(), wanted, (cores, asked))
        for bad in ("0", "65", "two", "-3", "2.5", "²"):
            with (
                unittest.mock.patch.dict(os.environ, {"FONODROME_WEB_PROCESSES": bad}),
                self.assertRaisesRegex(serve.Trouble, "a number from 1 to 64"),
            ):
                serve.web_processes()

    def test_a_second_start_on_the_same_data(self):
        first, second = (serve.Running(self.folder, port) for port in (8401, 8402))
        first._take_lock()
        with self.assertRaisesRegex(show.Trouble, "already runs on this data: process .*8401"):
            second._take_lock()
        first._lock.close()
        second._take_lock()
        second._lock.close()

    def test_a_data_folder_that_cannot_be_one(self):
        (self.folder / "file").write_text("x")
        with self.assertRaisesRegex(show.Trouble, "cannot be written to.*--data"):
            serve._writable(self.folder / "file")

    def test_known_troubles_become_one_sentence(self):
        for printed, words in [
            ("ERROR: [Errno 28] No space left on device", "disk is full"),
            ("npm error code EAI_AGAIN", "registry cannot be reached"),
            ("Temporary failure in name resolution", "registry cannot be reached"),
        ]:
            with self.assertRaisesRegex(show.Trouble, words):
                show.run(["sh", "-c", f"echo '{printed}'; exit 1"], "It failed.")

    def test_help_names_every_command(self):
        said = subprocess.run(
            [sys.executable, str(DOOR), "--help"], capture_output=True, text=True, check=True
        ).stdout
        for word in ("start", "test", "bench", "screenshots", "null", "password"):
            self.assertIn(word, said)

    def test_null_from_the_command_line(self):
        import numpy as np
        import soundfile

        sound = np.random.default_rng(3).standard_normal((24_000, 2)) * 0.1
        paths = [self.folder / "a.wav", self.folder / "b.wav"]
        for path, gain in zip(paths, (1.0, 0.5), strict=True):
            soundfile.write(path, sound * gain, 48_000, subtype="PCM_16")

        def null(*words: str) -> subprocess.CompletedProcess:
            return subprocess.run(
                [sys.executable, "-m", "core.causes.cli", *words],
                capture_output=True, text=True, check=False, cwd=DOOR.parent,
                env={**os.environ, "PYTHONPATH": str(DOOR.parent)},
            )  # fmt: skip

        found = null(*map(str, paths), "--json")
        self.assertEqual(found.returncode, 0, found.stderr)
        import json

        result = json.loads(found.stdout)
        self.assertAlmostEqual(result["gain_db"], -6.02, places=2)
        self.assertEqual((result["polarity"], result["offset_samples"]), (1, 0))
        self.assertEqual(result["verdict"], "rounding")
        (self.folder / "c.wav").write_bytes(b"RIFF")
        missed = null(str(paths[0]), str(self.folder / "c.wav"))
        self.assertEqual(missed.returncode, 2)
        self.assertIn("not audio", missed.stderr)
        soundfile.write(paths[1], sound[::-1], 48_000)
        self.assertEqual(null(*map(str, paths), "--limit", "60").returncode, 1)
        self.assertEqual(null(*map(str, paths), "--limit", "soon").returncode, 2)
