"""One shape for everything that goes wrong (RFC 9457), with a sentence for a person."""

import logging
from typing import Any

from django.db import DatabaseError, InterfaceError
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from core.errors import FonodromeError
from server.clips.objects import StoreAway
from server.config.away import AWAY, tells_of_lost_database
from server.config.disk import DISK_FULL, tells_of_full_disk

log = logging.getLogger(__name__)
MOST_ERRORS = 10
TITLES = {
    400: "Not understood",
    401: "Sign in first",
    403: "Not allowed",
    404: "Not there",
    405: "Not this way",
    409: "Changed meanwhile",
    411: "No length",
    413: "Too large",
    415: "Not JSON",
    422: "Cannot be used",
    429: "Too many tries",
    503: "Away for a moment",
    507: "No room",
}


class Problem(Exception):
    """Raise with a status and a sentence; `extra` members go into the answer beside it."""

    def __init__(self, status: int, sentence: str, code: str = "", **extra: Any) -> None:
        super().__init__(sentence)
        self.status, self.sentence, self.code, self.extra = status, sentence, code, extra


def problem_response(status: int, sentence: str, code: str = "", **extra: Any) -> HttpResponse:
    body = {
        "type": f"urn:fonodrome:{code or status}",
        "title": TITLES.get(status, "Something went wrong"),
        "status": status,
        "detail": sentence,
        **extra,
    }
    return JsonResponse(body, status=status, content_type="application/problem+json")


def database_away(request: HttpRequest, error: Exception) -> HttpResponse:
    log.error("the database is away for %s %s: %s", request.method, request.path, error)
    response = problem_response(503, AWAY, "database-away")
    response["Retry-After"] = "1"
    return response


def _plain(errors: list[dict[str, Any]]) -> tuple[str, list[str]]:
    """One sentence from pydantic's errors, and the fields they are about."""
    sentences, fields = [], []
    # A list of a thousand wrong things says no more than its first ten.
    for error in errors[:MOST_ERRORS]:
        place = [str(p) for p in error.get("loc", ()) if p not in ("body", "payload", "query")]
        message = str(error.get("msg", "")).removeprefix("Value error, ")
        fields.append(".".join(place))
        if error.get("type") == "value_error":
            sentences.append(message)
        else:
            name = place[-1].replace("_", " ") if place else "The request"
            given = error.get("input")
            shown = f" (given: {str(given)[:60]})" if isinstance(given, (str, int, float)) else ""
            sentences.append(f"{name.capitalize()}: {message[:1].lower()}{message[1:]}{shown}.")
    return " ".join(dict.fromkeys(sentences)), fields


def install(api: NinjaAPI) -> None:
    """Turn every exception that a person can meet into a problem."""

    @api.exception_handler(Problem)
    def on_problem(request: HttpRequest, error: Problem) -> HttpResponse:
        return problem_response(error.status, error.sentence, error.code, **error.extra)

    @api.exception_handler(FonodromeError)
    def on_core(request: HttpRequest, error: FonodromeError) -> HttpResponse:
        place = {n: getattr(error, n) for n in ("line", "column") if hasattr(error, n)}
        return problem_response(422, error.sentence, error.code, part=error.part, **place)

    @api.exception_handler(ValidationError)
    def on_validation(request: HttpRequest, error: ValidationError) -> HttpResponse:
        sentence, fields = _plain(error.errors)
        return problem_response(422, sentence, "invalid", fields=fields)

    @api.exception_handler(AuthenticationError)
    def on_auth(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem_response(401, "Sign in to see this.", "sign-in")

    @api.exception_handler(HttpError)
    def on_http(request: HttpRequest, error: HttpError) -> HttpResponse:
        sentence = str(error)
        if "CSRF" in sentence:
            sentence = "This page is out of date. Load it again; nothing was changed."
        elif error.status_code == 400:
            sentence = "This request could not be read: its JSON is broken."
        return problem_response(error.status_code, sentence)

    def on_broken(request: HttpRequest, error: Exception) -> HttpResponse:
        if tells_of_lost_database(error):
            return database_away(request, error)
        if isinstance(error, StoreAway):
            log.error("the object store is away for %s %s: %s", request.method, request.path, error)
            return problem_response(503, error.sentence, "store-away")
        if not tells_of_full_disk(error):
            raise error
        log.error("no room for %s %s: %s", request.method, request.path, error)
        return problem_response(507, DISK_FULL, "disk-full")

    for kind in (OSError, DatabaseError, InterfaceError):
        api.add_exception_handler(kind, on_broken)

    from django.http import Http404

    @api.exception_handler(Http404)
    def on_missing(request: HttpRequest, error: Http404) -> HttpResponse:
        return problem_response(404, "This is not here, or not yours.", "missing")
