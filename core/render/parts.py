"""Parts of a render that are kept: what passed a point of a plan, under a key of all that makes it.

A key stands for everything that leads to its point: clips, arcs, settings, moves, the rate, the size
of a block, and how far the point is held back. So what is read back is, bit for bit, what would be
computed again; and a change near the output leaves the keys of all before it as they were.
"""

import hashlib
import json
import os
import uuid
from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from core.render.processors.base import Curve
from core.routing.plan.model import Arc, SelfLoop
from core.routing.plan.responses import Shaped

if TYPE_CHECKING:
    from core.render.rig import Renderer


class TooShort(Exception):
    """A kept part ends before the sound that is asked of it: it has to be computed anew."""


def _shape(shape: Shaped | None) -> Any:
    return None if shape is None else (repr(shape.sections), shape.rest)


def _curve(curve: Curve | None) -> Any:
    return None if curve is None else (curve.at, curve.values)


def _array(values: np.ndarray) -> str:
    return hashlib.sha256(np.ascontiguousarray(values).tobytes()).hexdigest()


def _moved(moved: Any) -> Any:
    return None if moved is None else (_array(np.asarray(moved.at)), _array(moved.matrices))


def _weights(weights: Any) -> Any:
    return _array(np.asarray(weights.at)), _array(weights.shares)


def _morph(morph: Any) -> Any:
    if morph is None:
        return None
    arcs = [
        (
            a.matrix,
            a.bare,
            _shape(a.shape),
            a.stage and a.stage.model_dump_json(),
            sorted(t.items()),
        )
        for a, t in zip(morph.arcs, morph.times_s, strict=True)
    ]
    return _weights(morph.weights), arcs


def _loop_morph(morph: Any) -> Any:
    return None if morph is None else (_weights(morph.weights), [_shape(s) for s in morph.shapes])


def _stage(renderer: "Renderer", arc: Arc, heard: int) -> Any:
    stage = arc.stage
    if stage is None:
        return None
    plan = renderer.plan
    said = json.dumps(stage.model_dump(mode="json"), sort_keys=True)
    times = sorted((n, t) for n, t in plan.times_s.items() if n.partition(".")[0] == stage.id)
    fields = {n: _curve(c) for n, c in renderer.moves.fields.get(stage.id, {}).items()}
    level = plan.carried[heard].level_dbfs if heard in plan.carried else None
    name = getattr(stage, "impulse", None)
    sound = None if name is None else renderer.impulses.get(name)
    impulse = None if sound is None else _array(sound)
    return said, times, sorted(fields.items()), level, impulse, arc.own_lines


def _loop(renderer: "Renderer", point: int, loop: SelfLoop | None) -> Any:
    if loop is None:
        return None
    moves = renderer.moves
    insert = None if loop.insert is None else loop.insert.model_dump_json()
    return (
        loop.matrix, loop.delay_s, _shape(loop.shape), insert, _moved(moves.loops.get(point)),
        _curve(moves.loop_delays.get(point)), loop.owner in moves.fading,
        _loop_morph(moves.loop_shapes.get(point)),
    )  # fmt: skip


def point_keys(renderer: "Renderer", fed: Mapping[str, str], run: Iterable[Any]) -> dict[int, str]:
    """Keys of all points of a renderer's plan.

    fed: what stands for the clips of each source; run: what else counts for all (rate, stretch).
    Points of one cycle depend on each other: each has the same key but for its place in it.
    """
    plan, parts = renderer.plan, renderer.parts
    common = repr((tuple(run), renderer.rate_hz, renderer.block, renderer.seed))
    into: dict[int, list[tuple[int, Any]]] = {}
    for at, way in enumerate([*renderer.late, *renderer.order]):
        into.setdefault(way.arc.target, []).append((at, way))
    members: dict[int, list[int]] = {}
    for point in range(plan.points):
        members.setdefault(int(parts[point]), []).append(point)
    given: dict[int, list[str]] = {}
    for name, point in plan.sources.items():
        given.setdefault(point, []).append(fed.get(name, ""))
    found: dict[int, str] = {}

    def said(way: Any, place: Mapping[int, int]) -> Any:
        arc: Arc = way.arc
        heard = arc.source if way.key is None else way.key
        ends = [
            ("here", place[p]) if p in place else found[p]
            for p in (arc.source, *([] if way.key is None else [way.key]))
        ]
        moves = renderer.moves
        return (
            ends, arc.matrix, arc.bare, way.samples, way.late, _shape(arc.shape),
            _stage(renderer, arc, heard), _moved(way.moved), _moved(way.gate),
            _morph(moves.morphs.get(id(arc))), _curve(moves.delays.get(id(arc))), arc.owner in moves.fading,
            None if way.key_line is None else way.key_line.whole,
        )  # fmt: skip

    def settle(label: int) -> None:
        points = members[label]
        place = {p: i for i, p in enumerate(points)}
        told = [
            (
                place[p], given.get(p), plan.channels[p], renderer.offsets[p],
                p in renderer.limiters, _loop(renderer, p, plan.loops.get(p)),
                [said(way, place) for _, way in into.get(p, ())],
            )
            for p in points
        ]  # fmt: skip
        base = hashlib.sha256(repr((common, told)).encode()).hexdigest()
        for p in points:
            own = f"{base}/{place[p]}" if len(points) > 1 else base
            found[p] = hashlib.sha256(own.encode()).hexdigest()[:40]

    # Parts in the order of the signal, without walking down as deep as a rig is long.
    needs = {
        label: {
            int(parts[p])
            for point in points for _, way in into.get(point, ())
            for p in (way.arc.source, *([] if way.key is None else [way.key]))
        } - {label}
        for label, points in members.items()
    }  # fmt: skip
    waits = {label: len(some) for label, some in needs.items()}
    leads: dict[int, list[int]] = {}
    for label, some in needs.items():
        for other in some:
            leads.setdefault(other, []).append(label)
    ready = [label for label, count in waits.items() if count == 0]
    while ready:
        label = ready.pop()
        settle(label)
        for other in leads.get(label, ()):
            waits[other] -= 1
            if waits[other] == 0:
                ready.append(other)
    return found


@dataclass
class Kept:
    """A kept point: its samples (channels, n), and what was measured while it was made."""

    samples: list[np.ndarray]
    channels: int

    @property
    def frames(self) -> int:
        return min(len(s) for s in self.samples)

    def block(self, start: int, count: int) -> np.ndarray:
        """(2, count) from a sample on. Raises TooShort beyond its end."""
        if start + count > self.frames:
            raise TooShort
        out = np.zeros((2, count))
        for side, samples in enumerate(self.samples):
            out[side] = samples[start : start + count]
        return out


@dataclass
class PartStore:
    """Parts in a folder: 64-bit samples, a file a side, and a small file of facts that comes last.

    Safe for several threads and processes: files get their names when they are whole. `most_bytes`
    is kept at most; what was not used for the longest goes first.
    """

    folder: Path
    most_bytes: int = 3 * 1024**3
    made: set[str] = field(default_factory=set)

    def facts(self, key: str) -> dict[str, Any] | None:
        try:
            found = json.loads((self.folder / f"{key}.json").read_text())
        except (OSError, ValueError):
            return None
        return found if isinstance(found, dict) else None

    def open(self, key: str) -> Kept | None:
        """What is kept under a key, read from disk as it is asked for; None for nothing."""
        facts = self.facts(key)
        channels = int(facts.get("sides", 0)) if facts else 0
        if not channels:
            return None
        try:
            files = [self.folder / f"{key}.{side}" for side in range(channels)]
            samples = [np.memmap(f, np.float64, "r") for f in files]
        except (OSError, ValueError):
            return None
        for file in (*files, self.folder / f"{key}.json"):
            with suppress(OSError):
                os.utime(file)
        return Kept(list(samples), channels)

    def put_facts(self, key: str, facts: Mapping[str, Any]) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        part = self.folder / f"{key}.{uuid.uuid4().hex}.part"
        part.write_text(json.dumps(facts))
        part.replace(self.folder / f"{key}.json")
        self.made.add(key)

    def tidy(self) -> None:
        """Make room: the oldest parts first, and halves that nobody finished."""
        files = []
        with suppress(OSError):
            for entry in os.scandir(self.folder):
                with suppress(OSError):
                    stat = entry.stat()
                    files.append((stat.st_mtime, stat.st_size, entry.path))
        total = sum(size for _, size, _ in files)
        for _, size, path in sorted(files):
            if total <= self.most_bytes:
                break
            with suppress(OSError):
                Path(path).unlink()
                total -= size


class Keeper:
    """Writes one point down while it is computed."""

    def __init__(self, store: PartStore, key: str, channels: int) -> None:
        store.folder.mkdir(parents=True, exist_ok=True)
        self.store, self.key, self.channels = store, key, channels
        tag = uuid.uuid4().hex
        self.paths = [store.folder / f"{key}.{tag}.{side}.part" for side in range(channels)]
        self.files = [path.open("wb", buffering=0) for path in self.paths]

    def add(self, block: np.ndarray) -> None:
        for file, row in zip(self.files, block, strict=False):
            file.write(np.ascontiguousarray(row, np.float64).data)

    def finish(self, facts: Mapping[str, Any]) -> None:
        for side, (file, path) in enumerate(zip(self.files, self.paths, strict=True)):
            file.close()
            path.replace(self.store.folder / f"{self.key}.{side}")
        self.store.put_facts(self.key, {**facts, "sides": self.channels})

    def drop(self) -> None:
        for file, path in zip(self.files, self.paths, strict=True):
            file.close()
            with suppress(OSError):
                path.unlink()
