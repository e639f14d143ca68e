"""Write the demo sounds and the demo songs that guests get a copy of. Can run again."""

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import connection, transaction

from core.audio import examine
from core.audio.demo import DEMO_CLIPS, DEMO_PAIRS, write_demo_clips
from core.delay import DelayLine, KeptFigure, Pattern, PlayedNote
from core.devices import SHIPPED
from core.routing import parse_rig
from core.routing.document.demo import DEMO_RIGS, DEMO_TEST_SETS
from core.space import KeptSpace
from core.tempo.song import TempoSection
from server.accounts.models import User
from server.clips.models import Clip, SuggestedPair
from server.clips.store import adopt
from server.jobs.models import Status
from server.rigs.feeds import set_test_set
from server.rigs.models import Rig, Variant
from server.songs.models import Song
from server.songs.queries import DEMO_OWNER

_LOCK = 7_303
PLAYERS = "baritone guitar, clarinet, hand percussion"
_SIX = TempoSection(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8)
SONGS: tuple[tuple[str, tuple[TempoSection, ...]], ...] = (
    ("Paper Lighthouse", (_SIX,)),
    ("Ferry in Fog", (TempoSection(tempo_bpm=63),)),
    (
        "Nine Lanterns",
        (
            TempoSection(name="Verse", bars=16, tempo_bpm=112),
            TempoSection(name="Turn", bars=4, tempo_bpm=112, metre_count=7, metre_unit=8),
            TempoSection(name="Rise", bars=8, tempo_bpm=112, ramp_to_bpm=126),
            TempoSection(name="Last verse", bars=16, tempo_bpm=126),
        ),
    ),
)
PEDAL = SHIPPED[0]
DELAYS = (
    DelayLine(
        name="Guitar delay", value="1/8.", feedback_percent=69, first_db=-6.5, device=PEDAL,
        low_cut_hz=120, high_cut_hz=5000,
    ),
    DelayLine(name="Lead throw", value="1/4", mode="ping-pong", feedback_percent=55, first_db=-4),
    DelayLine(name="Slap", value="118 ms", feedback_percent=0, first_db=-7),
)  # fmt: skip
# In six eight: a figure whose first and third echoes fall between the notes.
FIGURE = KeptFigure(
    pattern=Pattern(slots_per_beat=6, bars=2, played=tuple(
        PlayedNote(slot=s) for s in (0, 2, 4, 6, 10, 12, 14, 16, 18, 22)
    ))
)  # fmt: skip
# A tail that washes over two of its gaps.
SPACE = KeptSpace(rt60_s=1.25, pre_delay="1/64", school="fits", clip="Clarinet, phrases.wav")


class Command(BaseCommand):
    help = "Prepare the demo data"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--migrate", action="store_true", help="bring the database up to date first"
        )

    def handle(self, *args: object, **options: object) -> None:
        with connection.cursor() as cursor:
            # Of several machines that start at once one lays it out, and the others find it there.
            cursor.execute("SELECT pg_advisory_lock(%s)", [_LOCK])
        try:
            if options["migrate"]:
                call_command("migrate", interactive=False, stdout=self.stdout)
            self._lay_out()
        finally:
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_unlock(%s)", [_LOCK])

    def _lay_out(self) -> None:
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
                    tempo_map=[section.model_dump() for section in sections],
                    device=PEDAL.model_dump(mode="json"),
                    delays=[line.model_dump(mode="json") for line in DELAYS],
                    space=SPACE.model_dump(mode="json") if sections == (_SIX,) else None,
                    figure=FIGURE.model_dump(mode="json") if sections == (_SIX,) else None,
                    is_demo_original=True,
                )
                for title, sections in SONGS
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
            if song.rigs.filter(name=name).exists():
                continue
            with transaction.atomic():
                rig = Rig.objects.create(song=song, name=name, position=song.rigs.count())
                for position, (words, notation) in enumerate(notations):
                    document = parse_rig(notation).model_dump(mode="json")
                    Variant.objects.create(
                        rig=rig, position=position, name=words, document=document
                    )
                if name in DEMO_TEST_SETS:
                    set_test_set(rig)
