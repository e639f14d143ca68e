"""Sign up, sign in, change the password, open the demo."""

import secrets

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login, update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.http import HttpRequest

from server.accounts.models import User
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
    name = name.strip()
    guest = request.user if request.user.is_authenticated and request.user.is_guest else None
    user = User.objects.get(pk=guest.pk) if guest else User()
    user.username, user.is_guest = name, False
    try:
        User.username_validator(name)
    except ValidationError:
        raise Problem(
            422, "A name is letters, digits and @ . + - _ without spaces.", "name"
        ) from None
    if name.lower().startswith("guest-"):
        raise Problem(422, "Names that start with guest- are kept for the demo.", "name")
    _check_password(password, user)
    user.set_password(password)
    try:
        with transaction.atomic():
            if User.objects.filter(username__iexact=name).exclude(pk=user.pk).exists():
                raise IntegrityError
            user.save()
    except IntegrityError:
        raise Problem(
            422, f"The name “{name}” is taken. Choose another, or sign in.", "name"
        ) from None
    login(request, user, backend=_BACKEND)
    return user


def sign_in(request: HttpRequest, name: str, password: str) -> User:
    """Check name and password. Raises Problem; after five failures for a quarter of an hour."""
    credentials = {"username": name.strip(), "password": password}
    locked = Problem(
        429, "Too many failed tries. Wait 15 minutes, or ask for a new password.", "throttled"
    )
    if not AxesProxyHandler.is_allowed(request, credentials):
        raise locked
    user = authenticate(request, **credentials)
    if user is None:
        if not AxesProxyHandler.is_allowed(request, credentials):
            raise locked
        raise Problem(401, "Name and password do not fit together.", "credentials")
    assert isinstance(user, User)
    login(request, user)
    return user


def change_password(request: HttpRequest, old: str, new: str) -> None:
    """Raises Problem where the old one is wrong or the new one weak. Stays signed in."""
    user = request.user
    assert isinstance(user, User)
    if user.is_guest:
        raise Problem(422, "The demo has no password. Sign up to keep it.", "guest")
    if not user.check_password(old):
        raise Problem(422, "The old password is not right.", "old-password")
    _check_password(new, user)
    user.set_password(new)
    user.save(update_fields=["password"])
    update_session_auth_hash(request, user)


def open_demo(request: HttpRequest) -> User:
    """Sign in as a new guest with a private copy of the demo songs. Raises Problem without any."""
    with transaction.atomic():
        user = User(username=f"guest-{secrets.token_hex(6)}", is_guest=True)
        user.set_unusable_password()
        user.save()
        if not copy_demo_songs(user):
            raise Problem(404, "This installation was started without demo data.", "no-demo")
    login(request, user, backend=_BACKEND)
    return user
