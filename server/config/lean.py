"""A short way in for what-if questions.

Pure arithmetic is about nobody: it needs no session, no cookies and no page policy. People ask it
while they drag, so it skips the middleware that looks those up, and keeps the headers that matter.
"""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.urls import resolve

PREFIX = "/api/v1/compute/"


class LeanCompute:
    """The outermost middleware: answers compute requests itself, hands everything else on."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not request.path_info.startswith(PREFIX):
            return self.get_response(request)
        match = resolve(request.path_info)
        request.resolver_match = match
        response: HttpResponse = match.func(request, *match.args, **match.kwargs)
        response["Content-Length"] = str(len(response.content))
        response["X-Content-Type-Options"] = "nosniff"
        response["Cache-Control"] = "no-store"
        return response
