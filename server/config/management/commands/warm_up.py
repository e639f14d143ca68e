"""Compile the sample loops once, before workers start: two first compilers of one loop can spoil its cache."""

import importlib
import os
import pkgutil

from django.core.management.base import BaseCommand

import core
from core.sample_loops import make_all, numba, shares


class Command(BaseCommand):
    help = "Compile the sample loops"

    def handle(self, *args: object, **options: object) -> None:
        for module in pkgutil.walk_packages(core.__path__, "core."):
            if ".tests" not in module.name and not module.name.endswith("__main__"):
                importlib.import_module(module.name)
        _make_beside_each_other()
        make_all()


def _make_beside_each_other() -> None:
    """On every core at once; what one fails at is made, or fails in its own words, once more after it."""
    numba()  # loaded once, for all
    children = []
    for share in shares(len(os.sched_getaffinity(0))):
        child = os.fork()
        if child == 0:
            try:
                for loop in share:
                    loop.made()
            finally:
                os._exit(0)
        children.append(child)
    for child in children:
        os.waitpid(child, 0)
