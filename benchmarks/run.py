"""Speed as ratios, one a line; `./fonodrome bench [null memory compute rig texts lattice drag hearing render wishes page worst]`.

Ratios compare CPU time (wall time for requests) in one run on the same samples, interleaved, as
the median of several rounds. Goals stand beside the figures.
"""

import contextlib
import gc
import gzip
import json
import os
import platform
import resource
import statistics
import struct
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile

from benchmarks.causes import bench_causes
from benchmarks.drag import measure as measure_drag
from benchmarks.drag import measure_course, measure_steps
from benchmarks.hearing import measure_hearing, measure_length
from benchmarks.pair import write_pair
from benchmarks.rigs import exploding, studio
from benchmarks.sound import bench_decays, bench_processors, bench_rigs
from benchmarks.sound import bench_memory as bench_memory_of_renders
from benchmarks.wishes import measure_wishes
from core.delay import DelayLine, Pattern, PlayedNote, SearchRequest, search
from core.errors import FonodromeError
from core.measure import null_test
from core.routing import Evaluation, difference, load_rig, parse_rig, perform, rig_view, run_checks
from core.routing.edit.actions import Set
from core.tempo import read_midi
from core.units import TempoFrame

ROOT = Path(__file__).resolve().parent.parent
ROUNDS = 5


def _cpu(work: Callable[[], object]) -> float:
    began = time.process_time()
    work()
    return time.process_time() - began


def _line(name: str, value: float, goal: str, unit: str = "") -> None:
    print(f"{name}: {value:.2f}{unit} (goal: {goal})", flush=True)


def _read(paths: list[Path]) -> None:
    for path in paths:
        with soundfile.SoundFile(str(path)) as sound:
            for _ in sound.blocks(blocksize=65_536, dtype="float64"):
                pass


def _correlation(paths: list[Path]) -> None:
    """One full-length float64 cross-correlation of each channel, by SciPy's FFT method."""
    a, b = (soundfile.read(str(path), dtype="float64")[0] for path in paths)
    for channel in range(a.shape[1]):
        scipy.signal.correlate(a[:, channel], b[:, channel], method="fft")


def bench_null(folder: Path) -> None:
    for name, delay, goal in (
        ("fractional offset", 38_400.37, "at most 2.0"),
        ("whole-sample offset", 38_400.0, "at most 1.2"),
    ):
        held = folder / name.split()[0]
        held.mkdir()
        paths = write_pair(held, 300, delay, -3.37)
        null_test(*paths)
        ratios = []
        for _ in range(ROUNDS):
            read = _cpu(lambda p=paths: _read(p))
            ratios.append(_cpu(lambda p=paths: null_test(*p)) / read)
        _line(f"null test / reading both files, {name}", statistics.median(ratios), goal)
        if delay % 1:
            found = null_test(*paths)
            _line("null depth there", -(found.null_depth_db or 999), "at least 100", " dB down")
            against = [
                _cpu(lambda p=paths: null_test(*p)) / _cpu(lambda p=paths: _correlation(p))
                for _ in range(2)
            ]
            _line("null test / full float64 correlation", statistics.median(against), "at most 0.5")


_PEAK = """
import sys
from core.errors import FonodromeError
from core.measure import null_test
null_test(sys.argv[1], sys.argv[2])
# Not ru_maxrss: a child inherits its parent's high-water mark there.
print(next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""


def bench_memory(folder: Path) -> None:
    """Peak memory of a process of its own, from ten seconds to an hour."""
    base = folder / "memory"
    base.mkdir()
    short = write_pair(base, 10, 1200.37, -3.37)
    figures = {}
    for seconds in (10, 300, 3600):
        paths = []
        for path in short:
            sound, rate = soundfile.read(str(path), dtype="int32")
            target = base / f"{seconds}-{path.name}"
            with soundfile.SoundFile(str(target), "w", rate, 2, "PCM_24") as out:
                for _ in range(seconds // 10):
                    out.write(sound)
            paths.append(str(target))
        said = subprocess.run(
            [sys.executable, "-c", _PEAK, *paths], capture_output=True, text=True, check=True
        ).stdout
        figures[seconds] = int(said) / 1024
        _line(f"peak memory, {seconds} s", figures[seconds], "below 250", " MB")
    spread = max(figures.values()) / min(figures.values())
    _line("largest / smallest peak memory", spread, "at most 1.10")


_ASK = {
    "frame": {"tempo_bpm": 94, "beat_unit": "1/4.", "metre_count": 6, "metre_unit": 8},
    "device": {"name": "Pedal", "min_ms": 15, "max_ms": 2250, "step_ms": 1},
    "chosen": "1/8.",
}
# Plain sockets: the asking must not cost more than the answering, they share this machine.
_CLIENT = """
import json, socket, sys, threading, time
host, cookie, token, body = sys.argv[1:5]
name, port = host.split(":")
times, lock = [], threading.Lock()
def requests(place):
    ask = json.loads(body)
    for turn in range(40):
        # As while somebody drags the tempo: no two questions are the same.
        ask["frame"]["tempo_bpm"] = 60 + place + turn / 100
        text = json.dumps(ask)
        yield (f"POST /api/v1/compute/time-ruler HTTP/1.1\\r\\nHost: {host}\\r\\nContent-Type: "
            f"application/json\\r\\nCookie: {cookie}\\r\\nX-CSRFToken: {token}\\r\\nContent-Length: "
            f"{len(text)}\\r\\n\\r\\n{text}").encode()
def ask(queue):
    line = socket.create_connection((name, int(port)))
    for request in queue:
        began = time.perf_counter()
        line.sendall(request)
        got = b""
        while b"\\r\\n\\r\\n" not in got: got += line.recv(65536)
        head, _, rest = got.partition(b"\\r\\n\\r\\n")
        assert b" 200 " in head.split(b"\\r\\n")[0], head
        length = int(head.lower().split(b"content-length:")[1].split(b"\\r\\n")[0])
        missing = length - len(rest)
        while missing > 0: missing -= len(line.recv(65536))
        with lock: times.append(time.perf_counter() - began)
queues = [list(requests(place)) for place in range(20)]
threads = [threading.Thread(target=ask, args=(queue,)) for queue in queues]
[t.start() for t in threads]; [t.join() for t in threads]
times.sort()
print(json.dumps([times[len(times) // 2] * 1e3, times[int(len(times) * 0.95)] * 1e3]))
"""


def bench_compute(url: str) -> None:
    """The time ruler over HTTP with 20 requests in flight, client and server on this machine."""
    import http.cookiejar
    import urllib.request

    jar = http.cookiejar.CookieJar()
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))
    opener.open(url).read()
    token = next(c.value for c in jar if c.name == "csrftoken") or ""
    request = urllib.request.Request(f"{url}api/v1/demo", b"", {"X-CSRFToken": token})
    opener.open(request).read()
    # The first question gives the ticket that the others go in with, as in a page.
    ask = urllib.request.Request(
        f"{url}api/v1/compute/time-ruler", json.dumps(_ASK).encode(),
        {"Content-Type": "application/json"},
    )  # fmt: skip
    opener.open(ask).read()
    cookies = "; ".join(f"{c.name}={c.value}" for c in jar)
    token = next(c.value for c in jar if c.name == "csrftoken") or ""
    host = url.removeprefix("http://").rstrip("/")
    for _ in range(3):  # the first rounds warm the processes
        said = subprocess.run(
            [sys.executable, "-c", _CLIENT, host, cookies, token, json.dumps(_ASK)],
            capture_output=True, text=True, check=True,
        ).stdout  # fmt: skip
    median, high = json.loads(said)
    _line("time ruler, 20 in flight, median", median, "-", " ms")
    _line("time ruler, 20 in flight, p95", high, "at most 30", " ms")


def bench_rig() -> None:
    """Compile, evaluate and check rigs in the core; best of twelve, since other work only adds."""
    gc.collect()
    gc.freeze()  # as the web processes do when they have loaded
    times = {}
    for name, rig in (
        ("60 stages", studio(1)),
        ("120 stages", studio(2)),
        ("a million paths", exploding()),
    ):
        best = float("inf")
        for _ in range(12):
            began = time.process_time()
            evaluation = Evaluation(rig)
            evaluation.report()
            run_checks(evaluation)
            best = min(best, time.process_time() - began)
        times[name] = best
        stages = sum(node.is_stage for node in rig.nodes.values())
        _line(f"rig, {name} ({stages} stages)", best * 1e3, "at most 10 for 60 stages", " ms")
    _line("an edit in the core / its evaluation", _edit(), "at most 2.5")
    _line("twice the rig / the rig", times["120 stages"] / times["60 stages"], "at most 2.5")
    _line("a million paths / the rig", times["a million paths"] / times["60 stages"], "at most 1.1")


def _edit() -> float:
    """Reading the document, a change to it, evaluating it with checks, drawing it; against the
    evaluation with its checks.
    """
    rig = studio(1)
    stored = rig.model_dump(mode="json")
    ratios = []
    for turn in range(20):
        action = Set(node="l0", values={"level_db": -1 - turn / 10})

        def edit(action: Set = action) -> None:
            now = load_rig(stored)
            done = perform(now, action)
            difference(now, done.rig)
            rig_view(done.rig)

        def evaluate() -> None:
            evaluation = Evaluation(rig)
            evaluation.report()
            run_checks(evaluation)

        ratios.append(_cpu(edit) / _cpu(evaluate))
    return statistics.median(ratios)


def bench_texts() -> None:
    """A MIDI file of 2 MB of notes between changes of tempo, and notations that grow fourfold."""
    note = b"\x10\x90\x40\x50\x10\x80\x40\x00"
    change = b"\x00\xff\x51\x03\x07\xa1"
    body = b"".join(note * 150 + change + bytes([n % 250]) for n in range(1650))
    chunk = b"MTrk" + struct.pack(">I", len(body) + 4) + body + b"\x00\xff\x2f\x00"
    data = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + chunk
    best = min(_cpu(lambda: read_midi(data)) for _ in range(3))
    _line(f"MIDI file of {len(data) / 1e6:.1f} MB", best, "at most 2", " s")
    for name, make in _TEXTS.items():
        small, large = (
            min(_cpu(lambda text=make(n): _try(text)) for _ in range(5)) for n in (20_000, 80_000)
        )
        _line(
            f"notation of {name}: four times as long / once", large / max(small, 1e-4), "at most 6"
        )


def _try(text: str) -> None:
    with contextlib.suppress(FonodromeError):
        parse_rig(text)


_TEXTS: dict[str, Callable[[int], str]] = {
    "one word": lambda n: "a" * n,
    "numbered words": lambda n: "a1 " * (n // 3),
    "escapes": lambda n: '"' + "\\" * n,
    "brackets": lambda n: "(" * n,
    "colons": lambda n: "x: " * (n // 3),
    "settings": lambda n: "s: source (" + "level -1 dB, " * (n // 13),
    "blanks": lambda n: "a:" + " " * n,
}


def bench_lattice() -> None:
    """Search over all values up to two bars with 16 played notes and 8 repeats each."""
    pattern = Pattern(bars=2, played=tuple(PlayedNote(slot=slot) for slot in range(0, 32, 2)))
    asked = SearchRequest(
        frame=TempoFrame(tempo_bpm=94), pattern=pattern, line=DelayLine(feedback_percent=80),
        repeats=8,
    )  # fmt: skip
    search(asked)
    best = min(_cpu(lambda: search(asked)) for _ in range(12))
    _line("lattice search, 16 notes, two bars", best * 1e3, "at most 20", " ms")


def bench_drag() -> None:
    for name, median, high in measure_course():
        goal = 120 if "60 stages, mix" in name else 50
        _line(f"{name} (p95 {high:.0f})", median, f"<= {goal} ms", " ms")
    for name, median, high in measure_drag():
        _line(f"drag, {name}: median", median, "at most 50", " ms")
        _line(f"drag, {name}: 95th percentile", high, "-", " ms")
    for name, median in measure_steps():
        _line(f"to {name}: median", median, "at most 150", " ms")


def _line_of_sound(name: str, value: float, goal: str, unit: str) -> None:
    _line(name, value, goal, unit)


def bench_hearing(url: str) -> None:
    for name, value, goal in measure_hearing(url):
        _line(name, value, f"at most {goal}", " ms")
    for name, value, goal in measure_length(url):
        _line(name, value, f"below {goal}", " MB")


def bench_page() -> None:
    """Gzipped script that the first page loads: the entry and what it imports at once."""
    dist = ROOT / "web" / "dist"
    manifest = json.loads((dist / "manifest.json").read_text())
    entry = next(item for item in manifest.values() if item.get("isEntry"))
    files, todo = set(), [entry]
    while todo:
        item = todo.pop()
        files.add(item["file"])
        todo += [manifest[name] for name in item.get("imports", [])]
    size = sum(len(gzip.compress((dist / name).read_bytes(), 9)) for name in files)
    _line("script of the first page, gzipped", size / 1000, "at most 300", " kB")


def main(names: list[str]) -> None:
    wanted = names or [
        "null",
        "memory",
        "compute",
        "rig",
        "texts",
        "lattice",
        "drag",
        "hearing",
        "render",
        "wishes",
        "page",
    ]
    print(f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}")
    with tempfile.TemporaryDirectory() as held:
        if "null" in wanted:
            bench_null(Path(held))
        if "causes" in wanted:
            bench_causes(Path(held), _line)
        if "memory" in wanted:
            bench_memory(Path(held))
    if "compute" in wanted:
        bench_compute(os.environ["FONODROME_BENCH_URL"])
    if "rig" in wanted:
        bench_rig()
    if "texts" in wanted:
        bench_texts()
    if "lattice" in wanted:
        bench_lattice()
    if "drag" in wanted:
        bench_drag()
    if "hearing" in wanted:
        bench_hearing(os.environ["FONODROME_BENCH_URL"])
    if "worst" in wanted:
        from benchmarks.worst import worst_questions

        worst_questions()
    if "render" in wanted:
        for bench in (bench_processors, bench_decays, bench_rigs, bench_memory_of_renders):
            bench(_line_of_sound)
    if "wishes" in wanted:
        for name, value, goal, unit in measure_wishes():
            _line(name, value, goal, unit)
    if "page" in wanted:
        bench_page()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"(the benchmark's own process peaked at {peak:.0f} MB; {np.__version__=})")


if __name__ == "__main__":
    main(sys.argv[1:])
