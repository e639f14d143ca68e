"""Some people who save and render all the time, and send again what was not answered, as the page does. At the end
everything that was answered must be there, and nothing may still be open. Prints what was found as JSON.
"""

import json
import random
import sys
import threading
import time
import uuid

from benchmarks.load import Person, Told

PEOPLE, PATIENCE_S = 6, 90.0


class Steady(Person):
    def until(self, kind: str, way: str, path: str, body: object = None):
        """Again and again until it is answered, over a fresh line."""
        end = time.monotonic() + PATIENCE_S
        while time.monotonic() < end:
            answer = self.ask(kind, way, path, body)
            if answer is not None:
                return answer
            time.sleep(0.5)
        raise RuntimeError(f"{kind} {path} was never answered")

    def saves(self, end: float, kept: list[str]) -> None:
        while time.monotonic() < end:
            edit = {
                "id": str(uuid.uuid4()),
                "base_revision": self.revision,
                "action": {"do": "set", "node": self.node, "values": {"mix_percent": round(random.uniform(1, 100), 3)}},
            }  # fmt: skip
            done = self.until("save", "POST", f"/api/v1/variants/{self.variant}/edits", edit)
            self.revision = done["revision"]
            kept.append(edit["id"])
            time.sleep(0.2)

    def renders(self, end: float, asked: list[str]) -> None:
        """One after the other, each of another stretch."""
        output = next(n for n, v in self.document["nodes"].items() if v["kind"] == "output")
        while time.monotonic() < end:
            job = {"clip": self.clip, "output": output, "start_s": round(random.uniform(0, 3), 3), "length_s": 4}  # fmt: skip
            made = self.until("render", "POST", f"/api/v1/variants/{self.variant}/renders", job)
            asked.append(made["id"])
            while made["status"] in ("queued", "running") and time.monotonic() < end:
                time.sleep(0.5)
                made = self.until("render", "GET", f"/api/v1/renders/{made['id']}")


def main(url: str, seconds: float) -> int:
    told = Told()
    people = [Steady(url, n, told) for n in range(PEOPLE)]
    told.faults.clear()
    end = time.monotonic() + seconds
    kept: list[list[str]] = [[] for _ in people]
    asked: list[list[str]] = [[] for _ in people]
    threads = []
    for one, mine, theirs in zip(people, kept, asked, strict=True):
        twin = one.twin()
        threads.append(threading.Thread(target=one.saves, args=(end, mine)))
        threads.append(threading.Thread(target=twin.renders, args=(end, theirs)))
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    lost, open_rows, states = 0, [], {}
    for one, mine, theirs in zip(people, kept, asked, strict=True):
        history = one.until("read", "GET", f"/api/v1/variants/{one.variant}/history")
        # One step for each save that was answered: none lost, none done twice.
        lost += abs((history[0]["number"] if history else 0) - len(mine))
        deadline = time.monotonic() + PATIENCE_S
        for render in theirs:
            state = "queued"
            while state in ("queued", "running") and time.monotonic() < deadline:
                state = one.until("read", "GET", f"/api/v1/renders/{render}")["status"]
                if state in ("queued", "running"):
                    time.sleep(0.3)
            states[state] = states.get(state, 0) + 1
            if state != "done":
                open_rows.append(render)
    found = {
        "saves": sum(map(len, kept)), "saves lost or doubled": lost, "renders": states,
        "sent again": sum(told.faults.values()), "why": dict(told.faults),
    }  # fmt: skip
    print(json.dumps(found))
    return 1 if lost or open_rows else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], float(sys.argv[2])))
