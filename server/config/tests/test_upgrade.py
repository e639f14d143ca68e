"""An installation of any age is brought up to date: people at work before each change of what is stored, their
work read by the program of today.

The whole history runs once over an empty database. Wherever a migration touches rows, somebody's studio is put in
just before it, so that it meets rows of every older age.
"""

import io
import uuid
from collections import Counter
from collections.abc import Iterator
from typing import Any

from django.contrib.auth.models import update_last_login
from django.core.management import call_command
from django.db import connection, models
from django.db.migrations import RunPython
from django.db.migrations.executor import MigrationExecutor
from django.test import Client, SimpleTestCase, TransactionTestCase

from core.blend.kept import KeptBlend
from core.routing import load_rig
from server.accounts.models import User
from server.log.models import LogEntry
from server.renders.models import Render
from server.rigs.models import Rig, Variant, VariantEdit, parts_of
from server.songs.models import Song

PLACE = "fonodrome_upgraded"
QUARTERS = {"tempo_bpm": 120.0, "beat_unit": "1/4", "metre_count": 4, "metre_unit": 4, "bars": None}
# A source and an output, and what stood between them, as each version of the document wrote it.
SOURCE = {"kind": "source", "id": "g", "name": "Cornet"}
OUTPUT = {"kind": "output", "id": "o"}
WAY = {"g.0": {"target": "x"}, "x.0": {"target": "o"}}


def document(version: int, part: dict[str, Any], **output: Any) -> dict[str, Any]:
    nodes = {"g": SOURCE, "x": {"id": "x", **part}, "o": {**OUTPUT, **output}}
    title = {"title": "Called otherwise"}
    if version == 0:
        arcs = [{"from": "g", "to": "x"}, {"from": "x", "to": "o"}]
        return {"version": 0, **title, "nodes": list(nodes.values()), "arcs": arcs}
    return {"version": version, **title, "nodes": nodes, "rails": WAY}


LEVEL = {"kind": "level", "level_db": -4}
FRAME = {
    "kind": "frame", "size": 6, "order": "BA", "half": "whole",
    "slots": [
        {"label": "A", "stage": {"kind": "level", "id": "a", "level_db": -1}},
        {"label": "B", "stage": {"kind": "level", "id": "b", "level_db": -2, "name": "Pier B"}},
    ],
    "sections": [],
}  # fmt: skip
DOCUMENTS = (
    document(0, LEVEL),
    document(1, LEVEL, crest_db=16),
    document(2, {"kind": "ducker", "duck_percent": 41, "pre_gain_db": -3}),
    document(3, FRAME),
    document(4, LEVEL),
)


def read(age: int, rig: Any) -> Any:
    """What is asked of each document once it is read, and what it has to be: by hand."""
    x = rig.nodes["x"]
    return (
        lambda: (x.level_db, -4),
        lambda: ((x.level_db, rig.nodes["g"].crest_db), (-4, 16)),
        lambda: ((x.sensitivity_percent, x.follower_gain_db), (41, -3)),
        # The processors in the places where they stood, called up in the order of the letters.
        lambda: ([s.stage.level_db for s in sorted(x.sidings, key=lambda s: s.place)], [-1, -2]),
        lambda: (x.level_db, -4),
    )[age]()


def make(apps: Any, app: str, table: str, /, **values: Any) -> Any:
    """A row of that age with what it has room for; None where there is no such table yet."""
    try:
        model = apps.get_model(app, table)
    except LookupError:
        return None
    there = {f.name: f for f in model._meta.get_fields() if isinstance(f, models.Field)}
    known = {there[k].attname: v for k, v in values.items() if k in there}
    rows = {k: v.pk if isinstance(v, models.Model) else v for k, v in known.items()}
    return model._base_manager.create(**rows)


def at_work(apps: Any, age: int) -> set[str]:
    """Somebody with a song, a rig that was edited, a clip, a render and a line in the log: tables that there
    were for these.
    """
    name = f"Müller {age}"
    user = make(apps, "accounts", "User", username=name, password="!", looks=f"muller {age}")
    ducking = {"duck_percent": 33.0, "depth_db": 6.0}
    blend = {"threshold_db": -31.0, "ratio": 5.0}
    if ("songs", "0004_kept_blend") in apps.done:
        blend = {"parallel": blend}
    if ("songs", "0006_ducker_words") in apps.done:
        ducking = {"sensitivity_percent": 33.0, "depth_db": 6.0}
    song = make(
        apps, "songs", "Song", owner=user, title=f"Tide Table {age}", tempo_map=[QUARTERS],
        blend=blend, space={"ducking": ducking}, delays=[{"name": "Lead", "value": "1/8."}],
    )  # fmt: skip
    made = {"song": song}
    if song is None:
        return set()
    made["note"] = make(
        apps, "log", "LogEntry", song=song, step="log", kind="note", title="Kept", text="Rosin"
    )
    rig = made["rig"] = make(apps, "rigs", "Rig", song=song, name=f"Pier {age}")
    if rig is None:
        return {name for name, row in made.items() if row}
    stored = DOCUMENTS[age % len(DOCUMENTS)]
    if ("rigs", "0004_one_title") in apps.done:
        stored = {**stored, "title": rig.name}
    variant = make(
        apps, "rigs", "Variant", rig=rig, position=0, document=stored, moves=[],
        parts=parts_of(load_rig(stored).model_dump(mode="json")), found_by='"source"\ncornet\npier b',
    )  # fmt: skip
    make(
        apps, "rigs", "VariantEdit", variant=variant, number=1, action={"do": "set"},
        changes=[{"key": "node/g/level_dbfs", "before": None, "after": None}], said="A step",
        created_at=None,
    )  # fmt: skip
    blob = make(apps, "clips", "Blob", digest=f"{age:064x}", size_bytes=4)
    clip = make(apps, "clips", "Clip", song=song, name="take.wav", blob=blob, status="done")
    for _ in range(2 if ("renders", "0007_made_once") not in apps.done else 1):
        make(
            apps, "renders", "Render", variant=variant, clip=clip, source="g", output="o",
            digest=f"{age}", document=DOCUMENTS[0], status="queued",
            feeds=[{"source": "g", "placements": [{"clip": str(clip and clip.pk)}], "silent": False}],
        )  # fmt: skip
    return {name for name, row in made.items() if row}


class Complete(SimpleTestCase):
    databases = {"default"}

    def test_every_change_of_a_model_has_its_migration(self):
        said = io.StringIO()
        try:
            call_command("makemigrations", check=True, dry_run=True, stdout=said)
        except SystemExit:
            self.fail(f"A migration is missing:\n{said.getvalue()}")


class Upgrade(TransactionTestCase):
    def setUp(self):
        self.was = connection.settings_dict["NAME"]
        with connection.cursor() as cursor:
            cursor.execute(f"DROP DATABASE IF EXISTS {PLACE}")
            cursor.execute(f"CREATE DATABASE {PLACE}")
        self.into(PLACE)
        self.addCleanup(self.back)

    def into(self, name: str) -> None:
        connection.close()
        connection.settings_dict["NAME"] = name

    def back(self) -> None:
        self.into(self.was)
        with connection.cursor() as cursor:
            cursor.execute(f"DROP DATABASE {PLACE}")

    def stretches(self, plan: list) -> Iterator[list]:
        """The history in parts, each of which ends before rows are touched."""
        part: list = []
        for migration in plan:
            ours = not migration.__module__.startswith(("django.", "procrastinate."))
            if part and ours and any(isinstance(o, RunPython) for o in migration.operations):
                yield part
                part = []
            part.append(migration)
        yield part

    def test_rows_of_every_age_are_read_by_the_program_of_today(self):
        executor = MigrationExecutor(connection)
        whole = [m for m, _ in executor.migration_plan(executor.loader.graph.leaf_nodes())]
        ages, made = 0, Counter()
        for part in self.stretches(whole):
            executor = MigrationExecutor(connection)
            state = executor.migrate([(m.app_label, m.name) for m in part])
            apps = state.apps
            apps.done = set(MigrationExecutor(connection).loader.applied_migrations)
            made.update(at_work(apps, ages))
            ages += 1
        # Nine migrations touch rows; the last studio is of today's tables.
        self.assertGreaterEqual(ages, 10)
        self.assertEqual(MigrationExecutor(connection).migration_plan(executor.loader.graph.leaf_nodes()), [])  # fmt: skip
        self.look(ages, made)

    def look(self, ages: int, made: Counter[str]) -> None:
        self.assertEqual(User.objects.count(), ages)
        kept = {
            "song": Song.objects.count(), "rig": Rig.objects.count(),
            "note": LogEntry.objects.filter(text="Rosin").count(),
        }  # fmt: skip
        self.assertEqual(kept, dict(made))
        self.assertGreater(min(kept.values()), 5)
        seen = 0
        for song in Song.objects.order_by("created_at"):
            age = int(song.title.rpartition(" ")[2])
            with self.subTest(age=age):
                kept = KeptBlend.model_validate(song.blend)
                self.assertEqual((kept.parallel.threshold_db, kept.parallel.ratio), (-31, 5))
                self.assertEqual(song.space["ducking"], {"sensitivity_percent": 33, "depth_db": 6})
                for variant in Variant.objects.filter(rig__song=song):
                    rig = load_rig(variant.document)
                    got, expected = read(age % len(DOCUMENTS), rig)
                    self.assertEqual(got, expected)
                    self.assertIn("cornet", variant.found_by)
                    if age % len(DOCUMENTS) == 3:
                        self.assertIn("pier b", variant.found_by)
                    self.assertEqual(VariantEdit.objects.get(variant=variant).said, "A step")
                    self.opened(song, variant)
                    seen += 1
        self.assertEqual(seen, made["rig"])
        for render in Render.objects.all():
            (feed,) = render.feeds
            self.assertEqual((feed["source"], feed["placements"][0]["clip"]), ("g", str(render.clip_id)))  # fmt: skip
        # Of a render that was asked for twice one goes on.
        going = Render.objects.filter(cancel_requested=False).values_list("digest", flat=True)
        self.assertEqual(len(going), len(set(going)))
        self.assertGreater(Render.objects.count(), len(going))

    def opened(self, song: Song, variant: Variant) -> None:
        """In the running program: the page's own requests, and an edit."""
        update_last_login(None, song.owner)
        client = Client()
        client.force_login(song.owner, "django.contrib.auth.backends.ModelBackend")
        listed = client.get("/api/v1/songs").json()
        self.assertEqual([one["title"] for one in listed], [song.title])
        body = {
            "id": str(uuid.uuid4()), "base_revision": variant.revision,
            "action": {"do": "set", "node": "g", "values": {"level_dbfs": -23}},
        }  # fmt: skip
        path = f"/api/v1/variants/{variant.pk}"
        done = client.post(f"{path}/edits", body, content_type="application/json")
        self.assertEqual(done.status_code, 200, done.content)
        # An older title of a document gave way to the rig's name.
        self.assertEqual(done.json()["document"]["title"], variant.rig.name)
        self.assertEqual(client.post(f"{path}/undo").status_code, 200)
