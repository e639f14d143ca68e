"""`mutants`: is the core's arithmetic held by its tests? One operator or number of it is changed at a time, in a copy
of the tree, and the tests are run: what no test notices is printed. Slow; a command of its own.
"""

import ast
import json
import math
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

from setup import PYTHON, ROOT, set_up
from show import Step, Trouble, say

ROOMS = (
    "units", "delay", "tempo", "blend", "space", "audio", "course", "sheet", "routing", "wishes", "measure",
    "devices",
)  # fmt: skip
"""Rooms whose tests answer in seconds. The others listen to minutes of sound, as the whole test run does."""
WANTED = 0.85
AT_A_TIME = 2
_LONGEST_S = 240
_FILES = {"cli.py", "demo.py"}
"""How a command reads its words, and how made-up sounds sound: no arithmetic of the job."""

HOLDING = (
    "core/render",
    "core/causes/tests/test_pairs.py",
    "core/causes/tests/test_reach.py",
    "core/tests",
    *(f"core/{room}" for room in ROOMS),
)
"""Whose tests are run against a change, the slowest first: plans are held by what they sound like, null tests by pairs."""
_LONGEST_TRACED_S = 1800

_ARITHMETIC = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*", ast.Pow: "*", ast.Mod: "*", ast.FloorDiv: "*"}  # fmt: skip
_SIGNS = {ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.Pow: "**", ast.Mod: "%", ast.FloorDiv: "//"}  # fmt: skip
_ORDER = {ast.Lt: ("<", ">="), ast.LtE: ("<=", ">"), ast.Gt: (">", "<="), ast.GtE: (">=", "<"), ast.Eq: ("==", "!="), ast.NotEq: ("!=", "==")}  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One change of a file: characters `start` to `end` of its text become `to`."""

    file: str
    line: int
    start: int
    end: int
    was: str
    to: str

    def on(self, text: str) -> str:
        return text[: self.start] + self.to + text[self.end :]


def mutants_of(file: str, text: str) -> list[Mutant]:
    """Every change that can be made in a file, in the order of its text. No text, type or compiled loop is touched."""
    # Columns of the parser count bytes.
    data = text.encode()
    begins = [0]
    for one in data.splitlines(keepends=True):
        begins.append(begins[-1] + len(one))

    def at(line: int, column: int) -> int:
        return len(data[: begins[line - 1] + column].decode())

    found: list[Mutant] = []

    def between(first: ast.expr, second: ast.expr, was: str, to: str) -> None:
        assert first.end_lineno
        assert first.end_col_offset is not None
        start, end = (
            at(first.end_lineno, first.end_col_offset),
            at(second.lineno, second.col_offset),
        )
        place = text[start:end].find(was)
        if place >= 0:
            start += place
            found.append(Mutant(file, first.end_lineno, start, start + len(was), was, to))

    def visit(node: ast.AST) -> None:
        if isinstance(node, ast.FunctionDef) and any(
            "njit" in (word := ast.unparse(d)) or "sample_loop" in word for d in node.decorator_list
        ):
            return
        if isinstance(node, ast.Call) and ast.unparse(node.func) in ("Field", "round", "range"):
            # Limits and digits of what is shown are held where they are shown.
            return
        if isinstance(node, ast.BinOp) and type(node.op) in _ARITHMETIC and _is_number(node):
            between(node.left, node.right, _SIGNS[type(node.op)], _ARITHMETIC[type(node.op)])
        if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in _ORDER:
            between(node.left, node.comparators[0], *_ORDER[type(node.ops[0])])
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("min", "max"):  # fmt: skip
            start = at(node.func.lineno, node.func.col_offset)
            to = "max" if node.func.id == "min" else "min"
            found.append(Mutant(file, node.lineno, start, start + 3, node.func.id, to))
        for name, value in ast.iter_fields(node):
            if name in ("annotation", "returns", "decorator_list", "type_params"):
                continue
            for child in value if isinstance(value, list) else [value]:
                if isinstance(child, ast.AST):
                    visit(child)

    visit(ast.parse(text))
    return sorted(found, key=lambda m: m.start)


def _is_number(node: ast.BinOp) -> bool:
    """Not the joining of texts or lists."""
    return not any(
        isinstance(side, (ast.JoinedStr, ast.List, ast.Tuple, ast.ListComp))
        or (isinstance(side, ast.Constant) and isinstance(side.value, str))
        for one in (node.left, node.right)
        for side in ast.walk(one)
    )


def chosen(root: Path, count: int, seed: int) -> list[Mutant]:
    """`count` of all that can be made, the same for the same seed, spread over files by what they hold."""
    all_of: list[Mutant] = []
    for room in ROOMS:
        for path in sorted((root / "core" / room).rglob("*.py")):
            if "tests" in path.parts or path.name in _FILES:
                continue
            all_of += mutants_of(str(path.relative_to(root)), path.read_text())
    return sorted(
        random.Random(seed).sample(all_of, min(count, len(all_of))), key=lambda m: (m.file, m.start)
    )


Reached = dict[str, dict[int, set[str]]]
"""By file and line: the tests that run it; empty among them where it ran outside of any."""


def reached(tree: Path, places: tuple[str, ...]) -> Reached:
    """Which tests run which lines. Raises Trouble where a test fails as it is: then nothing can be said."""
    settings = tree / "reached.ini"
    settings.write_text(
        f"[run]\nsource = core\nomit = */tests/*\ndynamic_context = test_function\nparallel = True\n"
        f"data_file = {tree / 'reached'}\n"
    )
    run = (str(PYTHON), "-m", "coverage")

    def follow(place: str) -> None:
        with_it = (*run, "run", f"--rcfile={settings}", "-m")
        if _ends_badly(tree, _discovered(tree, place), with_it, _LONGEST_TRACED_S):
            raise Trouble(f"The tests of {place} fail as they are: mend them first.")

    with ThreadPoolExecutor(AT_A_TIME) as pool:
        list(pool.map(follow, places))
    for words in (("combine", "-q"), ("json", "-q", "--show-contexts", "-o", "reached.json")):
        command = (*run, words[0], f"--rcfile={settings}", *words[1:])
        subprocess.run(command, cwd=tree, check=True, capture_output=True)
    files = json.loads((tree / "reached.json").read_text())["files"]
    seen = {test for found in files.values() for tests in found["contexts"].values() for test in tests}  # fmt: skip
    names = _by_name(tree, sorted(seen - {""}))
    return {
        file: {
            int(line): {names.get(test, "") for test in tests}
            for line, tests in found["contexts"].items()
        }
        for file, found in files.items()
    }


_NAMED = """
import importlib, json, sys, unittest
found = {}
for seen in json.load(sys.stdin):
    module, _, test = seen.rpartition(".")
    name = seen
    loader = unittest.TestLoader()
    try:
        if ".<locals>." in seen:  # a property: its own function stands inside of what runs it
            module = seen.partition(".accept.")[0]
            name = next(
                f"{module}.{c.__name__}.{test}" for c in vars(importlib.import_module(module)).values()
                if isinstance(c, type) and issubclass(c, unittest.TestCase) and test in vars(c)
            )
        suite = loader.loadTestsFromName(name)
    except Exception:
        continue
    if not loader.errors and suite.countTestCases() == 1:
        found[seen] = name
print(json.dumps(found))
"""


def _by_name(tree: Path, seen: list[str]) -> dict[str, str]:
    """By what coverage calls a test: the name by which it is run. Without those that have none, as one that a class took
    from another: that such a name cannot be loaded is no catch.
    """
    done = subprocess.run(
        (str(PYTHON), "-c", _NAMED), cwd=tree, input=json.dumps(seen), text=True,
        capture_output=True, check=True,
    )  # fmt: skip
    return dict(json.loads(done.stdout.splitlines()[-1]))


def tests_of(mutant: Mutant, text: str, lines: Reached) -> tuple[list[str], bool]:
    """The tests that run the statement that was changed, those of its own room first; and whether it also runs where
    no test is told apart: as a module is loaded, or a class set up.
    """
    known = lines.get(mutant.file, {})
    found: set[str] = set().union(*(known.get(n, ()) for n in _statement(text, mutant.line)))
    room = f"core.{Path(mutant.file).parts[1]}."
    return sorted(found - {""}, key=lambda t: (not t.startswith(room), t)), "" in found


def _statement(text: str, line: int) -> range:
    """The lines of the smallest statement round a line, without the body of one that has any."""
    best = range(line, line + 1)
    widest = math.inf
    for node in ast.walk(ast.parse(text)):
        if not isinstance(node, ast.stmt) or not node.lineno <= line <= (node.end_lineno or 0):
            continue
        body = getattr(node, "body", None)
        end = body[0].lineno - 1 if body else node.end_lineno or line
        if line <= max(end, node.lineno) and end - node.lineno < widest:
            best, widest = range(node.lineno, max(end, node.lineno) + 1), end - node.lineno
    return best


def caught(tree: Path, mutant: Mutant, lines: Reached) -> bool:
    """Whether a test fails, or breaks, or does not end, with the change made in a copy of the tree."""
    path = tree / mutant.file
    before = path.read_text()
    tests, outside = tests_of(mutant, before, lines)
    runs = [("unittest", "-f", *tests)] if tests else []
    if outside:
        room = f"core/{Path(mutant.file).parts[1]}"
        runs += [_discovered(tree, place) for place in (room, "core/tests")]
    path.write_text(mutant.on(before))
    try:
        return any(_ends_badly(tree, run, (str(PYTHON), "-W", "error::RuntimeWarning", "-m"), _LONGEST_S) for run in runs)  # fmt: skip
    finally:
        path.write_text(before)


def _discovered(tree: Path, place: str) -> tuple[str, ...]:
    """The words that run the tests of a folder, or of one file."""
    folder, pattern = (place, "test*.py") if (tree / place).is_dir() else os.path.split(place)
    return ("unittest", "discover", "-f", "-s", folder, "-p", pattern, "-t", ".")


def _ends_badly(tree: Path, run: tuple[str, ...], before: tuple[str, ...], longest_s: int) -> bool:
    env = {
        **os.environ,
        "NUMBA_CACHE_DIR": str(tree / "loops"),
        "OPENBLAS_NUM_THREADS": "1",
        "PYTHONDONTWRITEBYTECODE": "1",
    }
    try:
        done = subprocess.run(
            (*before, *run), cwd=tree, env=env, capture_output=True, timeout=longest_s, check=False
        )
    except subprocess.TimeoutExpired:
        return True
    # 5: a folder without tests.
    return done.returncode not in (0, 5)


def _copy(folder: Path) -> Path:
    wanted = ("core", "docs", "pyproject.toml", "server", "door", "web")
    folder.mkdir()
    for name in wanted:
        source = ROOT / name
        if source.is_dir():
            shutil.copytree(
                source, folder / name,
                ignore=shutil.ignore_patterns("node_modules", "dist", "__pycache__", "screenshots"),
            )  # fmt: skip
        else:
            shutil.copy(source, folder / name)
    return folder


def mutants(count: int, seed: int) -> int:
    set_up(testing=True)
    picked = chosen(ROOT, count, seed)
    began = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="fonodrome-mutants-") as held:
        trees: Queue[Path] = Queue()
        for number in range(AT_A_TIME):
            trees.put(_copy(Path(held) / str(number)))
        first = trees.get()
        with Step("Which tests run which lines"):
            lines = reached(first, HOLDING)
        trees.put(first)
        missed: list[Mutant] = []

        def run(mutant: Mutant) -> bool:
            tree = trees.get()
            try:
                found = caught(tree, mutant, lines)
            finally:
                trees.put(tree)
            say(f"  {'caught' if found else 'MISSED'}  {mutant.file}:{mutant.line}  {mutant.was} -> {mutant.to}")  # fmt: skip
            if not found:
                missed.append(mutant)
            return found

        with ThreadPoolExecutor(AT_A_TIME) as pool:
            good = sum(pool.map(run, picked))
    say(f"\n{'room':<10} {'mutants':>8} {'caught':>7}")
    for room in ROOMS:
        of = [m for m in picked if Path(m.file).parts[1] == room]
        lost = sum(m in missed for m in of)
        if of:
            say(f"{room:<10} {len(of):>8} {(len(of) - lost) / len(of):>6.0%}")
    share = good / len(picked)
    say(
        f"\n{good} of {len(picked)} caught, {share:.1%} ({WANTED:.0%} wanted); "
        f"seed {seed}; {(time.monotonic() - began) / 60:.0f} min"
    )
    return 0 if share >= WANTED else 1


if __name__ == "__main__":
    sys.exit(mutants(200, 1))
