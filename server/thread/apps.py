from django.apps import AppConfig


class ThreadApp(AppConfig):
    name = "server.thread"
    label = "thread"
