"""The compiled plan: points, arcs between them, self-loops. The one input to all that follows.

Every arc is a 2 x 2 channel matrix (a, b, c, d: left' = a L + b R, right' = c L + d R), a delay in
seconds, and a response over the shared grid (None: flat). Mono signals travel in the left channel.
Arcs stand in an order in which each one's source is complete before it is read; arcs that close a
cycle are kept apart in `back`. What a mono stage makes of two sides, and what opens to two, is an
arc of its own before the stage (its end is in `fed`): a processor always stands between points of
as many channels as it works on.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from core.routing.document.kinds import Stage
from core.routing.plan.carried import Carried
from core.routing.plan.responses import Shaped, peak
from core.routing.plan.spread import Spread

Matrix = tuple[float, float, float, float]
UNIT: Matrix = (1.0, 0.0, 0.0, 1.0)
SWAP: Matrix = (0.0, 1.0, 1.0, 0.0)


def times(x: Matrix, y: Matrix) -> Matrix:
    """The matrix product: `y` first, then `x`."""
    a, b, c, d = x
    e, f, g, h = y
    return (a * e + b * g, a * f + b * h, c * e + d * g, c * f + d * h)


def scaled(matrix: Matrix, gain: float) -> Matrix:
    a, b, c, d = matrix
    return (a * gain, b * gain, c * gain, d * gain)


def size(matrix: Matrix) -> float:
    """The largest gain that a matrix gives any input (its spectral norm)."""
    a, b, c, d = matrix
    if b == 0.0 and d == 0.0:
        return abs(a) if c == 0.0 else math.sqrt(a * a + c * c)
    total = a * a + b * b + c * c + d * d
    determinant = a * d - b * c
    spread = max(0.0, total * total - 4 * determinant * determinant)
    return math.sqrt(0.5 * (total + math.sqrt(spread)))


@dataclass(slots=True)
class Arc:
    """One way from a point to another. `owner` is the node or rail that it belongs to."""

    source: int
    target: int
    matrix: Matrix
    delay_s: float
    owner: str
    wanted_s: float = 0.0
    wet: bool = False
    leak: bool = False
    shape: Shaped | None = None
    stage: Stage | None = None
    """What processes this arc, where no matrix, delay and filter says it all."""
    bare: Matrix = UNIT
    """The matrix without that stage's own gain: what a renderer puts behind it."""
    spread: Spread | None = None
    """What of it stays in step and what becomes diffuse; for a stage that depends on level it is
    found when levels are known, as is `matrix`."""
    taps: tuple[tuple[float, float], ...] = ((1.0, 0.0),)
    """Gains and times (s) of copies that the stage itself adds."""
    own_lines: int = 0
    """Which set of lines a reverb has."""

    @property
    def response(self) -> np.ndarray | None:
        return None if self.shape is None else self.shape.response

    @property
    def node(self) -> str:
        """The node that it belongs to; of a rail the one that it leaves."""
        return self.owner.rpartition(".")[0] or self.owner

    def changes_nothing(self, channels: Mapping[int, int]) -> bool:
        """Whether what leaves it is what enters it."""
        wide = channels[self.target]
        if channels[self.source] != wide or self.stage is not None or self.spread is not None:
            return False
        if self.shape is not None or self.wet or self.delay_s or self.wanted_s:
            return False
        same = self.matrix == UNIT or (wide == 1 and self.matrix[:3] == UNIT[:3])
        return same and self.taps == ((1.0, 0.0),)

    @property
    def diffuse(self) -> bool:
        """Nothing of it stays in step."""
        return self.stage is not None and self.stage.diffuse

    @property
    def modulated(self) -> bool:
        return self.stage is not None and self.stage.moving

    @property
    def by_level(self) -> bool:
        """Its gain depends on the level that arrives."""
        return self.stage is not None and not self.stage.linear


@dataclass(slots=True)
class SelfLoop:
    """What a point feeds back to itself: a feedback delay's loop."""

    matrix: Matrix
    delay_s: float
    owner: str
    shape: Shaped | None = None
    insert: Stage | None = None
    """What the sound goes through on every lap."""
    point: int = -1

    @property
    def response(self) -> np.ndarray | None:
        return None if self.shape is None else self.shape.response

    @property
    def most(self) -> float:
        """The largest gain of a lap over all frequencies, for what is quiet: at 1 it never dies."""
        return size(self.matrix) * self.shape_most

    @property
    def shape_most(self) -> float:
        """The largest gain of the filters in the loop, between the points of any grid too."""
        return 1.0 if self.shape is None else peak(self.shape)


@dataclass
class Plan:
    """A rig under a tempo, ready to be asked."""

    find_digest: Callable[[], str]
    points: int = 0
    arcs: list[Arc] = field(default_factory=list)
    back: list[Arc] = field(default_factory=list)
    loops: dict[int, SelfLoop] = field(default_factory=dict)
    inlet: dict[str, int] = field(default_factory=dict)
    fed: dict[str, int] = field(default_factory=dict)
    """Node to the point where its own work begins: behind the arc that changes channels."""
    outlet: dict[str, int] = field(default_factory=dict)
    sections: dict[str, tuple[int, int]] = field(default_factory=dict)
    """'frame@siding' to the point where that processor meets its dry path, and where that left."""
    channels: dict[int, int] = field(default_factory=dict)
    sources: dict[str, int] = field(default_factory=dict)
    outputs: dict[str, int] = field(default_factory=dict)
    carried: Mapping[int, Carried] = field(default_factory=dict)
    """What each point carries, found by the signal model; empty in a plan that was only built."""
    order: list[str] = field(default_factory=list)
    back_rails: set[str] = field(default_factory=set)
    in_cycle: set[str] = field(default_factory=set)
    narrowed: dict[str, str] = field(default_factory=dict)
    idle: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """Stage to the labels of settings that cannot act where it stands."""
    times_s: dict[str, float] = field(default_factory=dict)
    keys: dict[str, int] = field(default_factory=dict)
    """Keyed stage to the point that it listens to."""

    @cached_property
    def digest(self) -> str:
        """Stands for the sound of it (`digest`)."""
        return self.find_digest()
