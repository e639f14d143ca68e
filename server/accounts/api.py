"""Accounts and the session."""

from django.contrib.auth import logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router
from pydantic import Field

from core.edge import Edge
from server.accounts import services
from server.accounts.models import User
from server.config.auth import anyone, signed_in
from server.songs.queries import demo_is_there

router = Router(tags=["accounts"])


class Credentials(Edge):
    name: str = Field(min_length=1, max_length=60)
    password: str = Field(min_length=1, max_length=200)


class PasswordChange(Edge):
    old_password: str = Field(max_length=200)
    new_password: str = Field(max_length=200)


class Session(Edge):
    name: str | None = Field(description="Null when nobody is signed in")
    is_guest: bool
    demo_available: bool


def _session(user: object) -> Session:
    if isinstance(user, User):
        return Session(name=user.username, is_guest=user.is_guest, demo_available=demo_is_there())
    return Session(name=None, is_guest=False, demo_available=demo_is_there())


@router.get("/session", response=Session, auth=None)
def get_session(request: HttpRequest) -> Session:
    get_token(request)
    return _session(request.user)


@router.post("/accounts", response=Session, auth=anyone)
def sign_up(request: HttpRequest, payload: Credentials) -> Session:
    return _session(services.sign_up(request, payload.name, payload.password))


@router.post("/session", response=Session, auth=anyone)
def sign_in(request: HttpRequest, payload: Credentials) -> Session:
    return _session(services.sign_in(request, payload.name, payload.password))


@router.delete("/session", response=Session, auth=signed_in)
def sign_out(request: HttpRequest) -> Session:
    logout(request)
    return _session(None)


@router.post("/password", response=Session, auth=signed_in)
def change_password(request: HttpRequest, payload: PasswordChange) -> Session:
    services.change_password(request, payload.old_password, payload.new_password)
    return _session(request.user)


@router.post("/demo", response=Session, auth=anyone)
def open_demo(request: HttpRequest) -> Session:
    return _session(services.open_demo(request))
