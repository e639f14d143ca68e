"""People who sign in, and guests who look round a private copy of the demo."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class User(AbstractUser):
    is_guest = models.BooleanField(
        default=False, help_text="Opened the demo without signing up; has no password"
    )
