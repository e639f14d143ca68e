"""Give somebody a new password: `./fonodrome password NAME`."""

import getpass
import secrets
import sys
from typing import Any

from axes.utils import reset
from django.core.management.base import BaseCommand, CommandError, CommandParser

from server.accounts.models import User


class Command(BaseCommand):
    help = "Set a new password for an account"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        user = User.objects.filter(username__iexact=options["name"], is_guest=False).first()
        if user is None or not user.is_active:
            raise CommandError(f"There is no account “{options['name']}”.")
        if sys.stdin.isatty():
            password = getpass.getpass("New password (empty: make one up): ")
        else:
            password = sys.stdin.readline().rstrip("\n")
        made = not password
        password = password or secrets.token_urlsafe(12)
        user.set_password(password)
        user.save(update_fields=["password"])
        reset(username=user.username)
        shown = f" It is: {password}" if made else ""
        self.stdout.write(f"The password of {user.username} is changed.{shown}")
