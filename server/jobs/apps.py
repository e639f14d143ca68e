from django.apps import AppConfig


class JobsApp(AppConfig):
    name = "server.jobs"
    label = "jobs"
