"""Tokens: hashed, shown once, as far as their scopes go, until they end; and the ten calls."""

import http.client
import json
import shlex
import string
from datetime import timedelta
from urllib.parse import urlsplit

from django.test import Client, LiveServerTestCase
from django.utils import timezone

from server.accounts.models import User
from server.clips.models import Clip
from server.clips.tasks import decode_clip
from server.testing import ApiCase, noise, person, song_for, wav_bytes
from server.tokens import services
from server.tokens.models import Token
from server.tokens.ten_calls import as_markdown, typed
from server.verify.models import NullTest
from server.verify.tasks import run_null_test


def with_token(token):
    return Client(enforce_csrf_checks=True, headers={"Authorization": f"Bearer {token}"})


class Tokens(ApiCase):
    def made(self, scopes=("read",), **more):
        status, out = self.call(
            "post", "/tokens", {"name": "nulls", "scopes": list(scopes), **more}
        )
        self.assertEqual(status, 200, out)
        return out

    def test_it_is_shown_once_and_kept_as_a_hash(self):
        out = self.made()
        self.assertGreater(len(out["token"]), 45)
        row = Token.objects.get()
        kept = json.dumps({f.name: str(getattr(row, f.name)) for f in row._meta.fields})
        self.assertNotIn(out["token"], kept)
        self.assertNotIn(out["token"].removeprefix(services.BEGINS), kept)
        listed = self.call("get", "/tokens")[1]
        self.assertEqual(
            [(t["name"], t["ends_in"]) for t in listed], [("nulls", out["token"][-4:])]
        )
        self.assertNotIn("token", listed[0])

    def test_scopes_are_as_far_as_it_goes(self):
        new = {"title": "By script", "tempo_map": [{"tempo_bpm": 90}]}
        path = f"/api/v1/songs/{self.song.pk}"
        for scopes, wanted in (
            (("read",), (200, 403, 403)),
            (("write",), (403, 200, 403)),
            (("read", "write"), (200, 200, 403)),
            (("delete",), (403, 403, 204)),
        ):
            client = with_token(self.made(scopes)["token"])
            got = (
                client.get("/api/v1/songs").status_code,
                client.post("/api/v1/songs", json.dumps(new), content_type="application/json").status_code,
                client.delete(path).status_code,
            )  # fmt: skip
            self.assertEqual(got, wanted, scopes)
        refused = with_token(self.made(("read",))["token"]).delete(path).json()
        self.assertIn("lacks “delete”", refused["detail"])

    def test_another_s_things_are_not_there_by_token_either(self):
        other = song_for(person("bob"))
        client = with_token(self.made(("read", "write", "delete"))["token"])
        self.assertEqual(client.get(f"/api/v1/songs/{other.pk}").status_code, 404)
        self.assertEqual(client.delete(f"/api/v1/songs/{other.pk}").status_code, 404)

    def test_what_has_ended_is_refused_even_beside_a_session(self):
        out = self.made()
        row = Token.objects.get()

        def answered():
            return self.client.get(
                "/api/v1/songs", headers={"Authorization": f"Bearer {out['token']}"}
            ).status_code

        self.assertEqual(answered(), 200)
        Token.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
        self.assertEqual(answered(), 401)
        Token.objects.update(expires_at=timezone.now() + timedelta(days=1))
        self.assertEqual(answered(), 200)
        User.objects.update(is_active=False)
        self.assertEqual(answered(), 401)
        User.objects.update(is_active=True)
        self.client.force_login(self.user)
        self.assertEqual(self.call("delete", f"/tokens/{row.pk}")[0], 204)
        self.assertEqual(answered(), 401)
        for wrong in ("", "x", out["token"][:-1], out["token"] + "a", "fonodrome_" + "é"):
            got = self.client.get("/api/v1/songs", headers={"Authorization": f"Bearer {wrong}"})
            self.assertEqual(got.status_code, 401, wrong)

    def test_a_token_makes_no_tokens_and_touches_no_password(self):
        client = with_token(self.made(("read", "write", "delete"))["token"])
        for method, path, body in (
            ("post", "/tokens", {"name": "wider"}),
            ("get", "/tokens", None),
            ("delete", f"/tokens/{Token.objects.get().pk}", None),
            ("post", "/password", {"old_password": "long enough 1", "new_password": "taken over 22"}),
        ):  # fmt: skip
            answer = getattr(client, method)(
                f"/api/v1{path}", json.dumps(body or {}), content_type="application/json"
            ) if method != "get" else client.get(f"/api/v1{path}")  # fmt: skip
            self.assertIn(answer.status_code, (401, 403), path)
        self.user.refresh_from_db()
        self.assertTrue(self.user.check_password("long enough 1"))

    def test_its_use_is_noted_to_the_minute_without_a_write_each_time(self):
        token = self.made()["token"]
        now = timezone.now()
        services.known(token, now)
        first = Token.objects.get().used_at
        services.known(token, now + timedelta(seconds=30))
        self.assertEqual(Token.objects.get().used_at, first)
        services.known(token, now + timedelta(seconds=90))
        self.assertGreater(Token.objects.get().used_at, first)

    def test_bad_wishes_get_a_sentence(self):
        for bad, words in (
            ({"name": " "}, "Name"),
            ({"name": "x", "scopes": []}, "Scopes"),
            ({"name": "x", "scopes": ["all"]}, "read"),
            ({"name": "x", "days": 0}, "Days"),
            ({"name": "x", "days": 4000}, "Days"),
        ):
            self.refused("post", "/tokens", bad, 422, words)
        self.user.is_guest = True
        self.user.save()
        self.refused("post", "/tokens", {"name": "x"}, 422, "Sign up first")


class TenCalls(LiveServerTestCase):
    """As they are typed, one after the other, over the wire."""

    def test_they_go_from_two_files_to_a_verdict(self):
        _, token = services.make_token(person(), "ten", ["read", "write"], 1)
        sound = noise(1.0)
        files = {"before.wav": wav_bytes(sound), "after.wav": wav_bytes(sound * 0.5)}
        known = {"TOKEN": token, "SIZE_A": str(len(files["before.wav"])), "SIZE_B": str(len(files["after.wav"]))}  # fmt: skip
        calls = typed(self.live_server_url)
        self.assertEqual(len(calls), 10)
        for n, call in enumerate(calls):
            status, answer = self.send(string.Template(call.typed.replace("\\\n", "")).substitute(known), files)  # fmt: skip
            self.assertEqual(status, 200, f"{call.typed} {answer[:300]!r}")
            for said in filter(None, call.then.split("; ")):
                name, field = said.split(" is its ")
                known[name.strip("$")] = json.loads(answer)[field.strip("“”")]
            if "finish" in call.typed:
                decode_clip(clip_id=known[f"CLIP_{'A' if n < 5 else 'B'}"])
            if "null-tests" in call.typed and "TEST" in known and n == 7:
                run_null_test(test_id=known["TEST"])
            if n == 8:
                said = json.loads(answer)
                self.assertEqual(said["status"], "done")
                # Half the level is 6.02 dB down, and nothing else.
                self.assertIn("6.02 dB", said["result"]["sentence"])
        self.assertEqual((Clip.objects.count(), NullTest.objects.count()), (2, 1))
        self.assertIn("before.wav", answer.decode())
        for call in calls:
            self.assertIn(call.title, as_markdown())

    def send(self, line, files):
        words = shlex.split(line)
        self.assertEqual(words[:2], ["curl", "-X"])
        method, url, headers, body = words[2], urlsplit(words[3]), {}, None
        for flag, value in zip(words[4::2], words[5::2], strict=True):
            if flag == "-H":
                name, _, said = value.partition(": ")
                headers[name] = said
            elif flag == "-d":
                body = value.encode()
            else:
                self.assertEqual(flag, "--data-binary")
                body = files[value.removeprefix("@")]
        wire = http.client.HTTPConnection(url.hostname, url.port)
        wire.request(method, f"{url.path}{'?' + url.query if url.query else ''}", body, headers)
        answer = wire.getresponse()
        return answer.status, answer.read()
