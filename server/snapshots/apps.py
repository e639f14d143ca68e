from django.apps import AppConfig


class SnapshotsConfig(AppConfig):
    name = "server.snapshots"
    label = "snapshots"
