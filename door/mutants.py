"""`mutants`: is the core's arithmetic held by its tests? One operator or number of it is changed at a time, in a copy
of the tree, and the tests are run: what no test notices is printed. Slow; a command of its own.
"""

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from queue import Queue

from setup import PYTHON, ROOT, set_up
from show import Trouble, say

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

_BESIDE = {"measure": ("core/causes/tests/test_pairs.py",)}
"""Tests of a room that stand in another, which uses it: null tests of pairs whose difference is known."""

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
            "njit" in ast.unparse(d) for d in node.decorator_list
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


@cache
def _uses(room: str) -> tuple[str, ...]:
    """Rooms that import from a room, the quickest first."""
    found = [
        other
        for other in ROOMS
        if other != room
        and any(
            f"from core.{room}" in path.read_text()
            for path in (ROOT / "core" / other).rglob("*.py")
        )
    ]
    return tuple(sorted(found, key=("devices", "blend", "units", "sheet", "tempo", "delay").__contains__, reverse=True))  # fmt: skip


def _tests_of(file: str) -> list[str]:
    """What is run against a change: the tests of its room, then those of the rooms that use it."""
    room = Path(file).parts[1]
    return [*(f"core/{r}" for r in (room, "tests", *_uses(room))), *_BESIDE.get(room, ())]


def caught(tree: Path, mutant: Mutant) -> bool:
    """Whether a test fails, or breaks, or does not end, with the change made in a copy of the tree."""
    path = tree / mutant.file
    before = path.read_text()
    path.write_text(mutant.on(before))
    try:
        return any(_fails(tree, place) for place in _tests_of(mutant.file))
    finally:
        path.write_text(before)


def _fails(tree: Path, place: str) -> bool:
    if not (tree / place).exists():
        return False
    folder, pattern = (place, "test*.py") if (tree / place).is_dir() else os.path.split(place)
    command = [str(PYTHON), "-W", "error::RuntimeWarning", "-m", "unittest", "discover", "-f", "-s", folder, "-p", pattern, "-t", "."]  # fmt: skip
    env = {
        **os.environ,
        "NUMBA_CACHE_DIR": str(tree / "loops"),
        "OPENBLAS_NUM_THREADS": "1",
        "PYTHONDONTWRITEBYTECODE": "1",
    }
    try:
        done = subprocess.run(
            command, cwd=tree, env=env, capture_output=True, timeout=_LONGEST_S, check=False
        )
    except subprocess.TimeoutExpired:
        return True
    return done.returncode != 0


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
        # Without a change everything must pass, or nothing can be said.
        first = trees.get()
        for room in ("core/tests", *(f"core/{room}" for room in ROOMS)):
            if _fails(first, room):
                raise Trouble(f"The tests of {room} fail as they are: mend them first.")
        trees.put(first)
        missed: list[Mutant] = []

        def run(mutant: Mutant) -> bool:
            tree = trees.get()
            try:
                found = caught(tree, mutant)
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
