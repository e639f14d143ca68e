from django.apps import AppConfig


class TokensConfig(AppConfig):
    name = "server.tokens"
    label = "tokens"
