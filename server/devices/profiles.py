"""A stored device as the core knows it."""

from core.devices import DeviceProfile
from server.devices.models import Device

OWN = ("name", "min_ms", "max_ms", "step_ms")


def profile_of(device: Device) -> DeviceProfile:
    fields = {name: getattr(device, name) for name in OWN} | device.more
    return DeviceProfile.model_validate(fields)
