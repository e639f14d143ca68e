"""Which points of a render are read from kept parts, which are kept, and which have to be computed."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from core.render.gauges import Gauge
from core.render.parts import Keeper, Kept, PartStore, point_keys
from core.render.rig import Renderer


def _costs(renderer: Renderer) -> set[int]:
    """Points that something is computed for: what only adds up or turns down is not worth a file."""
    found = set(renderer.rings) | set(renderer.limiters)
    for way in renderer.ways:
        if way.work is not None or way.filter is not None or way.line is not None:
            found.add(way.arc.target)
    return found


class Keeping:
    """Of one renderer over one stretch. `fed` stands for the clips of each source, `run` for the rest
    that all points have in common; `wanted` are the points that have to be whole, None for what the
    plan gives out.
    """

    def __init__(
        self, renderer: Renderer, store: PartStore, fed: Mapping[str, str], run: tuple[Any, ...],
        wanted: set[int] | None = None,
    ) -> None:  # fmt: skip
        self.renderer, self.store, self.done = renderer, store, 0
        self.keys = point_keys(renderer, fed, run)
        plan = renderer.plan
        costs = _costs(renderer)
        self.told: set[int] = set()
        self._read_facts()
        ends = set(plan.outputs.values()) if wanted is None else set(wanted)
        ends |= {p for p in renderer.read_at if p not in self.told}
        # Sound that was kept says nothing of what worked on it: that is computed again to be seen.
        unseen: set[int] = set()
        for point, homes in renderer.measured_at.items():
            if point not in self.told:
                unseen |= homes
        ends |= unseen
        self.given: dict[int, Kept] = {}
        self.reached: set[int] = set()
        into: dict[int, list[Any]] = {}
        for way in renderer.ways:
            into.setdefault(way.arc.target, []).append(way)
        todo = sorted(ends)
        while todo:
            point = todo.pop()
            if point in self.reached or point in self.given:
                continue
            here = point in costs and point not in unseen
            kept = store.open(self.keys[point]) if here else None
            if kept is not None and kept.channels == plan.channels[point]:
                self.given[point] = kept
                continue
            self.reached.add(point)
            for way in into.get(point, ()):
                todo.append(way.arc.source)
                if way.key is not None:
                    todo.append(way.key)
        self.keepers = {
            p: Keeper(store, self.keys[p], plan.channels[p])
            for p in sorted(self.reached & costs)
            if p in into or p in renderer.rings
        }

    def write(self, value: Callable[[int], np.ndarray], count: int) -> None:
        for point, keeper in self.keepers.items():
            keeper.add(value(point))
        self.done += count

    def drop(self) -> None:
        for keeper in self.keepers.values():
            keeper.drop()
        self.keepers = {}

    def finish(self) -> None:
        """All has passed: what was written is there for the next one."""
        for point in sorted(self.renderer.read_at):
            self._tell(point)
        for point, keeper in self.keepers.items():
            limiter = self.renderer.limiters.get(point)
            acted = limiter is not None and limiter.acted
            keeper.finish({"acted": acted})
        self.keepers = {}

    # What was measured on the way -----------------------------------------------------------------
    def _gauge_key(self, point: int) -> str:
        return f"{self.keys[point]}.seen"

    def _tell(self, point: int) -> None:
        gauge = self.renderer.read_at[point]
        facts: dict[str, Any] = {"held": gauge.held.tolist()}
        gains = {}
        for name, mine in self.renderer.told_at.get(point, {}).items():
            used = min(len(mine.came), -(-mine.done // mine.step))
            gains[name] = {
                "came": mine.came[:used].tolist(), "went": mine.went[:used].tolist(),
                "done": mine.done,
            }  # fmt: skip
        self.store.put_facts(self._gauge_key(point), {**facts, "gains": gains})

    def _read_facts(self) -> None:
        renderer = self.renderer
        for point, limiter in renderer.limiters.items():
            facts = self.store.facts(self.keys[point])
            limiter.acted = bool(facts and facts.get("acted"))
        for point, gauge in renderer.read_at.items():
            facts = self.store.facts(self._gauge_key(point))
            if not facts or not self._take(point, gauge, facts):
                continue
            self.told.add(point)

    def _take(self, point: int, gauge: Gauge, facts: Mapping[str, Any]) -> bool:
        """Take up what was measured at a point; False where something of it is missing."""
        gains = facts.get("gains", {})
        here = self.renderer.told_at.get(point, {})
        if any(name not in gains for name in here):
            return False
        gauge.held[:] = np.asarray(facts["held"])
        for name, mine in here.items():
            told = gains[name]
            mine.came, mine.went = np.asarray(told["came"]), np.asarray(told["went"])
            mine.done = int(told["done"])
        return True
