"""People who sign in, and guests who look round a private copy of the demo."""

from typing import Any

from django.contrib.auth.models import AbstractUser
from django.db import models

from server.accounts.names import looks


class User(AbstractUser):
    is_guest = models.BooleanField(
        default=False, help_text="Opened the demo without signing up; has no password"
    )
    looks = models.CharField(
        max_length=400, db_index=True, default="", help_text="What its name looks like"
    )

    def save(self, *args: Any, **kwargs: Any) -> None:
        """With a name goes what it looks like."""
        fields = kwargs.get("update_fields")
        if fields is None or "username" in fields:
            self.looks = looks(self.username)
            kwargs["update_fields"] = None if fields is None else [*fields, "looks"]
        super().save(*args, **kwargs)


class DemoOpened(models.Model):
    """A demo studio that was opened, from an address of which only a mark is kept, for an hour."""

    mark = models.CharField(max_length=32)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["mark", "at"])]
