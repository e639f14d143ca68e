"""Device profiles that a person typed in."""

import uuid

from django.conf import settings
from django.db import models
from django.db.models import F, Q


class Panel(models.Model):
    """How a device's controls read (core.devices.Panel), by the name that its owner gave it."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="panels"
    )
    key = models.CharField(max_length=120, help_text="The name, case-folded")
    content = models.JSONField()
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["key"]
        constraints = [models.UniqueConstraint(fields=["owner", "key"], name="panel_name_once")]


class Device(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="devices"
    )
    name = models.CharField(max_length=80)
    min_ms = models.FloatField()
    max_ms = models.FloatField()
    step_ms = models.FloatField()
    # What else the profile says (core.devices.DeviceProfile), where it differs from the default.
    more = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created_at", "id"]
        constraints = [
            models.CheckConstraint(condition=Q(max_ms__gt=F("min_ms")), name="device_range_rises"),
            models.CheckConstraint(condition=Q(step_ms__gt=0), name="device_step_above_zero"),
        ]
