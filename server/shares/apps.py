from django.apps import AppConfig


class SharesConfig(AppConfig):
    name = "server.shares"
    label = "shares"
