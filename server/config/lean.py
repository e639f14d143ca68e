"""A short way in for what-if questions, with walls of its own.

Arithmetic is about nobody's things, and is asked for while people drag: it skips the middleware that
looks up cookies and page policy. It costs time all the same: it is for those who are signed in, one
question is of a bounded size, and nobody's questions take all of the machine.
"""

import hashlib
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user
from django.core import signing
from django.core.exceptions import DisallowedHost
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.urls import resolve
from django.urls.exceptions import Resolver404

from server.config.address import client_address
from server.config.away import tells_of_lost_database
from server.config.problems import Problem, database_away, problem_response

PREFIX = "/api/v1/compute/"
COOKIE, _SALT = "fonodrome_asks", "fonodrome.asks"
_LASTS_S = 3600
MOST_BYTES = {"read-midi": 2 << 20}
_BYTES = 1 << 20
_PRUNED_AFTER = 2000


@dataclass
class _Purse:
    left_s: float
    at: float


class Purses:
    """CPU time that each asker may take: it fills up as time goes by, up to a full purse."""

    def __init__(self, a_second: float, full_s: float) -> None:
        self.a_second, self.full_s = a_second, full_s
        self._held: dict[str, _Purse] = {}
        self._lock = threading.Lock()

    def wait_s(self, who: str, now: float) -> float:
        """Seconds until somebody may ask again; 0: now."""
        left = self._filled(who, now).left_s
        return 0.0 if left > 0 else -left / self.a_second

    def take(self, who: str, seconds: float, now: float) -> None:
        # Not locked: two at once may forget one's part of a second, and a lock costs every question more.
        self._filled(who, now).left_s -= seconds
        if len(self._held) > _PRUNED_AFTER:
            with self._lock:
                full = [
                    w
                    for w, p in list(self._held.items())
                    if now - p.at > self.full_s / self.a_second
                ]
                for one in full:
                    self._held.pop(one, None)

    def _filled(self, who: str, now: float) -> _Purse:
        purse = self._held.setdefault(who, _Purse(self.full_s, now))
        purse.left_s = min(self.full_s, purse.left_s + (now - purse.at) * self.a_second)
        purse.at = now
        return purse


PURSES = Purses(settings.WHAT_IF_CPU_A_SECOND, settings.WHAT_IF_CPU_AT_ONCE_S)


class LeanCompute:
    """The outermost middleware: answers compute requests itself, hands everything else on."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not request.path_info.startswith(PREFIX):
            return self.get_response(request)
        try:
            response = self._asked(request)
        except Problem as problem:
            response = problem_response(
                problem.status, problem.sentence, problem.code, **problem.extra
            )
            if "wait_s" in problem.extra:
                response["Retry-After"] = str(problem.extra["wait_s"])
        except (OperationalError, InterfaceError) as error:
            if not tells_of_lost_database(error):
                raise
            response = database_away(request, error)
        response["Content-Length"] = str(len(response.content))
        response["X-Content-Type-Options"] = "nosniff"
        response["Cache-Control"] = "no-store"
        return response

    def _asked(self, request: HttpRequest) -> HttpResponse:
        _is_whole(request)
        who, ticket = _asker(request)
        purses, now = (who, _address(request)), time.monotonic()
        for purse in purses:
            wait = PURSES.wait_s(purse, now)
            if wait > 0:
                raise Problem(
                    429, f"Too much was asked for at once. Wait {wait:.0f} s.", "rate", wait_s=max(1, round(wait))
                )  # fmt: skip
        try:
            match = resolve(request.path_info)
        except Resolver404:
            raise Problem(404, "This is not here, or not yours.", "missing") from None
        request.resolver_match = match
        began = time.thread_time()
        response: HttpResponse = match.func(request, *match.args, **match.kwargs)
        spent = time.thread_time() - began
        now = time.monotonic()
        for purse in purses:
            PURSES.take(purse, spent, now)
        if ticket:
            response.set_cookie(
                COOKIE, ticket, max_age=_LASTS_S, path=PREFIX, httponly=True, samesite="Strict",
                secure=settings.SESSION_COOKIE_SECURE,
            )  # fmt: skip
        return response


def _is_whole(request: HttpRequest) -> None:
    """Raises Problem for what no page or script of ours sends."""
    try:
        request.get_host()
    except DisallowedHost:
        raise Problem(400, "This address is not one of this server.", "host") from None
    if request.method != "POST":
        raise Problem(405, "What-if questions are asked by POST.", "method")
    if request.content_type != "application/json":
        raise Problem(415, "What-if questions are JSON.", "content-type")
    try:
        length = int(request.META.get("CONTENT_LENGTH") or -1)
    except ValueError:
        length = -1
    if length < 0:
        raise Problem(411, "Say how long the question is.", "length")
    most = MOST_BYTES.get(request.path_info.removeprefix(PREFIX), _BYTES)
    if length > most:
        raise Problem(413, f"A question is at most {most >> 20} MB long.", "too-large")


def _asker(request: HttpRequest) -> tuple[str, str]:
    """Who asks, and a ticket to be given where none was held: so that the session is looked up once an
    hour. Raises Problem for nobody.

    The ticket is of the session that it was given for, goes to this path alone, and is never sent along
    from another site.
    """
    session = request.COOKIES.get(settings.SESSION_COOKIE_NAME, "")
    held = request.COOKIES.get(COOKIE, "")
    if session and held:
        who = _read(held, session)
        if who:
            return who, ""
    if request.headers.get("Authorization", "").startswith("Bearer "):
        from server.tokens.services import known

        # Whatever else it may do: arithmetic changes nothing.
        row = known(request.headers["Authorization"][7:])
        if row is None:
            raise Problem(401, "This token is not known, was taken back, or has run out.", "token")
        return f"user {row.owner_id}", ""
    if session:
        request.session = import_module(settings.SESSION_ENGINE).SessionStore(session)
        user = get_user(request)
        if user.is_authenticated:
            who = f"user {user.pk}"
            return who, signing.dumps({"who": who, "of": _mark(session)}, salt=_SALT)
    raise Problem(401, "Sign in to see this.", "sign-in")


_SEEN: dict[tuple[str, str], tuple[float, str]] = {}
"""Tickets with their sessions that were read already: until when, and whose."""
_MOST_SEEN = 4000


def _read(ticket: str, session: str) -> str:
    """Whose ticket it is; empty where it is none, has run out, or is of another session."""
    seen = _SEEN.get((ticket, session))
    if seen is not None and time.time() < seen[0]:
        return seen[1]
    try:
        told: dict[str, Any] = signing.loads(ticket, salt=_SALT, max_age=_LASTS_S)
    except signing.BadSignature:
        return ""
    if told["of"] != _mark(session):
        return ""
    if len(_SEEN) >= _MOST_SEEN:
        _SEEN.clear()
    # A minute at a time: whatever its own end is, it is not outlived by more.
    _SEEN[ticket, session] = (time.time() + 60, str(told["who"]))
    return str(told["who"])


def _mark(session: str) -> str:
    return hashlib.sha256(session.encode()).hexdigest()[:24]


def _address(request: HttpRequest) -> str:
    return f"address {client_address(request)}"
