"""Personal tokens: what a person's scripts sign in with. The token itself is not kept, its hash is."""

import uuid

from django.conf import settings
from django.db import models


class Token(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens"
    )
    name = models.CharField(max_length=60)
    digest = models.CharField(max_length=64, unique=True, help_text="SHA-256 of the token")
    ends_in = models.CharField(max_length=4, help_text="Its last letters, to tell it by")
    scopes = models.JSONField()
    created_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True, help_text="To the minute")
    revoked_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "id"]
