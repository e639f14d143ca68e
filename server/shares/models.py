"""Links by which a stranger sees one thing, read-only, until they run out or are taken back."""

import uuid

from django.db import models
from django.db.models import Q


class ShareLink(models.Model):
    """What it shows is read anew at every visit. The link's secret is computed from `id` and the
    installation's own key: it stands in no table.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="links")
    kind = models.CharField(
        max_length=12, choices=[(k, k) for k in ("song", "sheet", "test", "measurement")]
    )
    variant = models.ForeignKey(
        "rigs.Variant", on_delete=models.CASCADE, null=True, related_name="links"
    )
    test = models.ForeignKey(
        "verify.NullTest", on_delete=models.CASCADE, null=True, related_name="links"
    )
    measurement = models.ForeignKey(
        "bench.Measurement", on_delete=models.CASCADE, null=True, related_name="links"
    )
    renders = models.ManyToManyField("renders.Render", related_name="+")
    with_name = models.BooleanField(default=False, help_text="Whether the owner's name is said")
    created_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    seen_at = models.DateTimeField(null=True, help_text="To the minute")

    class Meta:
        ordering = ["-created_at", "id"]
        constraints = [
            models.CheckConstraint(
                name="share_link_names_its_thing",
                condition=(
                    Q(kind="song", variant=None, test=None, measurement=None)
                    | Q(kind="sheet", variant__isnull=False, test=None, measurement=None)
                    | Q(kind="test", variant=None, test__isnull=False, measurement=None)
                    | Q(kind="measurement", variant=None, test=None, measurement__isnull=False)
                ),
            )
        ]
