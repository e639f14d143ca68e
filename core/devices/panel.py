"""How a device's controls read: the plan's value as the person sets it, and how far off that is.

A control has a travel. Its ends are two values of the plan; what it shows there, and in how fine steps,
is the device's own: a number, per cent, a knob's place on a clock face, or marks that the owner named.
"""

import math
from typing import Literal

from pydantic import Field, field_validator, model_validator

from core.edge import Edge
from core.units import format as fmt

Shows = Literal["value", "percent", "clock", "marks"]
_ENDS: dict[str, tuple[float, float]] = {"percent": (0.0, 100.0), "clock": (7.0, 17.0)}
MOST_CONTROLS, MOST_MARKS, MOST_PANELS = 40, 64, 200


class ControlMark(Edge):
    """A place of a control that the owner gave a name."""

    name: str = Field(min_length=1, max_length=20)
    value: float = Field(ge=-1e6, le=1e6, description="What it sets, in the plan's unit")


class Control(Edge):
    """One control. `low` and `high`: the plan's values at the two ends of its travel (times in ms)."""

    field: str = Field(pattern=r"^[a-z][a-z0-9_]{0,39}$", description="Setting of the plan")
    shows: Shows = "value"
    low: float = Field(ge=-1e6, le=1e6)
    high: float = Field(ge=-1e6, le=1e6)
    log: bool = Field(False, description="Equal ways of it are equal ratios")
    shown_low: float | None = Field(
        None, ge=-1e6, le=1e6, description="What it shows at `low`; empty: 0 %, 7 o'clock, or the value"
    )  # fmt: skip
    shown_high: float | None = Field(None, ge=-1e6, le=1e6)
    step: float = Field(
        0, ge=0, le=1e6, description="Finest step of what it shows (clock: hours); 0: none"
    )
    unit: str = Field("", max_length=12, description="Behind the number, where it shows one")
    marks: tuple[ControlMark, ...] = Field((), max_length=MOST_MARKS)

    @model_validator(mode="after")
    def _can_be_read(self) -> "Control":
        if self.low == self.high:
            raise ValueError("The two ends of a control are two values.")
        if self.log and min(self.low, self.high) <= 0:
            raise ValueError("Equal ratios need both ends above 0.")
        if self.shows == "marks" and not self.marks:
            raise ValueError("A control with marks needs at least one.")
        if self.shows != "marks":
            low, high = self.ends
            if low == high:
                raise ValueError("A control shows another number at its other end.")
            if self.step > abs(high - low) * (1 + 1e-9):
                raise ValueError("The step is larger than the whole travel.")
        names = [m.name.casefold() for m in self.marks]
        if len(set(names)) < len(names):
            raise ValueError("Two marks have one name.")
        return self

    @property
    def ends(self) -> tuple[float, float]:
        """What it shows at its ends."""
        low, high = _ENDS.get(self.shows, (self.low, self.high))
        return (
            low if self.shown_low is None else self.shown_low,
            high if self.shown_high is None else self.shown_high,
        )

    def place(self, value: float) -> float:
        """Where on its travel a value of the plan lies: 0 at `low`, 1 at `high`; beyond where it is."""
        if self.log:
            if value <= 0:
                return -math.inf if self.low < self.high else math.inf
            return math.log(value / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def value(self, place: float) -> float:
        """The plan's value at a place of the travel."""
        if self.log:
            return self.low * math.exp(place * math.log(self.high / self.low))
        return self.low + place * (self.high - self.low)


class Panel(Edge):
    """A device by name, and how its controls read."""

    name: str = Field(min_length=1, max_length=60)
    controls: tuple[Control, ...] = Field((), max_length=MOST_CONTROLS)

    @field_validator("name")
    @classmethod
    def _is_a_name(cls, name: str) -> str:
        if not name.strip():
            raise ValueError("A device needs a name.")
        return name.strip()

    @model_validator(mode="after")
    def _once_each(self) -> "Panel":
        fields = [c.field for c in self.controls]
        if len(set(fields)) < len(fields):
            raise ValueError("A setting is read from one control.")
        return self

    def control(self, field: str) -> Control | None:
        return next((c for c in self.controls if c.field == field), None)


class Panels(Edge):
    """A file of panels, to take elsewhere."""

    format: Literal["fonodrome-panels"] = "fonodrome-panels"
    version: Literal[1] = 1
    panels: tuple[Panel, ...] = Field(max_length=MOST_PANELS)


class ControlReading(Edge):
    """What to set a control to for a value of the plan."""

    text: str = Field(description="As the device shows it")
    does: float = Field(description="The plan's value that it then has")
    error: float = Field(description="That minus the wanted one")
    in_reach: bool


def clock_text(hours: float) -> str:
    """A knob's place as on a clock face: 13.5 is '1:30'.

    >>> clock_text(13.5), clock_text(12), clock_text(7.25)
    ('1:30', '12:00', '7:15')
    """
    minutes = round(hours * 60)
    hour = (minutes // 60 - 1) % 12 + 1
    return f"{hour}:{minutes % 60:02d}"


def read_control(control: Control, value: float) -> ControlReading:
    """The nearest that can be set. Outside its travel that is the end, and said so.

    >>> knob = Control(field="mix_percent", shows="clock", low=0, high=100, step=0.5)
    >>> read_control(knob, 32).text, round(read_control(knob, 32).does, 6)
    ('10:00', 30.0)
    """
    wanted = control.place(value)
    in_reach = -1e-9 <= wanted <= 1 + 1e-9
    if control.shows == "marks":
        # Of two as near, the one named first.
        mark = min(control.marks, key=lambda m: abs(control.place(m.value) - wanted))
        near = in_reach or math.isclose(mark.value, value)
        return ControlReading(
            text=mark.name, does=mark.value, error=mark.value - value, in_reach=near
        )
    low, high = control.ends
    place = min(max(wanted, 0.0), 1.0)
    shown = low + place * (high - low)
    if control.step:
        count = math.floor((shown - low) / math.copysign(control.step, high - low) + 0.5)
        most = math.floor(abs(high - low) / control.step + 1e-9)
        shown = low + min(count, most) * math.copysign(control.step, high - low)
    does = control.value((shown - low) / (high - low))
    if control.shows == "clock":
        text = clock_text(shown)
    else:
        unit = control.unit or ("%" if control.shows == "percent" else "")
        text = f"{fmt.significant(round(shown, 6), 6 if control.step else 4)} {unit}".strip()
    return ControlReading(text=text, does=does, error=does - value, in_reach=in_reach)
