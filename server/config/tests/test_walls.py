"""Nobody sees or changes what is another's: every endpoint, from one table."""

import json
import uuid

from django.test import Client, TestCase
from django.utils import timezone

from core.edge import Edge
from server.bench.models import Measurement
from server.clips.models import SuggestedPair, Upload
from server.config.api import api
from server.config.examples import BODIES
from server.devices.models import Device, Panel
from server.log.models import NotePicture
from server.renders.models import Export, Render
from server.rigs.services import create_rig
from server.setlists.models import SetList
from server.shares.models import ShareLink
from server.snapshots.keeping import keep
from server.testing import QUARTERS, clip_in, noise, person, song_for, wav_bytes
from server.tokens.services import make_token
from server.trials.models import Trial
from server.verify.models import NullTest
from server.wishes.models import Search

DEVICE = {"name": "x", "min_ms": 1, "max_ms": 100, "step_ms": 1}
FIGURE = {"frame": {}, "pattern": {"played": [{"slot": 0}]}, "line": {}}
# Open to everybody; everything else answers 401 without a session.
PUBLIC = {
    ("GET", "/session"),
    ("POST", "/session"),
    ("POST", "/accounts"),
    ("POST", "/demo"),
    # By a link that somebody was given: server/shares/tests says what it shows.
    ("GET", "/shared/{token}"),
    ("GET", "/shared/{token}/sheets/{variant_id}"),
    ("GET", "/shared/{token}/renders/{render_id}"),
}
# For signed-in people, about nobody's things in particular; what-if questions with walls of their own.
OWN = {
    **{key: BODIES[key] for key in BODIES if key[1].startswith("/compute/")},
    ("DELETE", "/session"): None,
    ("POST", "/password"): {"old_password": "x", "new_password": "y"},
    ("GET", "/songs"): None,
    ("POST", "/songs"): {"title": "x", "tempo_map": [QUARTERS]},
    ("GET", "/deleted"): None,
    ("GET", "/devices"): None,
    ("GET", "/studio/file"): None,
    ("POST", "/songs/file"): None,
    ("GET", "/panels"): None,
    ("GET", "/find"): None,
    ("PUT", "/panels"): {"name": "x"},
    ("GET", "/panels/file"): None,
    ("POST", "/panels/file"): {"file": {"panels": []}},
    ("GET", "/sheet-schema"): None,
    ("GET", "/set-lists"): None,
    ("GET", "/tokens"): None,
    ("GET", "/wish-kinds"): None,
    ("POST", "/tokens"): {"name": "x"},
    ("GET", "/ten-calls"): None,
    ("POST", "/set-lists"): {"name": "x"},
    ("GET", "/bench"): None,
    ("GET", "/bench/signals/{kind}.wav"): None,
    ("GET", "/proof-schema"): None,
    ("POST", "/devices"): DEVICE,
    ("GET", "/rig-kinds"): None,
    ("GET", "/rig-templates"): None,
    ("GET", "/practice-trials"): None,
}
# About one thing: (which thing, body). A stranger gets 404, as if it were not there.
THINGS = {
    ("GET", "/songs/{song_id}"): ("song", None),
    ("PATCH", "/songs/{song_id}"): ("song", {"base_revision": 1, "changes": {"title": "mine"}}),
    ("DELETE", "/songs/{song_id}"): ("song", None),
    ("POST", "/songs/{song_id}/duplicate"): ("song", None),
    ("POST", "/songs/{song_id}/restore"): ("song", None),
    ("GET", "/songs/{song_id}/steps"): ("song", None),
    ("GET", "/songs/{song_id}/exercises"): ("song", None),
    ("PUT", "/songs/{song_id}/hand"): ("song", {}),
    ("GET", "/songs/{song_id}/deleted"): ("song", None),
    ("POST", "/songs/{song_id}/deleted/{part_id}/restore"): ("song", None),
    ("GET", "/songs/{song_id}/tempo-map.mid"): ("song", None),
    ("POST", "/songs/{song_id}/figure.wav"): ("song", FIGURE),
    ("POST", "/songs/{song_id}/figure.mid"): ("song", FIGURE),
    ("GET", "/clips/{clip_id}/tempo"): ("clip", None),
    ("POST", "/clips/{clip_id}/take"): ("clip", {"frame": {}, "pattern": {}}),
    ("PUT", "/devices/{device_id}"): ("device", DEVICE),
    ("DELETE", "/devices/{device_id}"): ("device", None),
    ("POST", "/songs/{song_id}/uploads"): ("song", {"name": "a.wav", "size_bytes": 3}),
    ("GET", "/songs/{song_id}/clips"): ("song", None),
    ("GET", "/songs/{song_id}/pairs"): ("song", None),
    ("GET", "/uploads/{upload_id}"): ("upload", None),
    ("PUT", "/uploads/{upload_id}"): ("upload", None),
    ("POST", "/uploads/{upload_id}/finish"): ("upload", None),
    ("DELETE", "/uploads/{upload_id}"): ("upload", None),
    ("GET", "/clips/{clip_id}"): ("clip", None),
    ("PATCH", "/clips/{clip_id}"): ("clip", {"name": "mine"}),
    ("DELETE", "/clips/{clip_id}"): ("clip", None),
    ("POST", "/clips/{clip_id}/accept"): ("clip", None),
    ("POST", "/clips/{clip_id}/cancel"): ("clip", None),
    ("POST", "/clips/{clip_id}/restore"): ("clip", None),
    ("GET", "/songs/{song_id}/null-tests"): ("song", None),
    ("POST", "/songs/{song_id}/null-tests"): (
        "song",
        {"clip_a": str(uuid.uuid4()), "clip_b": str(uuid.uuid4())},
    ),
    ("GET", "/songs/{song_id}/two-paths"): ("song", None),
    ("POST", "/songs/{song_id}/null-batches"): (
        "song",
        {"reference": str(uuid.uuid4()), "others": [str(uuid.uuid4())]},
    ),
    ("GET", "/null-tests/{test_id}/proof"): ("test", None),
    ("GET", "/songs/{song_id}/measurements"): ("song", None),
    ("POST", "/songs/{song_id}/measurements"): (
        "song",
        {"signal": {"kind": "delay"}, "stand_in": "long-delay"},
    ),
    ("GET", "/measurements/{measurement_id}"): ("measurement", None),
    ("GET", "/measurements/{measurement_id}/proof"): ("measurement", None),
    ("POST", "/measurements/{measurement_id}/cancel"): ("measurement", None),
    ("DELETE", "/measurements/{measurement_id}"): ("measurement", None),
    ("POST", "/measurements/{measurement_id}/restore"): ("measurement", None),
    ("GET", "/null-tests/{test_id}"): ("test", None),
    ("PATCH", "/null-tests/{test_id}"): ("test", {"limit": {"kind": "dbfs", "value_db": 80}}),
    ("GET", "/null-tests/{test_id}/reach"): ("test", None),
    ("GET", "/null-tests/{test_id}/corrections"): ("test", None),
    ("GET", "/null-tests/{test_id}/balance"): ("test", None),
    ("POST", "/null-tests/{test_id}/cancel"): ("test", None),
    ("DELETE", "/null-tests/{test_id}"): ("test", None),
    ("POST", "/null-tests/{test_id}/restore"): ("test", None),
    ("GET", "/null-tests/{test_id}/audio/{which}"): ("test", None),
    ("GET", "/songs/{song_id}/rigs"): ("song", None),
    ("POST", "/songs/{song_id}/rigs"): ("song", {"name": "x"}),
    ("PATCH", "/rigs/{rig_id}"): ("rig", {"name": "mine"}),
    ("DELETE", "/rigs/{rig_id}"): ("rig", None),
    ("POST", "/rigs/{rig_id}/restore"): ("rig", None),
    ("POST", "/rigs/{rig_id}/duplicate"): ("rig", None),
    ("POST", "/rigs/{rig_id}/variants"): ("rig", {}),
    ("GET", "/rigs/{rig_id}/minis"): ("rig", None),
    ("GET", "/variants/{variant_id}"): ("variant", None),
    ("PATCH", "/variants/{variant_id}"): ("variant", {"name": "mine", "promote": True}),
    ("DELETE", "/variants/{variant_id}"): ("variant", None),
    ("POST", "/variants/{variant_id}/edits"): (
        "variant",
        {"base_revision": 1, "action": {"do": "rig", "title": "mine"}},
    ),
    ("POST", "/variants/{variant_id}/restore"): ("variant", None),
    ("GET", "/variants/{variant_id}/history"): ("variant", None),
    ("GET", "/variants/{variant_id}/scenes"): ("variant", None),
    ("POST", "/variants/{variant_id}/history/{number}"): ("variant", None),
    ("POST", "/variants/{variant_id}/undo"): ("variant", None),
    ("POST", "/variants/{variant_id}/redo"): ("variant", None),
    ("POST", "/variants/{variant_id}/convert"): ("variant", {"node": "x", "to": "return"}),
    ("POST", "/variants/{variant_id}/wishes"): ("variant", {}),
    ("POST", "/variants/{variant_id}/proposals"): ("variant", {}),
    ("POST", "/variants/{variant_id}/trade"): ("variant", {"one": 0, "other": 1}),
    ("GET", "/searches/{search_id}"): ("search", None),
    ("POST", "/searches/{search_id}/cancel"): ("search", None),
    ("POST", "/variants/{variant_id}/try"): (
        "variant",
        {"action": {"do": "bypass", "node": "x"}},
    ),
    ("POST", "/variants/{variant_id}/landings"): (
        "variant",
        {"lay": {"do": "lay", "by": "split", "starts": ["x.0"], "to": "output"}},
    ),
    ("POST", "/variants/{variant_id}/copy"): ("variant", {"nodes": ["x"]}),
    ("GET", "/variants/{variant_id}/patch.csv"): ("variant", None),
    ("GET", "/variants/{variant_id}/sheet"): ("variant", None),
    ("DELETE", "/panels/{panel_id}"): ("panel", None),
    ("GET", "/variants/{variant_id}/layout"): ("variant", None),
    ("GET", "/variants/{variant_id}/returns"): ("variant", None),
    ("POST", "/variants/{variant_id}/course-levels"): ("variant", {}),
    ("POST", "/variants/{variant_id}/tail"): ("variant", {"gaps_s": [0.5]}),
    ("GET", "/variants/{variant_id}/orders"): ("variant", None),
    ("POST", "/variants/{variant_id}/orders"): ("variant", {"order": "send:echo"}),
    ("GET", "/rigs/{rig_id}/renders"): ("rig", None),
    ("POST", "/variants/{variant_id}/renders"): (
        "variant",
        {"clip": str(uuid.uuid4()), "output": "main"},
    ),
    ("GET", "/renders/{render_id}"): ("render", None),
    ("POST", "/renders/{render_id}/cancel"): ("render", None),
    ("GET", "/renders/{render_id}/audio"): ("render", None),
    ("GET", "/renders/{render_id}/stems"): ("render", None),
    ("GET", "/renders/{render_id}/detail"): ("render", None),
    ("GET", "/renders/{render_id}/balance"): ("render", None),
    ("POST", "/renders/{render_id}/level"): ("render", {"gains": [1.0]}),
    ("GET", "/renders/{render_id}/settings"): ("render", None),
    ("POST", "/renders/{render_id}/heard"): ("render", {}),
    ("POST", "/renders/{render_id}/against"): (
        "render",
        {"other": str(uuid.uuid4()), "other_gains": [1.0]},
    ),
    ("POST", "/renders/{render_id}/late"): (
        "render",
        {"other": str(uuid.uuid4()), "other_gains": [1.0]},
    ),
    ("POST", "/songs/{song_id}/null-of-renders"): (
        "song",
        {"a": {"render": str(uuid.uuid4())}, "b": {"render": str(uuid.uuid4())}},
    ),
    ("POST", "/renders/{render_id}/exports"): ("render", {}),
    ("GET", "/exports/{export_id}"): ("export", None),
    ("POST", "/exports/{export_id}/cancel"): ("export", None),
    ("GET", "/exports/{export_id}/file"): ("export", None),
    ("GET", "/rigs/{rig_id}/feeds"): ("rig", None),
    ("PUT", "/rigs/{rig_id}/feeds/{source}"): ("rig", {"feed": {"source": "guitar"}}),
    ("POST", "/rigs/{rig_id}/test-set"): ("rig", None),
    ("GET", "/variants/{variant_id}/places"): ("variant", None),
    ("GET", "/variants/{variant_id}/moves"): ("variant", None),
    ("GET", "/variants/{variant_id}/moves.mid"): ("variant", None),
    ("PUT", "/variants/{variant_id}/moves"): ("variant", {"moves": []}),
    ("GET", "/variants/{variant_id}/moved"): ("variant", None),
    ("GET", "/songs/{song_id}/trials"): ("song", None),
    ("POST", "/songs/{song_id}/trials"): (
        "song",
        {"a": str(uuid.uuid4()), "b": str(uuid.uuid4())},
    ),
    ("POST", "/songs/{song_id}/practice"): ("song", {"kind": "level", "clip": str(uuid.uuid4())}),
    ("GET", "/songs/{song_id}/log"): ("song", None),
    ("POST", "/songs/{song_id}/log"): ("song", {"text": "x"}),
    ("GET", "/songs/{song_id}/log.csv"): ("song", None),
    ("POST", "/songs/{song_id}/pictures"): ("song", None),
    ("GET", "/pictures/{picture_id}"): ("picture", None),
    ("GET", "/songs/{song_id}/file"): ("song", None),
    ("GET", "/set-lists/{list_id}"): ("list", None),
    ("GET", "/songs/{song_id}/links"): ("song", None),
    ("POST", "/songs/{song_id}/links"): ("song", {"kind": "song"}),
    ("DELETE", "/links/{link_id}"): ("link", None),
    ("DELETE", "/tokens/{token_id}"): ("token", None),
    ("GET", "/set-lists/{list_id}/stage"): ("list", None),
    ("PUT", "/set-lists/{list_id}"): ("list", {"base_revision": 1, "values": {"name": "mine"}}),
    ("DELETE", "/set-lists/{list_id}"): ("list", None),
    ("POST", "/set-lists/{list_id}/restore"): ("list", None),
    ("GET", "/songs/{song_id}/snapshots"): ("song", None),
    ("POST", "/songs/{song_id}/snapshots"): ("song", {"name": "x"}),
    ("GET", "/snapshots/{snapshot_id}/changes"): ("snapshot", None),
    ("POST", "/snapshots/{snapshot_id}/go-back"): ("snapshot", {}),
    ("DELETE", "/snapshots/{snapshot_id}"): ("snapshot", None),
    ("POST", "/snapshots/{snapshot_id}/restore"): ("snapshot", None),
    ("POST", "/clips/{clip_id}/space"): ("clip", {"frame": {}}),
    ("POST", "/clips/{clip_id}/ducking"): ("clip", {"phrases": []}),
    ("POST", "/clips/{clip_id}/ducking-fit"): ("clip", {"target": {}, "way": "envelope"}),
    ("POST", "/clips/{clip_id}/parallel"): ("clip", {}),
    ("GET", "/trials/{trial_id}"): ("trial", None),
    ("GET", "/trials/{trial_id}/audio/{which}"): ("trial", None),
    ("POST", "/trials/{trial_id}/answers"): ("trial", {"number": 1, "choice": "a"}),
    ("POST", "/trials/{trial_id}/end"): ("trial", None),
}


def endpoints() -> set[tuple[str, str]]:
    found = set()
    for path, operations in api.get_openapi_schema()["paths"].items():
        for method in operations:
            found.add((method.upper(), path.removeprefix("/api/v1")))
    return found


class Walls(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.owner, cls.stranger = person("owner"), person("stranger")
        song = song_for(cls.owner)
        clip = clip_in(song, wav_bytes(noise(0.1)))
        SuggestedPair.objects.create(song=song, clip_a=clip, clip_b=clip, title="t", finding="f")
        upload = Upload.objects.create(owner=cls.owner, song=song, name="a.wav", size_bytes=3)
        test = NullTest.objects.create(
            song=song, clip_a=clip, clip_b=clip, options={}, limit={"kind": "relative"}
        )
        device = Device.objects.create(owner=cls.owner, **DEVICE)
        rig = create_rig(song, "Two sends", "send-return", None)
        snapshot = keep(song, "Before the tour", "named")
        rows = {
            "snapshot": snapshot,
            "song": song,
            "clip": clip,
            "upload": upload,
            "test": test,
            "device": device,
            "link": ShareLink.objects.create(song=song, kind="song", expires_at=timezone.now()),
            "token": make_token(cls.owner, "x", ["read"], 1)[0],
            "list": SetList.objects.create(owner=cls.owner, name="x", content={"name": "x"}),
            "panel": Panel.objects.create(owner=cls.owner, key="x", content={"name": "x"}),
        }
        rows |= {"rig": rig, "variant": rig.variants.get()}
        rows["render"] = Render.objects.create(
            variant=rows["variant"], clip=clip, output="main", digest="x",
            document={},
        )  # fmt: skip
        rows["export"] = Export.objects.create(render=rows["render"], form="wav", word="24")
        blob = clip.blob
        rows["trial"] = Trial.objects.create(
            song=song, title_a="a", title_b="b", blob_a=blob, blob_b=blob, length_s=1, total=4,
            order="abab",
        )  # fmt: skip
        rows["search"] = Search.objects.create(
            variant=rows["variant"], sort="proposals", asked={}, document={}
        )
        rows["measurement"] = Measurement.objects.create(
            song=song, signal={"kind": "delay"}, plan={}, stand_in="long-delay"
        )
        rows["picture"] = NotePicture.objects.create(
            song=song, blob=blob, kind="png", width=1, height=1, small=b""
        )
        cls.ids = {name: str(row.pk) for name, row in rows.items()}
        cls.rows = rows

    def send(self, client: Client, method: str, path: str, thing: str | None, body):
        for name in self.ids:
            path = path.replace(f"{{{name}_id}}", self.ids[name])
        path = (
            path.replace("{part_id}", str(uuid.uuid4()))
            .replace("{number}", "1")
            .replace("{source}", "guitar")
            .replace("{kind}", "delay")
        )
        path = path.replace("{which}", "a" if thing == "trial" else "residual")
        query = "?offset=0" if (method, thing) == ("PUT", "upload") else ""
        ids = f"?a={uuid.uuid4()}&b={uuid.uuid4()}"
        query = {
            "two-paths": ids,
            "find": "?words=a",
            "settings": "?wet_db=0",
            "places": "?output=main",
        }.get(path.split("/")[-1], query)
        return client.generic(
            method,
            f"/api/v1{path}{query}",
            json.dumps(body) if body is not None else "",
            content_type="application/json",
        )

    def test_every_endpoint_is_in_the_table(self):
        self.assertEqual(endpoints(), PUBLIC | set(OWN) | set(THINGS))

    def test_without_a_session_nothing_private_answers(self):
        for (method, path), (thing, body) in {
            **{key: (None, body) for key, body in OWN.items()},
            **THINGS,
        }.items():
            with self.subTest(method=method, path=path):
                answer = self.send(Client(), method, path, thing, body)
                self.assertEqual(answer.status_code, 401)
                self.assertIn("Sign in", answer.json()["detail"])

    def test_a_stranger_finds_nothing_and_changes_nothing(self):
        client = Client()
        client.force_login(self.stranger)
        before = {name: self.state(row) for name, row in self.rows.items()}
        for (method, path), (thing, body) in THINGS.items():
            with self.subTest(method=method, path=path):
                answer = self.send(client, method, path, thing, body)
                self.assertEqual(answer.status_code, 404, answer.content[:200])
        self.assertEqual(before, {name: self.state(row) for name, row in self.rows.items()})
        for path in ("/songs", "/devices"):
            listed = client.get(f"/api/v1{path}").content.decode()
            self.assertFalse([i for i in self.ids.values() if i in listed])

    def state(self, row) -> dict:
        row.refresh_from_db()
        held = {f.name: getattr(row, f.attname) for f in row._meta.fields}
        # The database gives binary content as a view of its own each time.
        return {n: bytes(v) if isinstance(v, memoryview) else v for n, v in held.items()}

    def test_a_request_from_another_site_is_refused(self):
        client = Client(enforce_csrf_checks=True)
        client.force_login(self.owner)
        for path in ("/songs", "/session", "/accounts", "/demo"):
            answer = client.post(f"/api/v1{path}", "{}", content_type="application/json")
            self.assertEqual(answer.status_code, 403, path)
            self.assertIn("out of date", answer.json()["detail"])

    def test_the_page_s_headers_are_strict(self):
        answer = Client().get("/")
        policy = answer.headers["Content-Security-Policy"]
        self.assertIn("script-src 'self';", policy + ";")
        self.assertNotIn("unsafe", policy)
        self.assertIn("frame-ancestors 'none'", policy)
        self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
        self.assertEqual(answer.headers["X-Frame-Options"], "DENY")
        nonce = policy.split("'nonce-")[1].split("'")[0]
        self.assertIn(f'content="{nonce}"', answer.content.decode())


class Published(TestCase):
    def test_every_call_has_an_example_that_its_own_shape_takes(self):
        paths = api.get_openapi_schema()["paths"]
        bodies = {
            (method, path): shape
            for _, router in api._routers for path, view in router.path_operations.items()
            for operation in view.operations for method in operation.methods
            for model in operation.models if model.__ninja_param_source__ == "body"
            for shape in [next(iter(model.model_fields.values())).annotation]
        }  # fmt: skip
        checked = set()
        for path, operations in paths.items():
            for method, operation in operations.items():
                with self.subTest(method=method, path=path):
                    self.assertTrue(operation["x-example"].startswith(f"curl -X {method.upper()} "))
                    self.assertNotIn("{", operation["x-example"].split(" -d ")[0])
                    content = operation.get("requestBody", {}).get("content", {})
                    if "application/json" not in content:
                        continue
                    example = content["application/json"]["example"]
                    short = path.removeprefix("/api/v1")
                    plain = short.removeprefix("/compute") if "/compute/" in short else short
                    own = [
                        s for (m, p), s in bodies.items()
                        if m == method.upper() and p.replace("uuidstr:", "") == plain
                    ]  # fmt: skip
                    self.assertEqual(len(own), 1)
                    own[0].model_validate(example)
                    checked.add((method.upper(), short))
        self.assertEqual(checked, set(BODIES))

    def test_the_examples_of_the_arithmetic_are_answered(self):
        client = Client()
        client.force_login(person("ada"))
        for (method, path), body in BODIES.items():
            if path.startswith("/compute/"):
                answer = client.post(
                    f"/api/v1{path}", json.dumps(body), content_type="application/json"
                )
                self.assertEqual(answer.status_code, 200, f"{path} {answer.content[:300]!r}")
                self.assertEqual(method, "POST")

    def test_no_two_shapes_of_the_api_share_a_name(self):
        """In the published schema the second would stand for both."""
        named = set(api.get_openapi_schema()["components"]["schemas"])
        found: dict[str, set[type]] = {}
        todo: list[type] = [Edge]
        while todo:
            for shape in todo.pop().__subclasses__():
                todo.append(shape)
                found.setdefault(shape.__name__, set()).add(shape)
        twice = {n: shapes for n, shapes in found.items() if len(shapes) > 1 and n in named}
        self.assertEqual(twice, {})
