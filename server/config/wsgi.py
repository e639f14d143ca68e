"""The web process. Imports the heavy parts before workers are forked."""

import gc
import os

from django.core.wsgi import get_wsgi_application

from server.config import warm
from server.config.drained import drained

# Nothing of what is loaded here goes again: to look for it in between takes a twentieth of a start.
gc.disable()
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
application = drained(warm.waiting(get_wsgi_application()))

import server.config.urls  # noqa: E402, F401

# What is loaded by now stays for good: the collector need not look through it again and again,
# which halves the time of a computed answer. Workers that are forked later share it.
gc.collect()
gc.freeze()
gc.enable()
warm.after_fork()
