from django.apps import AppConfig


class WishesConfig(AppConfig):
    name = "server.wishes"
    label = "wishes"
