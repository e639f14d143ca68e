from django.apps import AppConfig


class BenchApp(AppConfig):
    name = "server.bench"
    label = "bench"
