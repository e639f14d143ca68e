"""Who may call: signed-in people by session cookie, or anyone; both with the CSRF check."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest
from ninja.security import APIKeyCookie, django_auth

signed_in = django_auth


class _Anyone(APIKeyCookie):
    """Lets everyone in, but still refuses a request from another site."""

    param_name = settings.CSRF_COOKIE_NAME

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        return "anyone"


anyone = _Anyone()


def user_of(request: HttpRequest) -> Any:
    """The signed-in person; endpoints behind `signed_in` always have one."""
    return request.user
