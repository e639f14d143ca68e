"""The one page of the application, with its style nonce, and the health answer."""

from functools import lru_cache
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

_PLACE = 'name="csp-nonce" content=""'


@lru_cache(maxsize=1)
def _built(path: Path, changed_ns: int) -> str:
    return path.read_text(encoding="utf-8")


@require_safe
@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    index = Path(settings.STATIC_ROOT) / "index.html"
    if not index.is_file():
        return HttpResponse(
            "The front end is not built yet. Run ./fonodrome start.",
            status=503,
            content_type="text/plain",
        )
    html = _built(index, index.stat().st_mtime_ns)
    nonce = str(request.csp_nonce)
    response = HttpResponse(html.replace(_PLACE, f'name="csp-nonce" content="{nonce}"'))
    response["Cache-Control"] = "no-store"
    return response


@require_safe
def healthy(request: HttpRequest) -> HttpResponse:
    """Answers when the web process and the database do."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return HttpResponse("ok", content_type="text/plain")
