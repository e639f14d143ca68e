"""Settings that a search may move: how far, in which steps, and what counts as a change of one."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from core.devices.panel import Control, read_control
from core.edge import Edge
from core.errors import FonodromeError
from core.routing import Context, Rig
from core.routing.document import kinds as k
from core.routing.document.fields import Parameter, parameters_of
from core.routing.document.rig import Strip
from core.routing.edit.actions import Action, Set, SetStrip, Several
from core.sheet import Owned
from core.units import format as fmt
from core.units import parse_time

Sort = Literal["levels", "shorter", "times", "filters", "dynamics", "sides"]


@dataclass(frozen=True)
class _Way:
    """How a field is moved. size: what is heard as one step of change; log: a ratio, not a difference."""

    sort: Sort
    size: float
    step: float
    low: float
    high: float
    log: bool = False


_WAYS: dict[str, _Way] = {
    "level_db": _Way("levels", 1, 0.5, -60, 12),
    "output_db": _Way("levels", 1, 0.5, -40, 24),
    "gain_db": _Way("levels", 1, 0.5, -20, 40),
    "makeup_db": _Way("levels", 1, 0.5, 0, 24),
    "mix_percent": _Way("levels", 5, 1, 0, 100),
    "feedback_percent": _Way("shorter", 5, 1, 0, 95),
    "rt60_s": _Way("shorter", 0.1, 0.05, 0.1, 12, log=True),
    "pre_delay": _Way("times", 10, 1, 0, 250),
    "delay_ms": _Way("times", 1, 0.01, 0, 200),
    "distance_m": _Way("times", 0.3, 0.01, 0.02, 60),
    "low_cut_hz": _Way("filters", 0.2, 1, 20, 800, log=True),
    "threshold_db": _Way("dynamics", 2, 0.5, -60, 0),
    "ratio": _Way("dynamics", 0.2, 0.1, 1, 20, log=True),
    "depth_db": _Way("dynamics", 1, 0.5, 0, 40),
    "sensitivity_percent": _Way("dynamics", 5, 1, 0, 100),
    "attack_ms": _Way("dynamics", 0.2, 0.5, 0.5, 200, log=True),
    "release_ms": _Way("dynamics", 0.2, 5, 5, 3000, log=True),
    "pan_percent": _Way("sides", 10, 1, -100, 100),
    "width_percent": _Way("sides", 10, 1, 0, 100),
}
"""Sizes are by ear: 1 dB, a tenth of a decay, a fifth of a corner."""
_OFF = 20.0
"""A low cut that is not set counts as one at 20 Hz."""


class Range(Edge):
    """How far a setting may go, as the person says it."""

    low: float
    high: float


@dataclass(frozen=True)
class Setting:
    """A number of a rig that may move. `value` and the range are in the field's unit (times in ms)."""

    key: str
    part: str
    """Node id; of a strip that of what leads into it."""
    field: str
    label: str
    unit: str
    value: float
    low: float
    high: float
    step: float
    sort: Sort
    size: float
    log: bool
    rail: str | None = None
    text: bool = False
    control: Control | None = None
    unset: bool = False
    """Nothing stands there yet."""

    def place(self, value: float) -> float:
        """The value in steps of change from where it is."""
        if self.log:
            return math.log(value / self.value) / math.log1p(self.size)
        return (value - self.value) / self.size

    def at(self, place: float) -> float:
        """The value so many steps of change away, within its range."""
        found = (
            self.value * (1 + self.size) ** place if self.log else self.value + place * self.size
        )
        return min(self.high, max(self.low, found))

    def snapped(self, value: float, up: bool | None = None) -> float:
        """The nearest value that can be set; up: the next one above, or below, for False.

        On a device that reads in steps these are its own.
        """
        if value == self.value:
            return value
        turn = math.ceil if up else math.floor if up is False else round
        found = round(turn(round(value / self.step, 9)) * self.step, 6)
        found = min(self.high, max(self.low, found))
        if self.control is None:
            return found
        # The device's own steps, of those within the range: inwards until one is.
        inwards = self.step if found < (self.low + self.high) / 2 else -self.step
        while self.low <= found <= self.high:
            does = read_control(self.control, found).does
            if self.low - 1e-9 <= does <= self.high + 1e-9:
                return does
            found += inwards
        return self.value

    def stored(self, value: float) -> Any:
        if self.text:
            return f"{value:g} ms"
        return None if self.unset and value <= _OFF else value

    def said(self, value: float) -> str:
        """As the device shows it, else with its unit."""
        if self.control is not None:
            return read_control(self.control, value).text
        if self.unset and value <= _OFF:
            return "none"
        # A depth or a gain that only goes one way is a size.
        level = self.unit == "dB" and self.low < 0
        shown = fmt.signed(value, 1) if level else fmt.significant(value, 4)
        return f"{shown} {self.unit}".strip()


def settings_that_move(rig: Rig, context: Context, owned: Owned | None = None) -> list[Setting]:
    """All that a search could move, in the order of the document; what is bypassed is left out."""
    found: list[Setting] = []
    for node in rig.nodes.values():
        if isinstance(node, (k.Source, k.Output)) or k.is_bypassed(node):
            continue
        panel = (owned or Owned()).panel(node)
        for parameter in parameters_of(type(node)):
            value = _value(getattr(node, parameter.field), parameter, context)
            if value is None or not _does_something(node, parameter.field):
                continue
            control = panel.control(parameter.field) if panel else None
            found += _setting(
                f"node/{node.id}/{parameter.field}", node.id, node.shown, parameter, value,
                control=control, unset=getattr(node, parameter.field) is None,
            )  # fmt: skip
    known = {p.field: p for p in parameters_of(Strip)}
    for port, rail in rig.rails.items():
        if not rig.nodes[rail.target].many_inputs or rail.strip.muted:
            continue
        feeder = port.rpartition(".")[0]
        for name in ("level_db", "delay_ms", "pan_percent"):
            found += _setting(
                f"rail/{port}/{name}", feeder, f"{rig.nodes[feeder].shown} into {rig.nodes[rail.target].shown}",
                known[name], float(getattr(rail.strip, name)), rail=port,
            )  # fmt: skip
    return found


def _does_something(node: k.Node, name: str) -> bool:
    """A mix that a stage is not asked for, and a level in a kind that has none, are not moved."""
    return name != "mix_percent" or getattr(node, "wet_by_nature", False) or name in node.model_fields_set  # fmt: skip


def _value(value: Any, parameter: Parameter, context: Context) -> float | None:
    if parameter.field not in _WAYS:
        return None
    if parameter.sort == "time":
        try:
            return parse_time(str(value), context.frame)[0] * 1e3
        except FonodromeError:
            return None
    if value is None:
        return _OFF if parameter.field == "low_cut_hz" else None
    return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else None


def _setting(
    key: str, part: str, shown: str, parameter: Parameter, value: float, *,
    rail: str | None = None, control: Control | None = None, unset: bool = False,
) -> list[Setting]:  # fmt: skip
    way = _WAYS[parameter.field]
    low = max(way.low, parameter.low if parameter.low is not None else way.low)
    high = min(way.high, parameter.high if parameter.high is not None else way.high)
    if control is not None:
        low, high = max(low, min(control.low, control.high)), min(high, max(control.low, control.high))  # fmt: skip
    if way.log and value <= 0:
        return []
    unit = "ms" if parameter.sort == "time" else parameter.unit.replace("ratio", ":1")
    return [
        Setting(
            key=key, part=part, field=parameter.field, label=f"{shown}: {parameter.label}", unit=unit,
            value=value, low=min(low, value), high=max(high, value), step=way.step, sort=way.sort,
            size=way.size, log=way.log, rail=rail, text=parameter.sort == "time", control=control,
            unset=unset,
        )
    ]  # fmt: skip


def with_values(rig: Rig, values: Mapping[Setting, float]) -> Rig:
    """The rig with these settings. Nothing else of it is looked at again."""
    nodes, rails = dict(rig.nodes), dict(rig.rails)
    for setting, value in values.items():
        stored = setting.stored(value)
        if setting.rail is not None:
            rail = rails[setting.rail]
            strip = rail.strip.model_copy(update={setting.field: stored})
            rails[setting.rail] = rail.model_copy(update={"strip": strip})
        else:
            nodes[setting.part] = nodes[setting.part].model_copy(update={setting.field: stored})
    return Rig.model_construct(
        **{name: getattr(rig, name) for name in Rig.model_fields} | {"nodes": nodes, "rails": rails}
    )


def action_of(values: Mapping[Setting, float]) -> Several:
    """The same as one action that can be undone."""
    actions: list[Action] = []
    for setting, value in values.items():
        stored = {setting.field: setting.stored(value)}
        actions.append(
            Set(node=setting.part, values=stored)
            if setting.rail is None
            else SetStrip(rail=setting.rail, values=stored)
        )
    return Several(actions=tuple(actions))
