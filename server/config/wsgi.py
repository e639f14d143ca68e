"""The web process. Imports the heavy parts before workers are forked."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
application = get_wsgi_application()

import server.config.urls  # noqa: E402, F401
