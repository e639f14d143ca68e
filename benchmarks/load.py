"""Fifty people at once: `./fonodrome load`. Each drags, saves every five seconds, sends a file of 10 MB, and some
render. Run in a process tree of its own against a server of its own; prints one table.

First they do all of it in shorter turns and drag more and more, until an answer takes longer than it may: the rate
before is tried for a minute, or the one before that: what holds is what the machine sustains. How much of the machine others took
meanwhile is printed with it: on a shared one a figure without that says little.
"""

import http.client
import io
import json
import os
import random
import statistics
import sys
import threading
import time
import uuid
from collections import defaultdict
from typing import Any
from urllib.parse import urlsplit

import numpy as np
import psutil
import soundfile
from pydantic_core import from_json

PEOPLE, SECONDS = 50, 60.0
DRAGS_A_SECOND, SAVE_EVERY_S, RENDERS = 5.0, 5.0, 10
RATES = (0.1, 0.2, 0.35, 0.5, 1.0, 2.0, 3.0, DRAGS_A_SECOND)
FRAME = {"tempo_bpm": 96, "beat_unit": "1/4", "metre_count": 4, "metre_unit": 4, "sample_rate_hz": 48_000}  # fmt: skip
GOALS = {"what-if": 100, "save": 150}
_STEP_S = 12.0
"""Of it a fifth of all sends and renders is done, as in a fifth of the minute."""
_SENDS_UNTIL = 0.9
"""Of the time that they work: when the last file is sent, so that it comes in whole."""


class Person:
    """One who works in a demo studio of their own, over one connection."""

    def __init__(self, url: str, number: int, told: "Told") -> None:
        self.at, self.told, self.number = urlsplit(url).netloc, told, number
        self.line = http.client.HTTPConnection(self.at, timeout=120)
        self.cookies: dict[str, str] = {}
        self.turn = number
        self.ask("open", "GET", "/")
        self.ask("open", "POST", "/api/v1/demo", b"")
        song = next(s for s in self.ask("open", "GET", "/api/v1/songs") if "Lighthouse" in s["title"])  # fmt: skip
        self.song, self.song_revision = song["id"], song["revision"]
        self.rig = self.ask("open", "GET", f"/api/v1/songs/{self.song}/rigs")[0]
        self.variant = self.rig["variants"][0]["id"]
        self.clip = self.ask("open", "GET", f"/api/v1/songs/{self.song}/clips")[0]["id"]
        known = self.ask("open", "GET", f"/api/v1/variants/{self.variant}")
        self.document, self.revision = known["document"], known["revision"]
        self.node = next(n for n, v in self.document["nodes"].items() if v["kind"] == "reverb")

    def ask(
        self, kind: str, way: str, path: str, body: object = None, *, quiet: bool = False, read: bool = True
    ):  # fmt: skip
        """read: whether the answer is looked into. Fifty pages do that on machines of their own; here it would make the
        others wait.
        """
        data = body if isinstance(body, bytes) else None if body is None else json.dumps(body).encode()  # fmt: skip
        kind_of = "application/octet-stream" if isinstance(body, bytes) else "application/json"
        headers = {
            "Content-Type": kind_of,
            "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items()),
            "X-CSRFToken": self.cookies.get("csrftoken", ""),
            "Connection": "keep-alive",
        }
        began = time.monotonic()
        try:
            self.line.request(way, path, data, headers)
            answer = self.line.getresponse()
            text = answer.read()
        except (OSError, http.client.HTTPException) as fault:
            self.line.close()
            self.told.fault(f"{kind}: {type(fault).__name__}")
            return None
        for name, value in answer.getheaders():
            if name.lower() == "set-cookie":
                word, _, rest = value.partition("=")
                self.cookies[word] = rest.partition(";")[0]
        if not quiet:
            self.told.took(kind, time.monotonic() - began)
        if answer.status >= 400:
            self.told.fault(f"{kind}: {answer.status} {text[:120].decode(errors='replace')}")
            return None
        is_json = "json" in answer.headers.get("Content-Type", "")
        return from_json(text) if is_json and read else text

    def drag(self) -> None:
        """What a page asks for while something is dragged: in Route a trial of the edit, elsewhere arithmetic."""
        self.turn += 1
        if self.turn % 2:
            values = {"mix_percent": round(random.uniform(1, 100), 2)}
            action = {"do": "set", "node": self.node, "values": values}
            seen = {"revision": self.revision, "song_revision": self.song_revision}
            self.ask("what-if", "POST", f"/api/v1/variants/{self.variant}/try", {"action": action, **seen}, read=False)  # fmt: skip
        else:
            line = {"name": "Lead", "value": f"{random.uniform(90, 900):.1f} ms", "feedback_percent": 35}  # fmt: skip
            self.ask(
                "what-if",
                "POST",
                "/api/v1/compute/repeats",
                {"frame": FRAME, "line": line},
                read=False,
            )

    def save(self) -> None:
        values = {"mix_percent": round(random.uniform(1, 100), 2)}
        edit = {
            "id": str(uuid.uuid4()),
            "base_revision": self.revision,
            "action": {"do": "set", "node": self.node, "values": values},
        }
        done = self.ask("save", "POST", f"/api/v1/variants/{self.variant}/edits", edit)
        self.revision = done["revision"] if done else self.revision

    def upload(self, sound: bytes) -> None:
        begun = self.ask("upload", "POST", f"/api/v1/songs/{self.song}/uploads", {"name": f"{self.number}.wav", "size_bytes": len(sound)})  # fmt: skip
        if not begun:
            return
        for start in range(0, len(sound), begun["chunk_bytes"]):
            piece = sound[start : start + begun["chunk_bytes"]]
            self.ask("upload", "PUT", f"/api/v1/uploads/{begun['id']}?offset={start}", piece)
        self.ask("upload", "POST", f"/api/v1/uploads/{begun['id']}/finish")

    def render(self) -> None:
        output = next(n for n, v in self.document["nodes"].items() if v["kind"] == "output")
        job = {"clip": self.clip, "output": output, "length_s": 8}
        made = self.ask("render", "POST", f"/api/v1/variants/{self.variant}/renders", job)
        while made and made["status"] in ("queued", "running"):
            asked = time.monotonic()
            made = self.ask("", "GET", f"/api/v1/renders/{made['id']}?wait_s=0.5", quiet=True)
            time.sleep(max(0.04, 0.3 - (time.monotonic() - asked)))
        if made and made["status"] != "done":
            self.told.fault(f"render: {made['status']} {made['problem']}")

    def works(self, seconds: float, a_second: float, sound: bytes = b"", renders: bool = False) -> None:  # fmt: skip
        """At their own pace: who waited for an answer does not catch up, and nobody begins with all.

        sound: what is sent once; nothing, where nothing is sent.
        """
        began = time.monotonic()
        end, never = began + seconds, float("inf")
        heard: threading.Thread | None = None
        due = {
            "drag": began + random.uniform(0, 1 / a_second),
            "save": began + random.uniform(0, SAVE_EVERY_S),
            "send": began + random.uniform(0, seconds * _SENDS_UNTIL) if sound else never,
            "hear": began + random.uniform(0, seconds * _SENDS_UNTIL) if renders else never,
        }
        while (at := min(due.values())) < end:
            time.sleep(max(0.0, at - time.monotonic()))
            what = min(due, key=lambda name: due[name])
            if what == "drag":
                self.drag()
                due["drag"] = max(time.monotonic(), at + random.uniform(0.8, 1.2) / a_second)
            elif what == "save":
                self.save()
                due["save"] = max(time.monotonic(), at + SAVE_EVERY_S)
            elif what == "send":
                due["send"] = never
                self.upload(sound)
            else:
                due["hear"] = never
                heard = threading.Thread(target=Person.render, args=(self.twin(),), daemon=True)
                heard.start()
        # Whoever asks for the same once more lets go of what is not made yet: not before it is there.
        if heard is not None:
            heard.join(60)

    def twin(self) -> Any:
        """The same person, over another connection."""
        made = object.__new__(type(self))
        made.__dict__ = {**self.__dict__, "line": http.client.HTTPConnection(self.at, timeout=120)}
        return made


class Told:
    def __init__(self) -> None:
        self.times: dict[str, list[float]] = defaultdict(list)
        self.faults: dict[str, int] = defaultdict(int)

    def took(self, kind: str, seconds: float) -> None:
        self.times[kind].append(seconds * 1e3)

    def fault(self, words: str) -> None:
        self.faults[words] += 1

    def p95(self, kind: str) -> float:
        times = sorted(self.times[kind])
        return times[int(0.95 * (len(times) - 1))] if times else 0.0

    def fresh(self) -> None:
        self.times.clear()


def _sound() -> bytes:
    """10 MB of a WAV file."""
    out = io.BytesIO()
    noise = np.random.default_rng(1).standard_normal((1_740_000, 2)) * 0.1
    soundfile.write(out, noise, 48_000, "PCM_24", format="WAV")
    return out.getvalue()


def _together(people: list[Person], work) -> None:
    threads = [threading.Thread(target=work, args=(one,)) for one in people]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


def _parts(people: list[Person], step: int) -> tuple[set[int], set[int]]:
    """Who renders and who sends in one of the shorter turns: others each time, a share of all that fits its length."""
    share = _STEP_S / SECONDS
    turned = [one.number for one in people[step:] + people[:step]]
    senders = round(PEOPLE * share)
    return set(turned[: round(RENDERS * share)]), set(turned[:: PEOPLE // senders][:senders])


class _Taken:
    """How much of the processors' time went to other machines on the same hardware (Linux: steal)."""

    percent = 0.0

    def __enter__(self) -> "_Taken":
        self._before = psutil.cpu_times()
        return self

    def __exit__(self, *_: object) -> None:
        now = psutil.cpu_times()
        spent = sum(now[:8]) - sum(self._before[:8])
        stolen = getattr(now, "steal", 0.0) - getattr(self._before, "steal", 0.0)
        self.percent = 100 * stolen / spent if spent else 0.0


def _memory_mb(tree: int) -> float:
    """Of a process and all below it; what several share counts once for each."""
    total = 0
    top = psutil.Process(tree)
    for one in [top, *top.children(recursive=True)]:
        try:
            total += one.memory_info().rss
        except psutil.Error:
            continue
    return total / 1e6


def main(url: str, tree: int) -> int:
    told, sound = Told(), _sound()
    people = [Person(url, n, told) for n in range(PEOPLE)]
    print(f"{PEOPLE} people with a studio of their own, opened in {sum(told.times['open']) / 1e3:.0f} s")  # fmt: skip
    # What each process makes once is made before it is measured.
    _together(people, lambda one: one.works(_STEP_S / 2, RATES[0]))
    rate = RATES[0]
    for step, a_second in enumerate(RATES):
        told.fresh()
        at_work, sending = _parts(people, step)
        with _Taken() as taken:
            _together(people, lambda one, r=a_second, s=sending, h=at_work: one.works(_STEP_S, r, sound if one.number in s else b"", one.number in h))  # fmt: skip
        done = len(told.times["what-if"]) / _STEP_S
        print(f"  {a_second:4.2f} drags a second each: {done:6.1f} answered a second, p95 {told.p95('what-if'):6.0f} ms, of saves {told.p95('save'):6.0f}; others had {taken.percent:.0f} % of the machine")  # fmt: skip
        if any(told.p95(kind) > goal for kind, goal in GOALS.items()):
            break
        rate = a_second
    before = most = _memory_mb(tree)
    running = threading.Event()

    def watch() -> None:
        nonlocal most
        while not running.wait(2):
            most = max(most, _memory_mb(tree))

    watcher = threading.Thread(target=watch)
    watcher.start()
    heard = {one.number for one in random.Random(1).sample(people, RENDERS)}
    # What held for a short turn may not for a minute: then it is the next lower one that is sustained, if any.
    for a_second in reversed(RATES[: RATES.index(rate) + 1]):
        told.fresh()
        with _Taken() as taken:
            _together(people, lambda one, r=a_second: one.works(SECONDS, r, sound, one.number in heard))  # fmt: skip
        good = all(told.p95(kind) <= goal for kind, goal in GOALS.items())
        done = len(told.times["what-if"]) / SECONDS
        word = "sustained" if good else "not sustained"
        print(f"\nfor {SECONDS:.0f} s: {done:.0f} what-if questions a second ({a_second:g} a person and second), {word}")  # fmt: skip
        _table(told)
        print(f"meanwhile others had {taken.percent:.0f} % of the machine")
        if good:
            break
    running.set()
    watcher.join()
    print(f"memory of all processes: {before:.0f} MB before, {most:.0f} MB at most")
    print(f"faults: {sum(told.faults.values())}")
    for words, count in told.faults.items():
        print(f"  {count} x {words}")
    return 0 if good and not told.faults else 1


def _table(told: Told) -> None:
    print(f"{'':<10} {'count':>7} {'median ms':>10} {'p95 ms':>8} {'goal':>6}")
    for kind in ("what-if", "save", "upload", "render"):
        if times := told.times[kind]:
            goal = GOALS.get(kind) or "-"
            print(f"{kind:<10} {len(times):>7} {statistics.median(times):>10.0f} {told.p95(kind):>8.0f} {goal:>6}")  # fmt: skip


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    sys.exit(main(sys.argv[1], int(sys.argv[2])))
