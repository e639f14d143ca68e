"""Sign up, sign in, change the password, open the demo."""

import secrets
from datetime import timedelta

from axes.handlers.proxy import AxesProxyHandler
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth import authenticate, login, update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.db.models import Sum
from django.http import HttpRequest
from django.utils import timezone

from server.accounts.models import User
from server.accounts.names import looks, plain_name, trouble_with
from server.accounts.quotas import demo_allowed
from server.config.address import client_address
from server.config.problems import Problem
from server.songs.services import copy_demo_songs

_BACKEND = "django.contrib.auth.backends.ModelBackend"


def _check_password(password: str, user: User) -> None:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise Problem(422, " ".join(error.messages), "password") from None


def sign_up(request: HttpRequest, name: str, password: str) -> User:
    """Make an account and sign it in. A guest keeps the songs of the demo copy.

    Raises Problem for a name that is taken or unusable, and for a weak password.
    """
    name = plain_name(name)
    guest = request.user if request.user.is_authenticated and request.user.is_guest else None
    user = User.objects.get(pk=guest.pk) if guest else User()
    user.username, user.is_guest = name, False
    said = trouble_with(name)
    if said:
        raise Problem(422, said, "name")
    if name.lower().startswith("guest-"):
        raise Problem(422, "Names that start with guest- are kept for the demo.", "name")
    _check_password(password, user)
    user.set_password(password)
    try:
        with transaction.atomic():
            if User.objects.filter(looks=looks(name)).exclude(pk=user.pk).exists():
                raise IntegrityError
            user.save()
    except IntegrityError:
        raise Problem(
            422,
            f"The name “{name}” is taken, or looks like one that is. Choose another, or sign in.",
            "name",
        ) from None
    login(request, user, backend=_BACKEND)
    return user


_LOCKED = Problem(
    429, "Too many failed tries. Wait 15 minutes, or ask for a new password.", "throttled"
)
MOST_BY_ADDRESS = 30
"""Failures from one address within the time for which a name is locked there, whatever the names."""


def _checked(request: HttpRequest, name: str, password: str) -> User | None:
    """Who it is; None where name and password do not fit. Raises Problem for too many tries.

    Five failures lock a name at the address that they come from, thirty lock the address: the owner of a
    name, somewhere else, is never locked out by others.
    """
    credentials = {"username": plain_name(name), "password": password}
    if not AxesProxyHandler.is_allowed(request, credentials) or _too_many(request):
        raise _LOCKED
    user = authenticate(request, **credentials)
    if user is None and not AxesProxyHandler.is_allowed(request, credentials):
        raise _LOCKED
    return user if isinstance(user, User) else None


def _too_many(request: HttpRequest) -> bool:
    since = timezone.now() - timedelta(hours=settings.AXES_COOLOFF_TIME)
    tries = AccessAttempt.objects.filter(
        ip_address=client_address(request), attempt_time__gte=since
    ).aggregate(failed=Sum("failures_since_start"))
    return settings.AXES_ENABLED and (tries["failed"] or 0) >= MOST_BY_ADDRESS


def sign_in(request: HttpRequest, name: str, password: str) -> User:
    """Check name and password. Raises Problem."""
    user = _checked(request, name, password)
    if user is None:
        raise Problem(401, "Name and password do not fit together.", "credentials")
    login(request, user, backend=_BACKEND)
    return user


def change_password(request: HttpRequest, old: str, new: str) -> None:
    """Raises Problem where the old one is wrong or the new one weak. Stays signed in."""
    user = request.user
    assert isinstance(user, User)
    if user.is_guest:
        raise Problem(422, "The demo has no password. Sign up to keep it.", "guest")
    if _checked(request, user.username, old) is None:
        raise Problem(422, "The old password is not right.", "old-password")
    _check_password(new, user)
    user.set_password(new)
    user.save(update_fields=["password"])
    update_session_auth_hash(request, user)


def open_demo(request: HttpRequest) -> User:
    """Sign in as a new guest with a private copy of the demo songs. Raises Problem without any."""
    demo_allowed(request)
    with transaction.atomic():
        user = User(username=f"guest-{secrets.token_hex(6)}", is_guest=True)
        user.set_unusable_password()
        user.save()
        if not copy_demo_songs(user):
            raise Problem(404, "This installation was started without demo data.", "no-demo")
    login(request, user, backend=_BACKEND)
    return user
