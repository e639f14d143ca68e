from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "server.trials"
    label = "trials"
