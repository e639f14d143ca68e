from django.apps import AppConfig


class SongsApp(AppConfig):
    name = "server.songs"
    label = "songs"
