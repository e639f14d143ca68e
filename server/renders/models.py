"""Rigs rendered on clips."""

import uuid

from django.db import models

from server.jobs.models import JobState


class Render(JobState):
    """A variant on clips. `digest` says of what plan, clip and place: the same is made once."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    variant = models.ForeignKey("rigs.Variant", on_delete=models.CASCADE, related_name="renders")
    clip = models.ForeignKey(
        "clips.Clip",
        on_delete=models.CASCADE,
        related_name="+",
        help_text="The first that is heard",
    )
    feeds = models.JSONField(default=list, help_text="What played into the sources")
    output = models.CharField(max_length=40)
    place = models.CharField(max_length=140, blank=True, help_text="What its stems are inputs of")
    start_s = models.FloatField(default=0.0)
    length_s = models.FloatField(null=True)
    capture = models.ForeignKey(
        "clips.Clip", on_delete=models.CASCADE, related_name="+", null=True,
        help_text="A recording that is heard in place of the render",
    )  # fmt: skip
    bare = models.BooleanField(default=False, help_text="The clip itself, past the rig")
    tail = models.BooleanField(default=True, help_text="Goes on until all has died away")
    digest = models.CharField(max_length=64)
    document = models.JSONField()
    blob = models.ForeignKey("clips.Blob", on_delete=models.PROTECT, null=True)
    stems = models.ForeignKey(
        "clips.Blob", on_delete=models.PROTECT, null=True, related_name="+",
        help_text="Two channels a stem, or one",
    )  # fmt: skip
    moves = models.JSONField(default=list)
    report = models.JSONField(null=True)
    detail = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at", "id"]
        indexes = [models.Index(fields=["digest"])]
        constraints = [
            models.UniqueConstraint(
                fields=["variant", "digest"],
                condition=models.Q(status__in=["queued", "running"], cancel_requested=False),
                name="render_made_once",
            )
        ]


class Export(JobState):
    """A render as a file for other programs. The same is made once, and kept for a day."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    render = models.ForeignKey(Render, on_delete=models.CASCADE, related_name="exports")
    form = models.CharField(max_length=4, help_text="wav or flac")
    word = models.CharField(max_length=5, help_text="16, 24 or float")
    stems = models.BooleanField(default=False, help_text="Its paths side by side")
    blob = models.ForeignKey("clips.Blob", on_delete=models.PROTECT, null=True, related_name="+")
    down_db = models.FloatField(null=True, help_text="By how much it was turned down; 0 or less")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["render", "form", "word", "stems"],
                condition=models.Q(status__in=["queued", "running"], cancel_requested=False),
                name="export_made_once",
            )
        ]
