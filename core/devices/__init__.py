"""What a device can really be set to."""

from core.devices.profile import SHIPPED, DeadZone, DeviceProfile, Setting, nearest_setting
from core.devices.reach import (
    Glide,
    GlideRequest,
    ReachReport,
    ReachRequest,
    device_reach,
    glide,
)

__all__ = [
    "SHIPPED", "DeadZone", "DeviceProfile", "Glide", "GlideRequest", "ReachReport", "ReachRequest",
    "Setting", "device_reach", "glide", "nearest_setting",
]  # fmt: skip
