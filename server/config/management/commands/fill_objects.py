"""Put every sound of this machine's audio folder into the object store: once, when there is one from now on."""

from django.core.management.base import BaseCommand, CommandError

from server.clips import objects
from server.clips.models import Blob
from server.clips.store import local_path


class Command(BaseCommand):
    help = "Put the sounds of the audio folder into the object store"

    def handle(self, *args: object, **options: object) -> None:
        store = objects.objects()
        if store is None:
            raise CommandError("There is no object store: FONODROME_OBJECTS names its bucket.")
        sent, missing = 0, 0
        for blob in Blob.objects.order_by("created_at").iterator():
            path = local_path(blob)
            if path.exists():
                objects.put(store, blob.storage_name, path)
                sent += 1
            else:
                missing += not store.exists(blob.storage_name)
        self.stdout.write(f"{sent} sounds are in the store, {missing} are nowhere.")
        if missing:
            raise CommandError("Some sounds are neither here nor in the store.")
