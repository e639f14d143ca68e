"""Null tests of a song and what they measured."""

import uuid

from django.db import models

from server.clips.models import Clip
from server.jobs.models import JobState


class NullTest(JobState):
    """Clip B brought onto clip A and subtracted. `measurement` never changes; the limit may."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="null_tests")
    clip_a = models.ForeignKey("clips.Clip", on_delete=models.CASCADE, related_name="+")
    clip_b = models.ForeignKey("clips.Clip", on_delete=models.CASCADE, related_name="+")
    batch = models.UUIDField(
        null=True, help_text="Tests of one reference that were asked for together"
    )
    stems = models.ManyToManyField(
        "clips.Clip", related_name="+", help_text="What A was mixed of, in the order given"
    )
    options = models.JSONField()
    limit = models.JSONField()
    measurement = models.JSONField(null=True)
    rests = models.ForeignKey(
        "clips.Blob", on_delete=models.PROTECT, null=True, related_name="+",
        help_text="What is left of an excerpt after each step that matching cannot undo",
    )  # fmt: skip
    summary = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "id"]

    def stems_in_order(self) -> list[Clip]:
        links = NullTest.stems.through.objects.filter(nulltest=self).order_by("pk")
        return [link.clip for link in links.select_related("clip__blob")]
