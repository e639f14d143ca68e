"""A live server with a real worker and a real browser, as a person would have them."""

import functools
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path
from unittest import mock

from django.apps import apps
from django.conf import settings
from django.core.management import call_command
from django.core.signals import request_finished, request_started
from django.db import connection, transaction
from django.test import Client, LiveServerTestCase

from core.audio import examine
from core.audio.demo import write_demo_clips
from e2e.browser import Browser
from server.clips.models import Blob
from server.clips.store import path_of
from server.config.test_runner import SHARED

ROOT = Path(__file__).resolve().parent.parent
DEMO_CACHE = ROOT / "var" / "demo-sounds"
PATIENCE_WITH_JOBS_S = 4


def start_worker() -> subprocess.Popen[bytes]:
    """A worker process on the test database."""
    env = {**os.environ, "FONODROME_DB_NAME": connection.settings_dict["NAME"]}
    return subprocess.Popen(
        [sys.executable, "manage.py", "procrastinate", "worker", "--concurrency", "2"],
        cwd=ROOT,
        env=env,
        stdin=subprocess.DEVNULL,
        start_new_session=True,
    )


def stop_worker(worker: subprocess.Popen[bytes]) -> None:
    if worker.poll() is None:
        worker.terminate()
        try:
            worker.wait(15)
        except subprocess.TimeoutExpired:
            os.killpg(worker.pid, signal.SIGKILL)
            worker.wait()


class OneWorker:
    """One worker for all tests: to start one takes longer than most of them.

    It is kept as long as a test leaves it with nothing to do, and made anew otherwise.
    """

    def __init__(self) -> None:
        self.process: subprocess.Popen[bytes] | None = None
        SHARED.callback(self.stop)

    def ready(self) -> subprocess.Popen[bytes]:
        if self.process is None or self.process.poll() is not None:
            self.process = start_worker()
        return self.process

    def stop(self) -> None:
        if self.process is not None:
            stop_worker(self.process)
            self.process = None

    def settle(self) -> None:
        """What no test waits for any more is not begun; what has begun may end, for a while."""
        if self.process is None:
            return
        with connection.cursor() as cursor:
            cursor.execute("DELETE FROM procrastinate_jobs WHERE status = 'todo'")
            end = time.monotonic() + PATIENCE_WITH_JOBS_S
            while time.monotonic() < end:
                cursor.execute("SELECT count(*) FROM procrastinate_jobs WHERE status = 'doing'")
                if cursor.fetchone()[0] == 0 and self.process.poll() is None:
                    return
                time.sleep(0.05)
        self.stop()


@functools.cache
def one_browser() -> Browser:
    """One Chromium for all tests; each begins as if it were new."""
    return SHARED.enter_context(closing(Browser("")))


WORKER = OneWorker()
# A demo sound is the same in every test, and so is what is found out about it.
examined = functools.cache(examine)


class Demo:
    """The demo as it is when it was just prepared: worked out once, its rows put back for each test."""

    def __init__(self) -> None:
        self.rows: dict[str, bytes] = {}
        self.sounds: list[Path] = []

    def lay_out(self) -> None:
        if self.sounds and all(sound.is_file() for sound in self.sounds):
            with transaction.atomic(), connection.cursor() as cursor:
                for table, rows in self.rows.items():
                    with cursor.copy(f'COPY "{table}" FROM STDIN') as copy:
                        copy.write(rows)
            return
        with mock.patch("server.config.management.commands.prepare_demo.examine", examined):
            call_command("prepare_demo", stdout=open(os.devnull, "w"))  # noqa: SIM115
        self.sounds = [path_of(blob) for blob in Blob.objects.all()]
        with connection.cursor() as cursor:
            for model in apps.get_models():
                if model._meta.app_label not in ("auth", "contenttypes", "procrastinate"):
                    table = model._meta.db_table
                    with cursor.copy(f'COPY "{table}" TO STDOUT') as copy:
                        self.rows[table] = b"".join(copy)


DEMO = Demo()


class Requests:
    """How many requests the live server is answering."""

    def __init__(self) -> None:
        self.open = 0
        self.lock = threading.Lock()
        request_started.connect(self._count(1), weak=False, dispatch_uid="e2e begins")
        request_finished.connect(self._count(-1), weak=False, dispatch_uid="e2e ends")

    def _count(self, by: int) -> Callable[..., None]:
        def change(**_: object) -> None:
            with self.lock:
                self.open += by

        return change


REQUESTS = Requests()


class BrowserCase(LiveServerTestCase):
    """Each test has a fresh database with the demo, a worker, and a browser without a past."""

    demo = True
    jobs = True
    """Whether a worker runs: only what decodes, compares or renders needs one."""
    shared: Browser

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        # The demo sounds are always the same bytes: made once, kept between runs.
        for _ in write_demo_clips(DEMO_CACHE):
            pass
        cls.shared = one_browser()
        cls.shared.url = cls.live_server_url
        shutil.copytree(DEMO_CACHE, Path(settings.DATA_DIR) / "demo", dirs_exist_ok=True)

    def setUp(self) -> None:
        with connection.cursor() as cursor:
            # What the shared worker is at (the queue's own care) stays: it would miss its row.
            cursor.execute("DELETE FROM procrastinate_jobs WHERE status <> 'doing'")
        if self.demo:
            DEMO.lay_out()
        if self.jobs:
            WORKER.ready()
            self.addCleanup(WORKER.settle)
        REQUESTS.open = 0
        self.browser = self.shared
        self.browser.fresh()
        self.addCleanup(self.leave)

    def leave(self) -> None:
        """Nothing is asked any more when the database is emptied."""
        with suppress(Exception):
            self.browser.driver.get("about:blank")
        end = time.monotonic() + 20
        while REQUESTS.open > 0 and time.monotonic() < end:
            time.sleep(0.02)

    def new_browser(self, width: int = 1280, height: int = 800) -> Browser:
        browser = Browser(self.live_server_url, width, height)
        self.addCleanup(browser.close)
        return browser

    def open_demo(self, browser: Browser | None = None, step: str = "Time") -> Browser:
        """The demo song at a step. At Route it is opened as a visitor does; elsewhere the studio is theirs already,
        and the page opens at that step.
        """
        browser = browser or self.browser
        if step == "Route":
            browser.open("/")
            browser.press("button", "Open the demo studio")
            browser.find("radio", "Compressor")
            return browser
        visitor = Client()
        visitor.post("/api/v1/demo")
        songs = visitor.get("/api/v1/songs").json()
        (song,) = (s["id"] for s in songs if s["title"] == "Paper Lighthouse")
        # A page of the same place that asks for nothing: cookies belong to one.
        browser.open("/healthy")
        for name, cookie in visitor.cookies.items():
            browser.driver.add_cookie({"name": name, "value": cookie.value, "path": "/"})
        browser.open(f"/songs/{song}/{step.lower()}")
        there = {
            "Time": ("group", "Time ruler"),
            "Space": ("region", "Gaps"),
            "Blend": ("link", "Lift the quiet"),
            "Listen": ("region", "By ear alone"),
            "Verify": ("img", "Waveform B"),
        }
        browser.find(*there[step])
        return browser

    def no_faults(self) -> None:
        self.assertEqual(self.browser.faults(), [])

    def wait_for(self, condition, said: str, patience: float = 40) -> None:
        end = time.monotonic() + patience
        while not condition():
            if time.monotonic() > end:
                self.fail(said)
            time.sleep(0.05)
