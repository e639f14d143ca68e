from django.urls import path, re_path

from server.config.api import api
from server.config.page import health, healthy, page, service_worker

urlpatterns = [
    path("api/v1/", api.urls),
    path("healthy", healthy),
    path("health.json", health),
    path("service-worker.js", service_worker),
    re_path(r"^(?!api/|static/).*$", page),
]
