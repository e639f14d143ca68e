"""The state that every row with long work behind it carries."""

from django.db import models


class Status(models.TextChoices):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


class JobState(models.Model):
    """`attempt` is a fence: a worker writes only while the row still shows its own number."""

    status = models.CharField(max_length=10, choices=Status.choices, default=Status.QUEUED)
    progress = models.FloatField(default=0.0)
    stage = models.CharField(max_length=60, blank=True)
    problem = models.TextField(blank=True)
    attempt = models.PositiveSmallIntegerField(default=0)
    cancel_requested = models.BooleanField(default=False)
    started_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        abstract = True
