from django.apps import AppConfig


class RendersApp(AppConfig):
    name = "server.renders"
    label = "renders"
