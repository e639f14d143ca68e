"""Whatever an API path answers, it is the API's shape; and nobody between keeps what is private."""

from collections.abc import Callable

from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest, HttpResponse

from server.config.away import tells_of_lost_database
from server.config.problems import database_away, problem_response

PREFIX = "/api/"
_SAID = {
    400: "This request could not be read.",
    403: "This page is out of date. Load it again; nothing was changed.",
    404: "There is nothing at this address.",
    405: "This address does not take that method.",
    413: "This is more than one request may hold. Nothing was changed.",
}
_BROKEN = "Something went wrong inside. Try again; nothing was changed."


class ApiAnswers:
    """Turns what was answered past the API itself (unknown paths, too large, broken) into a problem."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if not request.path_info.startswith(PREFIX):
            return response
        kind = response.headers.get("Content-Type", "")
        if response.status_code >= 400 and "json" not in kind:
            status = response.status_code
            allowed = response.headers.get("Allow")
            response = problem_response(status, _SAID.get(status, _BROKEN))
            if allowed:
                response["Allow"] = allowed
        if "Cache-Control" not in response.headers:
            whole = "json" in response.headers.get("Content-Type", "")
            response["Cache-Control"] = "no-store" if whole else "private, no-cache"
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if not request.path_info.startswith(PREFIX):
            return None
        if isinstance(error, RequestDataTooBig):
            return problem_response(413, _SAID[413], "too-large")
        return database_away(request, error) if tells_of_lost_database(error) else None
