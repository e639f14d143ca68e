"""An example of every call, for the published description of the API.

Bodies stand here by method and path; a test asks every one of them of its own shape, and sends those of
the arithmetic that needs no account.
"""

import json
from typing import Any

from ninja import NinjaAPI

_ID = "0b6c3f6e-6a53-4c1e-9a52-3d5f0c9a1d11"
_OTHER = "7f1f8a52-33a5-4d0e-8f3b-7f0f6d1f2c22"
_TEMPO = {"tempo_bpm": 96, "beat_unit": "1/4", "metre_count": 4, "metre_unit": 4}
_FRAME = {**_TEMPO, "sample_rate_hz": 48_000}
_LINE = {"name": "Lead", "value": "1/8.", "feedback_percent": 35}
_PATTERN = {"slots_per_beat": 4, "bars": 1, "played": [{"slot": 0}, {"slot": 6}]}
_DEVICE = {"name": "Board delay", "min_ms": 20, "max_ms": 1200, "step_ms": 1}
_FIGURE = {"frame": _FRAME, "pattern": _PATTERN, "line": _LINE}
_LEVEL = {"do": "set", "node": "hall", "values": {"mix_percent": 30}}

BODIES: dict[tuple[str, str], Any] = {
    ("POST", "/session"): {"name": "ada", "password": "a long sentence of yours"},
    ("POST", "/accounts"): {"name": "ada", "password": "a long sentence of yours"},
    ("POST", "/password"): {
        "old_password": "a long sentence of yours", "new_password": "another long sentence",
    },
    ("POST", "/compute/quantity"): {"kind": "time", "text": "dotted eighth", "frame": _FRAME},
    ("POST", "/compute/time-ruler"): {"frame": _FRAME},
    ("POST", "/compute/tap-tempo"): {"taps_ms": [0, 626, 1249, 1876]},
    ("POST", "/compute/tempo-from-delay"): {"delay": "468 ms"},
    ("POST", "/compute/value-table"): {"frame": _FRAME},
    ("POST", "/compute/clock"): {"frame": _FRAME},
    ("POST", "/compute/tempo-map"): {"sections": [_TEMPO]},
    ("POST", "/compute/read-midi"): {
        "data_base64": "TVRoZAAAAAYAAQABA8BNVHJrAAAAEwD/UQMJiWgA/1gEBAIYCAD/LwA=",
    },
    ("POST", "/compute/device-reach"): {"frame": _FRAME, "device": _DEVICE},
    ("POST", "/compute/glide"): {"from_ms": 480, "to_ms": 320, "ramp_ms": 400},
    ("POST", "/compute/repeats"): {"frame": _FRAME, "line": _LINE},
    ("POST", "/compute/lattice"): {"frame": _FRAME, "pattern": _PATTERN, "line": _LINE},
    ("POST", "/compute/lattice-search"): {"frame": _FRAME, "pattern": _PATTERN, "line": _LINE},
    ("POST", "/compute/pattern"): {"text": "1 4 7 11"},
    ("POST", "/compute/figures"): {"frame": _FRAME},
    ("POST", "/compute/rig-view"): {
        "document": {
            "nodes": {
                "guitar": {"kind": "source", "id": "guitar", "name": "Guitar"},
                "main": {"kind": "output", "id": "main", "name": "Main"},
            },
            "rails": {"guitar.0": {"target": "main"}},
        }
    },
    ("POST", "/compute/mix-laws"): {},
    ("POST", "/compute/insert-to-parallel"): {"mix_percent": 35},
    ("POST", "/compute/parallel-compression"): {"threshold_db": -30, "ratio": 4},
    ("POST", "/compute/fit-length"): {"frame": _FRAME, "pre_delay": "1/64", "length": "1 bar"},
    ("POST", "/compute/room"): {},
    ("POST", "/compute/stereo"): {},
    ("POST", "/compute/levels"): {},
    ("POST", "/songs"): {"title": "Low Water", "tempo_map": [_TEMPO]},
    ("PATCH", "/songs/{song_id}"): {"base_revision": 1, "changes": {"delay_value": "1/4T"}},
    ("PUT", "/songs/{song_id}/hand"): {"step": "verify"},
    ("POST", "/songs/{song_id}/figure.wav"): _FIGURE,
    ("POST", "/songs/{song_id}/figure.mid"): _FIGURE,
    ("POST", "/devices"): _DEVICE,
    ("PUT", "/devices/{device_id}"): {**_DEVICE, "step_ms": 5},
    ("PUT", "/panels"): {
        "name": "Hall box",
        "controls": [{"field": "rt60_s", "shows": "clock", "low": 0.3, "high": 8}],
    },
    ("POST", "/panels/file"): {"file": {"panels": [{"name": "Hall box"}]}},
    ("POST", "/songs/{song_id}/uploads"): {"name": "before.wav", "size_bytes": 8_640_044},
    ("PATCH", "/clips/{clip_id}"): {"name": "Guitar, verse.wav"},
    ("POST", "/clips/{clip_id}/take"): {"frame": _FRAME, "pattern": _PATTERN},
    ("POST", "/clips/{clip_id}/space"): {"frame": _FRAME},
    ("POST", "/clips/{clip_id}/ducking"): {"phrases": []},
    ("POST", "/clips/{clip_id}/ducking-fit"): {"target": {}, "way": "envelope"},
    ("POST", "/clips/{clip_id}/parallel"): {"threshold_db": -30, "ratio": 4},
    ("POST", "/songs/{song_id}/null-tests"): {"clip_a": _ID, "clip_b": _OTHER},
    ("POST", "/songs/{song_id}/null-batches"): {"reference": _ID, "others": [_OTHER]},
    ("POST", "/songs/{song_id}/null-of-renders"): {
        "a": {"render": _ID}, "b": {"render": _OTHER},
    },
    ("PATCH", "/null-tests/{test_id}"): {"limit": {"kind": "relative", "value_db": 60}},
    ("POST", "/songs/{song_id}/measurements"): {"signal": {"kind": "delay"}, "stand_in": "long-delay"},
    ("PUT", "/variants/{variant_id}/moves"): {"moves": []},
    ("POST", "/variants/{variant_id}/orders"): {"order": "send:echo"},
    ("POST", "/variants/{variant_id}/renders"): {"output": "main", "clip": _ID},
    ("POST", "/renders/{render_id}/exports"): {"form": "flac", "word": "24", "stems": False},
    ("POST", "/renders/{render_id}/level"): {"gains": [1.0, 0.5]},
    ("POST", "/renders/{render_id}/heard"): {"gains": [1.0, 0.5]},
    ("POST", "/renders/{render_id}/against"): {"other": _OTHER, "other_gains": [1.0]},
    ("POST", "/renders/{render_id}/late"): {"other": _OTHER, "other_gains": [1.0]},
    ("POST", "/songs/{song_id}/trials"): {"a": _ID, "b": _OTHER},
    ("POST", "/songs/{song_id}/practice"): {"kind": "level", "clip": _ID},
    ("POST", "/trials/{trial_id}/answers"): {"number": 1, "choice": "a"},
    ("POST", "/songs/{song_id}/log"): {"text": "Took the darker return: less in the way of the voice."},
    ("POST", "/songs/{song_id}/snapshots"): {"name": "Before the tour"},
    ("POST", "/snapshots/{snapshot_id}/go-back"): {},
    ("POST", "/songs/{song_id}/links"): {"kind": "song", "days": 14},
    ("POST", "/tokens"): {"name": "nightly nulls", "scopes": ["read", "write"], "days": 30},
    ("POST", "/set-lists"): {
        "name": "Harbour stage, 14 June", "entries": [{"key": "a", "song": _ID, "count_bars": 2}],
    },
    ("PUT", "/set-lists/{list_id}"): {
        "base_revision": 1, "values": {"name": "Harbour stage, 15 June", "channel": 3},
    },
    ("POST", "/songs/{song_id}/rigs"): {"name": "Two sends", "template": "send-return"},
    ("PATCH", "/rigs/{rig_id}"): {"name": "Three sends", "was": "Two sends"},
    ("POST", "/rigs/{rig_id}/variants"): {"copy_of": _ID, "name": "darker"},
    ("PATCH", "/variants/{variant_id}"): {"name": "darker", "was": ""},
    ("POST", "/variants/{variant_id}/edits"): {"id": _ID, "base_revision": 1, "action": _LEVEL},
    ("POST", "/variants/{variant_id}/try"): {"action": _LEVEL},
    ("POST", "/variants/{variant_id}/landings"): {
        "lay": {"do": "lay", "by": "split", "starts": ["guitar.0"], "to": "output"},
    },
    ("POST", "/variants/{variant_id}/convert"): {"node": "squeeze", "to": "parallel"},
    ("POST", "/variants/{variant_id}/copy"): {"nodes": ["hall"]},
    ("POST", "/variants/{variant_id}/course-levels"): {},
    ("POST", "/variants/{variant_id}/wishes"): {"clip": _ID},
    ("POST", "/variants/{variant_id}/proposals"): {"clip": _ID, "free": [{"key": "node/hall/rt60_s", "low": 0.8}]},
    ("POST", "/variants/{variant_id}/trade"): {"clip": _ID, "one": 0, "other": 1},
    ("POST", "/variants/{variant_id}/tail"): {"gaps_s": [0.31, 0.5]},
    ("PUT", "/rigs/{rig_id}/feeds/{source}"): {
        "feed": {"source": "guitar", "placements": [{"clip": _ID}]},
    },
}  # fmt: skip

_IN_PATH = {
    "kind": "delay", "which": "residual", "source": "guitar", "number": "1",
    "token": "0b6c3f6e6a534c1e9a523d5f0c9a1d11" + "5e" * 20,
}  # fmt: skip
PREFIX = "/api/v1"


class ExampledAPI(NinjaAPI):
    """An API whose description has an example with every call."""

    def get_openapi_schema(self, **options: Any) -> Any:
        schema = super().get_openapi_schema(**options)
        for path, operations in schema["paths"].items():
            for method, operation in operations.items():
                _add(operation, method.upper(), path)
        return schema


def _add(operation: dict[str, Any], method: str, path: str) -> None:
    body = BODIES.get((method, path.removeprefix(PREFIX)))
    content = operation.get("requestBody", {}).get("content", {})
    if body is not None and "application/json" in content:
        content["application/json"]["example"] = body
    open_to_all = operation.get("security") is None
    operation["x-example"] = typed(method, path, body, open_to_all, query_of(operation))


def query_of(operation: dict[str, Any]) -> str:
    """What has to stand behind the path."""
    given = {
        "words": "aux", "a": _ID, "b": _OTHER, "output": "main", "wet_db": "-2.5", "offset": "0",
    }  # fmt: skip
    needed = [
        p["name"] for p in operation.get("parameters", ()) if p["in"] == "query" and p.get("required")
    ]  # fmt: skip
    return "&".join(f"{name}={given[name]}" for name in needed)


def typed(method: str, path: str, body: Any, open_to_all: bool, query: str = "") -> str:
    """A call as it is typed into a shell; $HOST is where Fonodrome answers."""
    parts = path.split("/")
    filled = [_IN_PATH.get(p[1:-1], _ID) if p.startswith("{") else p for p in parts]
    for n, part in enumerate(filled):
        for name, value in _IN_PATH.items():
            filled[n] = filled[n].replace(f"{{{name}}}", value) if "{" in part else filled[n]
    line = f'curl -X {method} "$HOST{"/".join(filled)}{"?" + query if query else ""}"'
    if not open_to_all:
        line += ' -H "Authorization: Bearer $TOKEN"'
    if body is not None:
        line += f" -H \"Content-Type: application/json\" -d '{json.dumps(body)}'"
    return line
