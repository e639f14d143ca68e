from django.apps import AppConfig


class SetListsConfig(AppConfig):
    name = "server.setlists"
    label = "setlists"
