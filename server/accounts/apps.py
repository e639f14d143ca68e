from django.apps import AppConfig


class AccountsApp(AppConfig):
    name = "server.accounts"
    label = "accounts"
