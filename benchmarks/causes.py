"""How often the causes of known pairs are named rightly: a confusion table, and what it costs."""

import tempfile
import time
from collections import Counter
from pathlib import Path

import soundfile

from benchmarks.pair import write_pair
from benchmarks.random_pairs import random_pairs
from core.causes import explained_test
from core.causes.tests.catalogue import RATE, cases
from core.measure import null_test


def confusion(seconds: float, seeds: range) -> tuple[Counter[tuple[str, str]], int, int]:
    """Counts of (what it was, what was said first), how many were right, how many wrong for sure."""
    table: Counter[tuple[str, str]] = Counter()
    right = wrong = 0
    with tempfile.TemporaryDirectory() as held:
        paths = [Path(held) / name for name in ("a.wav", "b.wav")]
        for seed in seeds:
            for case in cases(seconds, seed):
                kinds = ("PCM_24", "PCM_16") if case.codes == ("rounding",) else ("FLOAT", "FLOAT")
                for path, sound, kind in zip(paths, (case.a, case.b), kinds, strict=True):
                    soundfile.write(path, sound, RATE, subtype=kind)
                found = explained_test(*paths)
                first = found.causes[0] if found.causes else None
                said = first.code if first else "nothing"
                table[(case.codes[0], case.codes[0] if said in case.codes else said)] += 1
                right += said in case.codes
                wrong += first is not None and said not in case.codes and first.sure == "certain"
    return table, right, wrong


def bench_causes(folder: Path, line) -> None:  # type: ignore[no-untyped-def]
    """Print the table, the share of right first causes, and full analysis over the plain test."""
    table, right, wrong = confusion(7.0, range(1, 4))
    for (was, said), count in sorted(table.items()):
        if was != said:
            print(f"    {was} called {said}: {count}")
    total = sum(table.values())
    line("right first cause", 100 * right / total, "at least 95", " %")
    line("wrong and certain", wrong, "0")
    others, right, wrong = random_pairs(range(1, 3))
    for (sort, was, said), count in sorted(others.items()):
        if said != was.split(",")[0]:
            print(f"    {sort}, {was} called {said}: {count}")
    total = sum(others.values())
    line(
        "random pairs of other sounds, right first cause", 100 * right / total, "at least 95", " %"
    )
    line("random pairs of other sounds, something false for certain", wrong, "0")
    held = folder / "causes"
    held.mkdir()
    paths = write_pair(held, 300, 1200.37, -3.37)
    sound, rate = soundfile.read(paths[1])
    soundfile.write(paths[1], sound.clip(-0.15, 0.15), rate, subtype="PCM_24")
    took = []
    for test in (null_test, explained_test, null_test, explained_test):
        began = time.process_time()
        test(*paths)
        took.append(time.process_time() - began)
    line(
        "full analysis / plain null test, 5 minutes", min(took[1::2]) / min(took[::2]), "at most 4"
    )
