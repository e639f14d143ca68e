"""Django's test runner, with things that tests share to its end."""

from contextlib import ExitStack
from typing import Any

from django.test.runner import DiscoverRunner

SHARED = ExitStack()
"""Closed after the last test, while the test database still stands."""


class Runner(DiscoverRunner):
    def teardown_databases(self, old_config: Any, **kwargs: Any) -> None:
        SHARED.close()
        super().teardown_databases(old_config, **kwargs)
