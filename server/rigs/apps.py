from django.apps import AppConfig


class RigsApp(AppConfig):
    name = "server.rigs"
    label = "rigs"
