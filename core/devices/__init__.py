"""What a device can really be set to."""

from core.devices.panel import (
    MOST_PANELS,
    Control,
    ControlMark,
    ControlReading,
    Panel,
    Panels,
    clock_text,
    read_control,
)
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
    "MOST_PANELS", "SHIPPED", "Control", "DeadZone", "DeviceProfile", "Glide", "GlideRequest", "ReachReport", "ReachRequest",
    "ControlMark", "Panel", "Panels", "ControlReading",
    "Setting", "clock_text", "device_reach", "glide", "nearest_setting", "read_control",
]  # fmt: skip
