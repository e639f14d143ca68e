from django.apps import AppConfig


class LogConfig(AppConfig):
    name = "server.log"
    label = "log"
