"""Django's test runner, with things that tests share to its end."""

from contextlib import ExitStack
from typing import Any

from django.contrib.contenttypes.management import create_contenttypes
from django.db.models.signals import post_migrate
from django.test.runner import DiscoverRunner

SHARED = ExitStack()
"""Closed after the last test, while the test database still stands."""


class Runner(DiscoverRunner):
    def setup_databases(self, **kwargs: Any) -> Any:
        """Emptying the database after a test would make Django's kinds of rows and their permissions anew each time;
        nothing here asks for them.
        """
        made = super().setup_databases(**kwargs)
        post_migrate.disconnect(dispatch_uid="django.contrib.auth.management.create_permissions")
        post_migrate.disconnect(create_contenttypes)
        return made

    def teardown_databases(self, old_config: Any, **kwargs: Any) -> None:
        SHARED.close()
        super().teardown_databases(old_config, **kwargs)
