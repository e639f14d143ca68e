"""A song: its tempo map, its chosen delay and device, and what belongs to it."""

import uuid

from django.conf import settings
from django.db import models
from django.db.models import Q

from server.config.found import found_by


class Song(models.Model):
    """One piece of work. `field_revisions` says at which revision each field last changed."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="songs"
    )
    title = models.CharField(max_length=120)
    players = models.CharField(max_length=200, blank=True)
    tempo_map = models.JSONField()
    sample_rate_hz = models.PositiveIntegerField(default=48_000)
    delay_value = models.CharField(max_length=60, default="1/8.")
    device = models.JSONField(null=True)
    # Named delays; the first one is the delay in hand, and gives delay_value and device.
    delays = models.JSONField(default=list)
    figure = models.JSONField(null=True)
    space = models.JSONField(null=True, help_text="The reverb thought of under Space")
    blend = models.JSONField(null=True, help_text="The parallel compression under Blend")
    hand = models.JSONField(
        default=dict, help_text="Step, variant, clip and tools as they were left"
    )
    revision = models.PositiveIntegerField(default=1)
    field_revisions = models.JSONField(default=dict)
    is_demo_original = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)
    updated_at = models.DateTimeField(auto_now=True)
    deleted_at = models.DateTimeField(null=True)
    found_by = found_by("title", "players")

    class Meta:
        ordering = ["created_at", "id"]
        indexes = [models.Index(fields=["owner", "deleted_at"])]
        constraints = [
            models.CheckConstraint(condition=~Q(title=""), name="song_has_a_title"),
            models.CheckConstraint(
                condition=Q(sample_rate_hz__gte=8_000) & Q(sample_rate_hz__lte=384_000),
                name="song_sample_rate_in_range",
            ),
        ]

    def __str__(self) -> str:
        return self.title


class PutAway(models.Model):
    """A part of a song that has no row of its own, deleted and kept: a scene, a named delay."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="put_away")
    kind = models.CharField(max_length=10, choices=[("scene", "scene"), ("delay", "delay")])
    name = models.CharField(max_length=80)
    place = models.CharField(max_length=80, blank=True, help_text="A scene's variant")
    content = models.JSONField()
    deleted_at = models.DateTimeField()

    class Meta:
        ordering = ["-deleted_at"]
