"""Device profiles: the range and step of a delay control, and the nearest time it can be set to."""

import math

from pydantic import Field, model_validator

from core.edge import Edge
from core.errors import FonodromeError
from core.units import format as fmt

FLAM_REPEATS = 8


class DeviceProfile(Edge):
    """A delay control: settable from `min_ms` to `max_ms` in steps of `step_ms`."""

    name: str = Field(min_length=1, max_length=80, description="What the person calls it")
    min_ms: float = Field(ge=0, le=60_000, description="Shortest time it can be set to")
    max_ms: float = Field(gt=0, le=60_000, description="Longest time it can be set to")
    step_ms: float = Field(gt=0, le=10_000, description="Distance between settable times")

    @model_validator(mode="after")
    def _range_holds_a_step(self) -> "DeviceProfile":
        if self.max_ms <= self.min_ms:
            raise ValueError(
                f"The longest time ({fmt.significant(self.max_ms)} ms) must be above the "
                f"shortest ({fmt.significant(self.min_ms)} ms)."
            )
        if self.step_ms > self.max_ms - self.min_ms:
            raise ValueError("The step is larger than the whole range.")
        return self


SHIPPED: tuple[DeviceProfile, ...] = (
    DeviceProfile(name="Delay pedal, whole ms", min_ms=5, max_ms=2730, step_ms=1),
    DeviceProfile(name="Knob in 5 ms marks", min_ms=40, max_ms=600, step_ms=5),
    DeviceProfile(name="Studio delay, 0.1 ms", min_ms=0.1, max_ms=5000, step_ms=0.1),
    DeviceProfile(name="Reverb pre-delay, whole ms", min_ms=0, max_ms=250, step_ms=1),
)


class Setting(Edge):
    """The nearest settable time to a wanted one, and what the difference does."""

    set_ms: float = Field(description="Nearest time the device can be set to")
    in_reach: bool = Field(description="Whether the wanted time lies inside the device's range")
    error_ms: float = Field(description="Set minus wanted: negative is early")
    error_percent: float = Field(description="Error as a share of the wanted time")
    error_of_sixteenth_percent: float = Field(description="Error as a share of a sixteenth note")
    flam_ms: list[float] = Field(description="Distance from the grid at repeat 1 to 8: k * error")
    sentence: str = Field(description="The same in words")


def nearest_setting(profile: DeviceProfile, wanted_ms: float, sixteenth_ms: float) -> Setting:
    """Round a wanted time to the device's grid (domain: what a device can really do).

    The grid starts at `min_ms`; a tie goes to the longer time; outside the range the nearest end
    is taken. Raises FonodromeError for a wanted time of 0 or less.

    >>> pedal = DeviceProfile(name="p", min_ms=0, max_ms=2000, step_ms=1)
    >>> nearest_setting(pedal, 478.723, 159.574).set_ms
    479.0
    """
    if wanted_ms <= 0:
        raise FonodromeError("The wanted time must be above 0 ms.")
    top = math.floor((profile.max_ms - profile.min_ms) / profile.step_ms + 1e-9)
    step = math.floor((wanted_ms - profile.min_ms) / profile.step_ms + 0.5)
    set_ms = round(profile.min_ms + min(max(step, 0), top) * profile.step_ms, 9)
    in_reach = profile.min_ms - 1e-9 <= wanted_ms <= profile.max_ms + 1e-9
    error = set_ms - wanted_ms
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
    return Setting(
        set_ms=set_ms,
        in_reach=in_reach,
        error_ms=error,
        error_percent=100 * error / wanted_ms,
        error_of_sixteenth_percent=100 * error / sixteenth_ms,
        flam_ms=[k * error for k in range(1, FLAM_REPEATS + 1)],
        sentence=sentence,
    )
