"""`faults`: parts of a running installation are killed while people work in it. What was answered must be there
afterwards, and nothing may hang.
"""

import contextlib
import json
import os
import secrets
import signal
import subprocess
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

from database import Cluster, free_port
from serve import Running
from setup import PYTHON, ROOT, VENV, set_up
from show import run, say

REST_S = 8.0
MOST_S = 60.0
LIMITS = {"FONODROME_MOST_DEMOS": "0", "FONODROME_WHAT_IF_CPU": "100"}
_BUCKET = """
import sys, time, boto3
store = boto3.client("s3", endpoint_url=sys.argv[1], region_name="us-east-1", aws_access_key_id="key", aws_secret_access_key="secret")
for _ in range(100):
    try:
        store.create_bucket(Bucket="fonodrome")
        break
    except Exception:
        time.sleep(0.2)
else:
    sys.exit(1)
"""


def _children(pid: int) -> list[int]:
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                stat = (entry / "stat").read_text()
            except OSError:
                continue
            if int(stat.rsplit(")", 1)[1].split()[1]) == pid:
                found.append(int(entry.name))
    return found


def _answers(url: str) -> bool:
    try:
        with urllib.request.urlopen(f"{url}healthy", timeout=3) as answer:
            return answer.status == 200
    except (urllib.error.URLError, OSError):
        return False


Kinds = dict[str, Callable[[], list[int]]]


def _backends(cluster: Cluster) -> list[int]:
    base = cluster.folder / "data" / "postmaster.pid"
    return _children(int(base.read_text().splitlines()[0]))[-1:]


def _kinds(running: Running) -> Kinds:
    """What is killed, by name: the processes that it is."""
    cluster = running._cluster
    assert cluster
    web = running._children["web"][1].pid
    return {
        "a web process": lambda: _children(web)[:1],
        "the web server": lambda: [running._children["web"][1].pid],
        "the front": lambda: [running._children["front"][1].pid],
        "the job worker": lambda: [running._children["worker"][1].pid],
        "a database process (all are started anew)": lambda: _backends(cluster),
        "the job worker again": lambda: [running._children["worker"][1].pid],
    }


def _kinds_of_two(a: Running, b: Running, cluster: Cluster) -> Kinds:
    """One of each kind, now here, now there, and at last all of a machine."""
    return {
        "a web process of A": lambda: _children(a._children["web"][1].pid)[:1],
        "the job worker of B": lambda: [b._children["worker"][1].pid],
        "the front of B": lambda: [b._children["front"][1].pid],
        "the web server of A": lambda: [a._children["web"][1].pid],
        "a database process (all are started anew)": lambda: _backends(cluster),
        "both job workers": lambda: [r._children["worker"][1].pid for r in (a, b)],
        "all of A": lambda: [process.pid for _, process in a._children.values()],
    }


def _kill(pids: list[int]) -> None:
    for pid in pids:
        # What ended by itself a moment ago is as gone as what is ended here.
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)


def _kill_all(machines: list[Running], kinds: Kinds) -> int:
    """People work on each machine meanwhile. Returns 1 where something stays away or is lost."""
    seconds = (len(kinds) + 2) * (REST_S + 4)
    people = [
        subprocess.Popen(
            [str(PYTHON), "-m", "benchmarks.steady", machine.url, str(seconds)],
            cwd=ROOT, env={**os.environ, **machine.env, "PYTHONPATH": str(ROOT)},
            stdout=subprocess.PIPE, text=True,
        )
        for machine in machines
    ]  # fmt: skip
    try:
        return _killed_in_turn(machines, people, kinds)
    finally:
        for one in people:
            one.kill()


def _killed_in_turn(
    machines: list[Running], people: list["subprocess.Popen[str]"], kinds: Kinds
) -> int:
    time.sleep(REST_S + 6)
    say(f"\n{'killed':<44} {'answers again after':>20}")
    slow = 0
    for name, which in kinds.items():
        _kill(which())
        began = time.monotonic()
        time.sleep(0.2)
        while not all(_answers(m.url) for m in machines) and time.monotonic() - began < MOST_S:
            time.sleep(0.1)
        took = time.monotonic() - began
        slow += took >= MOST_S
        say(f"{name:<44} {took:>18.1f} s")
        time.sleep(max(1.0, REST_S - took))
    bad = 0
    for machine, at_work in zip(machines, people, strict=True):
        said, _ = at_work.communicate(timeout=600)
        bad += at_work.returncode != 0
        say(f"\nat {machine.url}")
        for words, value in json.loads(said.strip().splitlines()[-1]).items():
            say(f"{words}: {value if not isinstance(value, dict) else json.dumps(value)}")
    return 1 if slow or bad else 0


@contextlib.contextmanager
def _supervised(machines: list[Running]) -> Iterator[None]:
    ended = threading.Event()

    def supervise(machine: Running) -> None:
        while not ended.wait(0.2):
            machine.supervise()

    try:
        for machine in machines:
            machine.start()
        for machine in machines:
            threading.Thread(target=supervise, args=(machine,), daemon=True).start()
        yield
    finally:
        ended.set()
        for machine in machines:
            machine.stop()


def faults() -> int:
    set_up(testing=True)
    os.environ.update(LIMITS)
    with tempfile.TemporaryDirectory(prefix="fonodrome-faults-") as held:
        os.chmod(held, 0o755)
        running = Running(Path(held) / "data", free_port())
        with _supervised([running]):
            return _kill_all([running], _kinds(running))


def faults_of_two() -> int:
    """Two machines, each with a folder of its own, over one database and one object store."""
    set_up(testing=True)
    os.environ.update(LIMITS)
    with (
        tempfile.TemporaryDirectory(prefix="fonodrome-faults-") as held,
        contextlib.ExitStack() as stack,
    ):
        os.chmod(held, 0o755)
        cluster = Cluster(Path(held) / "pg")
        cluster.start()
        stack.callback(cluster.stop)
        port = free_port()
        url = f"http://127.0.0.1:{port}"
        with (Path(held) / "objects.log").open("wb") as log:
            objects = subprocess.Popen(
                [str(VENV / "bin" / "moto_server"), "-H", "127.0.0.1", "-p", str(port)], stdout=log, stderr=log
            )  # fmt: skip
        stack.callback(objects.terminate)
        keys = {"FONODROME_OBJECTS_KEY": "key", "FONODROME_OBJECTS_SECRET": "secret"}
        os.environ.update(
            {
                **cluster.environment(), **keys, "FONODROME_DB_HOST": "127.0.0.1",
                "FONODROME_SECRET_KEY": secrets.token_urlsafe(50),
                "FONODROME_OBJECTS": "fonodrome", "FONODROME_OBJECTS_URL": url,
            }
        )  # fmt: skip
        run([PYTHON, "-c", _BUCKET, url], "The object store does not answer.")
        a, b = (Running(Path(held) / name, free_port()) for name in "ab")
        with _supervised([a, b]):
            return _kill_all([a, b], _kinds_of_two(a, b, cluster))
