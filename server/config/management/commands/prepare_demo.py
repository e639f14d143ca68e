"""Write the demo sounds and the demo songs that guests get a copy of. Can run again."""

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import transaction

from core.audio import examine
from core.audio.demo import DEMO_CLIPS, DEMO_PAIRS, write_demo_clips
from core.devices import SHIPPED
from core.routing import parse_rig
from core.routing.demo import DEMO_RIGS
from core.tempo.song import TempoSection
from server.accounts.models import User
from server.clips.models import Clip, SuggestedPair
from server.clips.store import adopt
from server.jobs.models import Status
from server.rigs.models import Rig, Variant
from server.songs.models import Song
from server.songs.queries import DEMO_OWNER

PLAYERS = "baritone guitar, clarinet, hand percussion"
SONGS = (
    ("Paper Lighthouse", TempoSection(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8)),
    ("Ferry in Fog", TempoSection(tempo_bpm=63)),
    ("Nine Lanterns", TempoSection(tempo_bpm=112)),
)


class Command(BaseCommand):
    help = "Prepare the demo data"

    def handle(self, *args: object, **options: object) -> None:
        owner, _ = User.objects.get_or_create(
            username=DEMO_OWNER, defaults={"is_active": False, "password": "!"}
        )
        if Song.objects.filter(owner=owner, is_demo_original=True).exists():
            self.rigs(owner)
            return
        folder = settings.DATA_DIR / "demo"
        ready = []
        for count, (clip, path) in enumerate(write_demo_clips(folder), start=1):
            ready.append((clip.name, adopt(path, keep=True), examine(path).model_dump()))
            self.stdout.write(f"demo sound {count} of {len(DEMO_CLIPS)}")
        with transaction.atomic():
            songs = [
                Song.objects.create(
                    owner=owner,
                    title=title,
                    players=PLAYERS,
                    tempo_map=[section.model_dump()],
                    device=SHIPPED[0].model_dump(),
                    is_demo_original=True,
                )
                for title, section in SONGS
            ]
            clips = {
                name: Clip.objects.create(
                    song=songs[0], name=name, blob=blob, report=report, status=Status.DONE
                )
                for name, blob, report in ready
            }
            for pair in DEMO_PAIRS:
                SuggestedPair.objects.create(
                    song=songs[0],
                    clip_a=clips[pair.a],
                    clip_b=clips[pair.b],
                    title=pair.title,
                    finding=pair.finding,
                )
        self.rigs(owner)

    def rigs(self, owner: User) -> None:
        """Give the demo songs their rigs, where they have none yet."""
        for title, name, notations in DEMO_RIGS:
            song = Song.objects.get(owner=owner, is_demo_original=True, title=title)
            if song.rigs.exists():
                continue
            with transaction.atomic():
                rig = Rig.objects.create(song=song, name=name)
                for position, (words, notation) in enumerate(notations):
                    document = parse_rig(notation).model_dump(mode="json")
                    Variant.objects.create(
                        rig=rig, position=position, name=words, document=document
                    )
