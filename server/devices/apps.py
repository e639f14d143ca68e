from django.apps import AppConfig


class DevicesApp(AppConfig):
    name = "server.devices"
    label = "devices"
