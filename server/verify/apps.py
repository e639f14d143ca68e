from django.apps import AppConfig


class VerifyApp(AppConfig):
    name = "server.verify"
    label = "verify"
