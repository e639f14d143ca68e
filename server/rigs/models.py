"""Rigs of a song, their variants, and every edit that made them."""

import json
import uuid
from typing import Any

from django.db import models
from django.db.models import Q

from core.find import plain
from server.config.found import found_by


class Rig(models.Model):
    """One routing of a song; its variants are whole documents of their own."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="rigs")
    name = models.CharField(max_length=80)
    position = models.PositiveSmallIntegerField(default=0, help_text="In the list of rigs")
    feeds = models.JSONField(default=list, help_text="What plays into its sources")
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)
    found_by = found_by("name")

    class Meta:
        ordering = ["position", "created_at", "id"]
        constraints = [models.CheckConstraint(condition=~Q(name=""), name="rig_has_a_name")]


class LiveVariants(models.Manager["Variant"]):
    """Those that were not deleted: what everything but the list of deleted things sees."""

    def get_queryset(self) -> models.QuerySet["Variant"]:
        return super().get_queryset().filter(deleted_at=None)


def parts_of(document: Any) -> str:
    """Id, kind, name and unit of every part, as JSON: what it is found by. Sidings go by their frame.

    Of what is no document of today's form, or none at all, whatever can be told.
    """
    found = []
    nodes = document.get("nodes") if isinstance(document, dict) else None
    for id, node in nodes.items() if isinstance(nodes, dict) else ():
        sidings = node.get("sidings") if isinstance(node, dict) else None
        inner = [one.get("stage") for one in sidings or () if isinstance(one, dict)]
        for part in (node, *inner):
            if isinstance(part, dict):
                found.append([id, *(part.get(what) or "" for what in ("kind", "name", "unit"))])
    return json.dumps(found, ensure_ascii=False)


def words_of(parts: str) -> str:
    """What the parts are found by: names and units in plain letters, kinds in quotes, each once."""
    found: dict[str, None] = {}
    for _, kind, name, unit in json.loads(parts):
        found |= dict.fromkeys([f'"{kind}"', *(plain(word) for word in (name, unit) if word)])
    return "\n".join(found)


class Variant(models.Model):
    """A stored alternative: A, B, C ... `position` is where it stands, 0 is A; none when deleted."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    rig = models.ForeignKey(Rig, on_delete=models.CASCADE, related_name="variants")
    position = models.PositiveSmallIntegerField(null=True)
    name = models.CharField(max_length=80, blank=True)
    document = models.JSONField()
    parts = models.TextField(default="[]", help_text="Of the document, to be found by")
    moves = models.JSONField(default=list, help_text="Written moves of its settings")
    revision = models.PositiveIntegerField(default=1)
    turns = models.JSONField(
        default=list, help_text="What each of the last revisions changed, undoing included"
    )
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)
    found_by = models.TextField(
        default="", help_text="Words of its parts, each once, in plain letters"
    )

    objects = LiveVariants()
    everything: models.Manager["Variant"] = models.Manager()

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(
                fields=["rig", "position"],
                name="variant_position_once",
                deferrable=models.Deferrable.DEFERRED,
            )
        ]

    def save(self, *args: Any, **kwargs: Any) -> None:
        """With a document goes what it is found by."""
        fields = kwargs.get("update_fields")
        if fields is None or "document" in fields:
            self.parts = parts_of(self.document)
            self.found_by = words_of(self.parts)
            kwargs["update_fields"] = None if fields is None else [*fields, "parts", "found_by"]
        super().save(*args, **kwargs)

    @property
    def letter(self) -> str:
        return "" if self.position is None else chr(ord("A") + self.position)


class VariantEdit(models.Model):
    """One step of a variant. `undone` steps can be done again until a new one is made."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="edits")
    number = models.PositiveIntegerField()
    action = models.JSONField()
    changes = models.JSONField()
    said = models.CharField(max_length=200)
    select = models.CharField(max_length=60, blank=True)
    undone = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["variant", "number"], name="edit_number_once")
        ]
