"""What the server's tests share: people, songs, clips made of real files, and a plain JSON client."""

import io
import json
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from django.db import connection
from django.test import Client, TestCase
from PIL import Image

from server.accounts.models import User
from server.clips.models import Clip
from server.clips.store import adopt, upload_path
from server.clips.tasks import decode_clip
from server.songs.models import Song

RATE = 48_000
QUARTERS = {"tempo_bpm": 120.0, "beat_unit": "1/4", "metre_count": 4, "metre_unit": 4, "bars": None}


def person(name: str = "ada") -> User:
    return User.objects.create_user(username=name, password="long enough 1")


def song_for(user: User, title: str = "Tide Table") -> Song:
    return Song.objects.create(owner=user, title=title, tempo_map=[QUARTERS])


def noise(seconds: float = 1.0, seed: int = 1, channels: int = 2) -> np.ndarray:
    """Rounded to 16 bits, so that copies can be exact in every format."""
    rng = np.random.default_rng(seed)
    return np.round(0.1 * rng.standard_normal((round(seconds * RATE), channels)) * 32768) / 32768


def wav_bytes(sound: np.ndarray, subtype: str = "PCM_24", format: str = "WAV") -> bytes:
    out = io.BytesIO()
    soundfile.write(out, sound, RATE, subtype=subtype, format=format)
    return out.getvalue()


def clip_in(song: Song, data: bytes, name: str = "take.wav") -> Clip:
    """A clip whose file went through the worker's own decoding."""
    part = f"test-{name}-{song.pk}".replace("/", "_")
    path: Path = upload_path(part)
    path.write_bytes(data)
    clip = Clip.objects.create(song=song, name=name, blob=adopt(path))
    decode_clip(clip_id=str(clip.pk))
    clip.refresh_from_db()
    return clip


class ApiCase(TestCase):
    """Signed in as `self.user`, talking JSON."""

    def setUp(self) -> None:
        self.user = person()
        self.client = Client()
        self.client.force_login(self.user)
        self.song = song_for(self.user)

    def call(self, method: str, path: str, body: Any = None, **extra: Any) -> Any:
        """(status, JSON) of a request."""
        options: dict[str, Any] = {"content_type": "application/json", **extra}
        if body is not None:
            options["data"] = json.dumps(body)
        answer = getattr(self.client, method)(f"/api/v1{path}", **options)
        is_json = "json" in answer.headers.get("Content-Type", "")
        return answer.status_code, answer.json() if is_json and answer.content else answer

    def refused(self, method: str, path: str, body: Any, status: int, words: str) -> Any:
        """Expect a problem with a sentence that holds `words`."""
        got, problem = self.call(method, path, body)
        self.assertEqual(got, status, problem)
        self.assertEqual(problem["status"], status)
        self.assertIn(words, problem["detail"])
        return problem


def picture_bytes(size: tuple[int, int] = (60, 40), kind: str = "PNG", **more: Any) -> bytes:
    """A picture whose left half is red and whose right half is blue."""
    made = Image.new("RGB", size, (200, 30, 30))
    made.paste((30, 30, 200), (size[0] // 2, 0, *size))
    out = io.BytesIO()
    made.save(out, kind, **more)
    return out.getvalue()


def together(*calls: Callable[[], Any]) -> list[Any]:
    """Each call in a thread of its own, all begun at the same moment: what they gave, or raised."""
    begin = threading.Barrier(len(calls), timeout=20)

    def run(call: Callable[[], Any]) -> Any:
        try:
            begin.wait()
            return call()
        except Exception as error:
            return error
        finally:
            connection.close()

    with ThreadPoolExecutor(len(calls)) as pool:
        return list(pool.map(run, calls))
