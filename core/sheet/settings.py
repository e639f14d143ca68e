"""Every setting of a part in words, as it is planned and as its device shows it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction

from pydantic import Field

from core.devices import DeviceProfile, Panel, nearest_setting, read_control
from core.edge import Edge
from core.routing import Context
from core.routing.document import kinds as k
from core.routing.document.fields import Parameter, parameters_of
from core.routing.document.kinds.settings import MAIN, group_of
from core.routing.plan.timing import seconds_of
from core.units import NoteValue
from core.units import format as fmt

_NOT_SET = frozenset(
    {"name", "unit", "counts_as", "delay_is", "latency_ms", "bypassed", "loop", "program", "takes", "gives",
     "solo_safe", "crest_db", "celsius"}
)  # fmt: skip
"""What is known of a device or of the plan, and turned by nobody."""
_AT_REST = frozenset({"output_db", "trails", "inverted", "makeup_db", "early_db"})
"""Among what is seen first, but worth a word only where it is not at rest."""
_OF_SPLIT = {
    "full": (), "balance": ("balance_percent",), "mid-side": (), "crossover": ("crossover_hz", "slope", "swapped", "overlap_percent"),
    "band": ("crossover_hz", "upper_hz", "slope", "swapped", "overlap_percent"),
}  # fmt: skip


class SettingLine(Edge):
    """One setting of one part."""

    field: str
    label: str
    value: float | None = Field(description="In the unit, times in ms; null where it is a word")
    unit: str
    planned: str = Field(description="With its unit: '1.25 s', '3:1', '1/8. 319.15 ms'")
    shown: str = Field(description="What to set: as the device shows it, or as planned")
    by_panel: bool = Field(description="Whether the device's own reading is known")
    beside: str = Field("", description="How far off it then is, or that it is out of reach")


@dataclass(frozen=True)
class Owned:
    """What is known of the devices: panels by case-folded name, delay devices by name and by '@delay'."""

    panels: Mapping[str, Panel] = field(default_factory=dict)
    delays: Mapping[str, DeviceProfile] = field(default_factory=dict)

    def panel(self, node: k.Node) -> Panel | None:
        """By the physical unit that a stage is, else by its name."""
        return next((self.panels[n] for n in _names(node) if n in self.panels), None)

    def delay(self, node: k.Node, typed: str) -> DeviceProfile | None:
        """The device whose times a typed time is set on: that of the song's delay, or by name."""
        found = self.delays.get(typed)
        return found or next((self.delays[n] for n in _names(node) if n in self.delays), None)


def _names(node: k.Node) -> list[str]:
    said = (k.field_of(node, "unit"), node.name)
    return [name.strip().casefold() for name in said if name]


def settings_of(
    node: k.Node, context: Context, owned: Owned | None = None, found_ms: float | None = None
) -> list[SettingLine]:
    """In the order of the inspector: what is seen first, then all that is not at rest.

    found_ms: a delay's time as the plan has it. Raises RigError for a time that cannot be read.
    """
    kind = k.kind_of(node)
    first = MAIN.get(kind, ())
    known = {p.field: p for p in parameters_of(type(node))}
    ordered = [known[f] for f in first if f in known]
    ordered += [p for p in known.values() if p not in ordered]
    lines = []
    for parameter in ordered:
        value = getattr(node, parameter.field)
        if not _worth_saying(node, kind, parameter, value, parameter.field in first):
            continue
        lines.append(_line(node, parameter, value, context, owned or Owned(), found_ms))
    return lines


def _worth_saying(
    node: k.Node, kind: str, parameter: Parameter, value: object, first: bool
) -> bool:
    field = parameter.field
    if field in _NOT_SET or value is None or value is False or group_of(kind, field) == "gear":
        return False
    if isinstance(node, k.Split):
        return field in _OF_SPLIT[node.mode]
    if field == "rate_hz" and k.field_of(node, "cycle"):
        return False
    at_rest = value == parameter.default
    if field in _AT_REST or not first:
        return not at_rest
    return True


def _line(
    node: k.Node, parameter: Parameter, value: object, context: Context, owned: Owned,
    found_ms: float | None,
) -> SettingLine:  # fmt: skip
    name, unit = parameter.field, parameter.unit
    number: float | None = None
    if parameter.sort == "time":
        text = str(value)
        ms = found_ms if name == "time" and found_ms is not None else None
        if ms is None:
            ms = seconds_of(text, node, context.frame, context.delays) * 1e3
        number, unit = ms, "ms"
        # A note value or a name is said too: it is what was wanted.
        typed = text if text.startswith("@") or "/" in text or "bar" in text else ""
        planned = f"{typed} {fmt.number(ms, 2)} ms".strip()
    elif isinstance(value, bool):
        planned = ""
    elif isinstance(value, (int, float)):
        number = float(value)
        planned = value_text(number, unit)
    else:
        planned = str(value).replace("-", " ") if parameter.sort == "choice" else str(value)
    said = SettingLine(
        field=name, label=parameter.label, value=number, unit=unit, planned=planned, shown=planned,
        by_panel=False,
    )  # fmt: skip
    if number is None:
        return said
    panel = owned.panel(node)
    control = panel.control(parameter.field) if panel is not None else None
    if control is None:
        device = owned.delay(node, str(value)) if parameter.sort == "time" else None
        return said if device is None or number <= 0 else _on_a_delay(said, device, number, context)
    read = read_control(control, number)
    if not read.in_reach:
        beside = f"out of reach: planned {planned}"
    elif abs(read.error) < 5e-4 * max(1.0, abs(number)):
        beside = ""
    else:
        beside = f"does {value_text(read.does, unit)}, planned {planned}"
    return said.model_copy(update={"shown": read.text, "by_panel": True, "beside": beside})


def _on_a_delay(
    said: SettingLine, device: DeviceProfile, ms: float, context: Context
) -> SettingLine:
    sixteenth = context.frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
    found = nearest_setting(device, ms, sixteenth)
    beside = f"does {fmt.number(found.true_ms, 2)} ms, planned {said.planned}"
    if not found.in_reach:
        beside = f"out of reach: planned {said.planned}"
    elif abs(found.error_ms) < 5e-4 and abs(found.set_ms - ms) < 5e-4:
        beside = ""
    shown = f"{fmt.significant(found.set_ms, 6)} ms"
    return said.model_copy(update={"shown": shown, "by_panel": True, "beside": beside})


def error_ms(node: k.Node, context: Context, owned: Owned) -> float | None:
    """How far a known device is off the times that are asked of it, the largest of them; None where none
    is known. Raises RigError for a time that cannot be read.
    """
    panel, found = owned.panel(node), list[float]()
    for parameter in parameters_of(type(node)):
        text = getattr(node, parameter.field)
        if parameter.sort != "time" or not text:
            continue
        ms = seconds_of(str(text), node, context.frame, context.delays) * 1e3
        control = panel.control(parameter.field) if panel is not None else None
        device = owned.delay(node, str(text))
        if control is not None:
            found.append(abs(read_control(control, ms).error))
        elif device is not None and ms > 0:
            sixteenth = context.frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
            found.append(abs(nearest_setting(device, ms, sixteenth).error_ms))
    return max(found, default=None)


def value_text(value: float, unit: str) -> str:
    """A value with its unit, as on a sheet: '−2.5 dB', '3:1', 'off'."""
    if unit == "ratio":
        return f"{fmt.significant(value, 6)}:1"
    if unit == "dB" and value <= -120:
        return "off"
    text = fmt.significant(value, 6)
    return f"{text}{unit}" if unit == "°" else f"{text} {unit}".strip()


def words_of(lines: list[SettingLine]) -> str:
    """All in one line: 'ratio 3:1, threshold −26 dB'."""
    return ", ".join(f"{line.label} {line.shown}".strip() for line in lines)
