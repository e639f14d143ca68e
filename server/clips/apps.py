from django.apps import AppConfig


class ClipsApp(AppConfig):
    name = "server.clips"
    label = "clips"
