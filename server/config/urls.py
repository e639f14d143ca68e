from django.urls import path, re_path

from server.config.api import api
from server.config.page import healthy, page

urlpatterns = [
    path("api/v1/", api.urls),
    path("healthy", healthy),
    re_path(r"^(?!api/|static/).*$", page),
]
