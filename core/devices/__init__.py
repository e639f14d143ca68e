"""What a device can really be set to."""

from core.devices.profile import SHIPPED, DeviceProfile, Setting, nearest_setting

__all__ = ["SHIPPED", "DeviceProfile", "Setting", "nearest_setting"]
