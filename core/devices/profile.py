"""Device profiles: what a delay's controls can do, and the nearest time that can be set."""

import math
from fractions import Fraction
from typing import Literal

from pydantic import Field, field_validator, model_validator

from core.edge import Edge, Word
from core.errors import FonodromeError, QuantityError
from core.units import format as fmt
from core.units import parse_note_value

FLAM_REPEATS = 8


class DeadZone(Edge):
    """A stretch of a knob where nothing can be set: between `from_ms` and `to_ms`."""

    from_ms: float = Field(ge=0, le=60_000)
    to_ms: float = Field(ge=0, le=60_000)

    @model_validator(mode="after")
    def _rises(self) -> "DeadZone":
        if self.to_ms <= self.from_ms:
            raise ValueError("A dead zone ends above where it begins.")
        return self


class DeviceProfile(Edge):
    """A delay's controls: settable from `min_ms` to `max_ms` in steps of `step_ms`, and the rest.

    What reads `t` on the device lasts `t (1 + offset_percent / 100) + offset_ms`.
    """

    name: str = Field(min_length=1, max_length=80, description="What the person calls it")
    min_ms: float = Field(ge=0, le=60_000, description="Shortest time it can be set to")
    max_ms: float = Field(gt=0, le=60_000, description="Longest time it can be set to")
    step_ms: float = Field(gt=0, le=10_000, description="Distance between settable times")
    dialled: bool = Field(True, description="Times can be set directly, not by tap or clock alone")
    tap: bool = Field(False, description="Has a tap input")
    clock: bool = Field(False, description="Follows a clock")
    clock_acts_on: Literal["time", "rate"] = Field(
        "time", description="Whether a clock ratio of 2 makes the time or the rate double"
    )
    subdivisions: tuple[Word, ...] = Field(
        (), max_length=24, description="Note values it makes of a tapped or clocked quarter"
    )
    free_min_ms: float | None = Field(None, ge=0, le=60_000, description="Range without a clock")
    free_max_ms: float | None = Field(None, gt=0, le=60_000)
    detents_ms: tuple[float, ...] = Field(
        (), max_length=64, description="The only times it clicks into, instead of steps"
    )
    dead_zones: tuple[DeadZone, ...] = Field((), max_length=16)
    offset_ms: float = Field(0, ge=-1000, le=1000, description="Known: what it adds to its reading")
    offset_percent: float = Field(0, ge=-50, le=50, description="Known: how far its reading is off")
    label_error_percent: float = Field(
        0, ge=0, le=50, description="Tolerance of its reading, either way"
    )
    fixed_ratios: tuple[float, ...] = Field(
        (), max_length=16, description="Further echoes at fixed shares of the time"
    )
    hold: bool = Field(False, description="Has a hold input")
    hold_volts: float | None = Field(None, ge=-12, le=12, description="Voltage that holds")
    insert_modes: str = Field("", max_length=120, description="Modes with an insert in the loop")
    knob_moves: str = Field("", max_length=120, description="What one knob moves together")
    blend: Literal["mix", "separate", "kill-dry"] = "mix"
    mix_min_percent: float = Field(0, ge=0, le=100)
    mix_max_percent: float = Field(100, ge=0, le=100)
    mix_step_percent: float = Field(1, gt=0, le=100)
    level_step_db: float = Field(0.1, gt=0, le=12)
    feedback_min_percent: float = Field(0, ge=0, le=200)
    feedback_max_percent: float = Field(100, ge=0, le=200)
    latency_ms: float = Field(0, ge=0, le=2000)
    trails: bool = Field(False, description="The tail goes on when it is bypassed")
    on_change: Literal["glide", "crossfade", "jump"] = Field(
        "jump", description="What happens when the time is changed while sounding"
    )

    @field_validator("subdivisions")
    @classmethod
    def _are_notes(cls, values: tuple[str, ...]) -> tuple[str, ...]:
        found = []
        for value in values:
            try:
                note = parse_note_value(value)
            except QuantityError as error:
                raise ValueError(error.sentence) from None
            if note is None:
                raise ValueError(f"“{value}” is no note value: 1/4, 1/8., 1/8T and so on.")
            found.append(note.id)
        return tuple(found)

    @model_validator(mode="after")
    def _range_holds_a_step(self) -> "DeviceProfile":
        if self.max_ms <= self.min_ms:
            raise ValueError(
                f"The longest time ({fmt.significant(self.max_ms)} ms) must be above the "
                f"shortest ({fmt.significant(self.min_ms)} ms)."
            )
        if self.step_ms > self.max_ms - self.min_ms:
            raise ValueError("The step is larger than the whole range.")
        for low, high, what in (
            (self.mix_min_percent, self.mix_max_percent, "mix"),
            (self.feedback_min_percent, self.feedback_max_percent, "feedback"),
            (self.free_min_ms or 0, self.free_max_ms or math.inf, "free time"),
        ):
            if low >= high:
                raise ValueError(f"The largest {what} must be above the smallest.")
        outside = [d for d in self.detents_ms if not self.min_ms <= d <= self.max_ms]
        if outside:
            raise ValueError(f"The detent at {outside[0]:g} ms lies outside the device's range.")
        return self

    def true_ms(self, label_ms: float) -> float:
        """How long it lasts (ms) when its reading says `label_ms`."""
        return label_ms * (1 + self.offset_percent / 100) + self.offset_ms

    def label_ms(self, true_ms: float) -> float:
        """The reading at which it lasts `true_ms`: the inverse, not rounded."""
        return (true_ms - self.offset_ms) / (1 + self.offset_percent / 100)

    def ratios(self) -> list[tuple[str, Fraction]]:
        """Subdivisions with their length as a share of the tapped or clocked quarter."""
        found = []
        for text in self.subdivisions:
            note = parse_note_value(text)
            assert note is not None
            found.append((text, note.whole_notes * 4))
        return found


SHIPPED: tuple[DeviceProfile, ...] = (
    DeviceProfile(
        name="Delay pedal, whole ms", min_ms=12, max_ms=2460, step_ms=1, tap=True,
        subdivisions=("1/4", "1/8.", "1/8", "1/4T"), feedback_max_percent=110, trails=True,
        on_change="glide",
    ),
    DeviceProfile(
        name="Knob in 5 ms marks", min_ms=40, max_ms=600, step_ms=5, label_error_percent=2,
        feedback_max_percent=120, on_change="glide", mix_step_percent=5,
    ),
    DeviceProfile(
        name="Studio delay, 0.1 ms", min_ms=0.1, max_ms=5000, step_ms=0.1, clock=True,
        subdivisions=("1/1", "1/2", "1/4.", "1/4", "1/8.", "1/8", "1/8T", "1/16", "1/16T"),
        on_change="crossfade", trails=True,
    ),
    DeviceProfile(
        name="Tap pedal without a knob", min_ms=60, max_ms=1500, step_ms=1, dialled=False, tap=True,
        subdivisions=("1/4", "1/8.", "1/8"), on_change="crossfade",
    ),
    DeviceProfile(name="Reverb pre-delay, whole ms", min_ms=0, max_ms=250, step_ms=1),
)  # fmt: skip


class Setting(Edge):
    """The nearest settable time to a wanted one, and what the difference does."""

    set_ms: float = Field(description="What the device is to read")
    true_ms: float = Field(description="How long that lasts, with its known offset")
    in_reach: bool = Field(description="Whether the wanted time lies inside the device's range")
    error_ms: float = Field(description="True minus wanted: negative is early")
    error_percent: float = Field(description="Error as a share of the wanted time")
    error_of_sixteenth_percent: float = Field(description="Error as a share of a sixteenth note")
    tolerance_ms: float = Field(description="What the reading's tolerance adds, either way")
    flam_ms: list[float] = Field(description="Distance from the grid at repeat 1 to 8: k * error")
    sentence: str = Field(description="The same in words")


def _nearest_label(profile: DeviceProfile, label: float) -> float:
    """The settable reading nearest to a wanted one: a detent, else a step outside dead zones."""
    if profile.detents_ms:
        return min(profile.detents_ms, key=lambda d: (abs(d - label), -d))
    top = math.floor((profile.max_ms - profile.min_ms) / profile.step_ms + 1e-9)

    def on_grid(value: float, down: bool | None = None) -> float:
        steps = (value - profile.min_ms) / profile.step_ms
        step = math.floor(steps + 0.5)
        if down is not None:
            step = math.floor(steps + 1e-9) if down else math.ceil(steps - 1e-9)
        return round(profile.min_ms + min(max(step, 0), top) * profile.step_ms, 9)

    nearest = on_grid(label)
    for zone in profile.dead_zones:
        if zone.from_ms < nearest < zone.to_ms:
            ends = (on_grid(zone.from_ms, down=True), on_grid(zone.to_ms, down=False))
            return min(ends, key=lambda e: (abs(e - label), -e))
    return nearest


def nearest_setting(profile: DeviceProfile, wanted_ms: float, sixteenth_ms: float) -> Setting:
    """Round a wanted time to what the device can do (domain: what a device can really do).

    The grid starts at `min_ms`; a tie goes to the longer time; outside the range the nearest end
    is taken. Raises FonodromeError for a wanted time of 0 or less.

    >>> pedal = DeviceProfile(name="p", min_ms=0, max_ms=2000, step_ms=1)
    >>> nearest_setting(pedal, 478.723, 159.574).set_ms
    479.0
    """
    if wanted_ms <= 0:
        raise FonodromeError("The wanted time must be above 0 ms.")
    label = profile.label_ms(wanted_ms)
    set_ms = _nearest_label(profile, label)
    true_ms = profile.true_ms(set_ms)
    in_reach = profile.min_ms - 1e-9 <= label <= profile.max_ms + 1e-9
    error = true_ms - wanted_ms
    tolerance = set_ms * profile.label_error_percent / 100
    digits = 3 if abs(error) < 10 else 1
    if not in_reach:
        sentence = (
            f"Out of reach: {profile.name} goes from {fmt.significant(profile.min_ms, 4)} "
            f"to {fmt.significant(profile.max_ms, 5)} ms."
        )
    elif abs(error) < 5e-7:
        sentence = "Set exactly: no error."
    else:
        side = "late" if error > 0 else "early"
        sentence = (
            f"{fmt.number(abs(error), digits)} ms {side} at the first repeat, "
            f"{fmt.number(abs(error) * FLAM_REPEATS, digits)} ms at repeat {FLAM_REPEATS}."
        )
    if tolerance and in_reach:
        sentence += f" Its reading is good to {fmt.number(tolerance, 1)} ms either way."
    return Setting(
        set_ms=set_ms,
        true_ms=true_ms,
        in_reach=in_reach,
        error_ms=error,
        error_percent=100 * error / wanted_ms,
        error_of_sixteenth_percent=100 * error / sixteenth_ms,
        tolerance_ms=tolerance,
        flam_ms=[k * error for k in range(1, FLAM_REPEATS + 1)],
        sentence=sentence,
    )
