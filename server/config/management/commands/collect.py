"""Remove what nobody has any more: `manage.py collect`, or only count it with `--dry-run`."""

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from server.thread.collect import collect


class Command(BaseCommand):
    help = "Remove guests of long ago, old renders, and sounds without an owner"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--dry-run", action="store_true", help="count only")

    def handle(self, *args: Any, **options: Any) -> None:
        done = collect(dry_run=options["dry_run"])
        self.stdout.write("Would go:" if options["dry_run"] else "Gone:")
        for line in done.lines():
            self.stdout.write(f"  {line}")
