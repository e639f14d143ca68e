"""Set lists: songs of one person in the order they are played."""

import uuid

from django.conf import settings
from django.db import models
from django.db.models import Q


class SetList(models.Model):
    """`content` is core.setlist.SetListValues; `revision` counts its edits."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="set_lists"
    )
    name = models.CharField(max_length=80)
    content = models.JSONField()
    revision = models.PositiveIntegerField(default=1)
    created_at = models.DateTimeField(auto_now_add=True)
    updated_at = models.DateTimeField(auto_now=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-updated_at", "id"]
        indexes = [models.Index(fields=["owner", "deleted_at"])]
        constraints = [models.CheckConstraint(condition=~Q(name=""), name="set_list_has_a_name")]

    def __str__(self) -> str:
        return self.name
