from django.apps import AppConfig


class ConfigApp(AppConfig):
    name = "server.config"
    label = "config"
