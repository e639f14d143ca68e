"""The one page of the application, with its style nonce; its service worker; the health answer."""

import hashlib
import json
import shutil
import time
from functools import lru_cache
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe
from procrastinate.contrib.django.models import ProcrastinateEvent, ProcrastinateJob

from server.config.address import is_local

LEAST_FREE = 500_000_000
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
    if request.path_info.startswith("/shared/"):
        response["X-Robots-Tag"] = "noindex, nofollow"
    return response


@lru_cache(maxsize=1)
def _worker(script: Path, manifest: Path, changed_ns: tuple[int, int]) -> str:
    """The worker with what it keeps: every built file, and a name that changes when one of them does."""
    code = script.read_text(encoding="utf-8")
    built = json.loads(manifest.read_text(encoding="utf-8"))
    names = {chunk["file"] for chunk in built.values()}
    names |= {name for chunk in built.values() for name in chunk.get("css", ())}
    names |= {name for chunk in built.values() for name in chunk.get("assets", ())}
    files = sorted(f"{settings.STATIC_URL}{name}" for name in names if name != script.name)
    release = hashlib.sha256("\n".join([code, *files]).encode()).hexdigest()[:12]
    told = json.dumps({"name": release, "files": files})
    return f"self.RELEASE = {told};\n{code}"


@require_safe
def service_worker(request: HttpRequest) -> HttpResponse:
    """Asked for anew at every visit; a browser takes it as new where one byte of it is."""
    script = Path(settings.STATIC_ROOT) / "service-worker.js"
    manifest = Path(settings.STATIC_ROOT) / "manifest.json"
    if not (script.is_file() and manifest.is_file()):
        return HttpResponse("Not built yet.", status=503, content_type="text/plain")
    changed = script.stat().st_mtime_ns, manifest.stat().st_mtime_ns
    response = HttpResponse(_worker(script, manifest, changed), content_type="text/javascript")
    response["Cache-Control"] = "no-cache"
    return response


@require_safe
def healthy(request: HttpRequest) -> HttpResponse:
    """Answers when the web process and the database do."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return HttpResponse("ok", content_type="text/plain")


@require_safe
def health(request: HttpRequest) -> HttpResponse:
    """Figures for whoever keeps it running, on this machine only: nothing of what people put in."""
    if not is_local(request):
        raise Http404
    began = time.monotonic()
    open_jobs = ProcrastinateJob.objects.filter(status__in=("todo", "doing"))
    counts = dict(open_jobs.values_list("status").annotate(n=Count("id")))
    oldest = ProcrastinateEvent.objects.filter(type="deferred", job__in=open_jobs.values("pk"))
    first = oldest.order_by("at").values_list("at", flat=True).first()
    free = shutil.disk_usage(settings.DATA_DIR).free
    told = {
        "database_ms": round((time.monotonic() - began) * 1e3, 1),
        "queued": counts.get("todo", 0), "running": counts.get("doing", 0),
        "oldest_job_s": None if first is None else round((timezone.now() - first).total_seconds()),
        "free_mb": round(free / 1e6), "well": free > LEAST_FREE,
    }  # fmt: skip
    response = JsonResponse(told, status=200 if told["well"] else 503)
    response["Cache-Control"] = "no-store"
    return response
