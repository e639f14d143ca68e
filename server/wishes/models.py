"""Searches for settings that fulfil wishes."""

import uuid

from django.db import models

from server.jobs.models import JobState


class Search(JobState):
    """What was asked of a variant as it stood, and what was found: the best so far while it goes on."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    variant = models.ForeignKey("rigs.Variant", on_delete=models.CASCADE, related_name="searches")
    sort = models.CharField(max_length=10, help_text="proposals or trade")
    asked = models.JSONField(help_text="Clip, what may move, and of a trade between which two")
    document = models.JSONField()
    best = models.JSONField(null=True)
    result = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at", "id"]
