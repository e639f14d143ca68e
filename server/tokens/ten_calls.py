"""Ten calls from two sound files to a verdict, as they are typed."""

import json
from typing import Any

from pydantic import Field

from core.edge import Edge


class Call(Edge):
    title: str
    method: str
    path: str = Field(description="With $NAMES of what earlier calls gave")
    body: dict[str, Any] | None = None
    file: str = Field("", description="Sent as it is")
    gives: dict[str, str] = Field({}, description="Name to a field of the answer")


_SONG = {
    "title": "Low Water",
    "tempo_map": [{"tempo_bpm": 96, "beat_unit": "1/4", "metre_count": 4, "metre_unit": 4}],
}


def _upload(which: str, file: str) -> tuple[Call, Call, Call]:
    return (
        Call(
            title=f"Say that {file} will come, and how long it is",
            method="POST", path="/songs/$SONG/uploads",
            body={"name": file, "size_bytes": f"$SIZE_{which}"}, gives={"UPLOAD": "id"},
        ),
        Call(
            title="Send it; a large file may go in parts, each from its own offset",
            method="PUT", path="/uploads/$UPLOAD?offset=0", file=file,
        ),
        Call(
            title=f"It is all there: it becomes clip {which}",
            method="POST", path="/uploads/$UPLOAD/finish", gives={f"CLIP_{which}": "id"},
        ),
    )  # fmt: skip


TEN_CALLS: tuple[Call, ...] = (
    Call(title="A song to keep them in", method="POST", path="/songs", body=_SONG, gives={"SONG": "id"}),
    *_upload("A", "before.wav"),
    *_upload("B", "after.wav"),
    Call(
        title="Compare them", method="POST", path="/songs/$SONG/null-tests",
        body={"clip_a": "$CLIP_A", "clip_b": "$CLIP_B"}, gives={"TEST": "id"},
    ),
    Call(
        title="Ask until its status is “done”: result.sentence is the verdict",
        method="GET", path="/null-tests/$TEST",
    ),
    Call(title="Keep the proof sheet", method="GET", path="/null-tests/$TEST/proof?form=md"),
)  # fmt: skip


class Typed(Edge):
    title: str
    typed: str
    then: str = Field(description="What of the answer later calls name")


def typed(host: str) -> list[Typed]:
    """Each call for a shell, with the token in $TOKEN."""
    return [
        Typed(
            title=call.title,
            typed=_curl(call, host),
            then="; ".join(f"${name} is its “{field}”" for name, field in call.gives.items()),
        )
        for call in TEN_CALLS
    ]


def _curl(call: Call, host: str) -> str:
    lines = [f'curl -X {call.method} "{host}/api/v1{call.path}"']
    lines.append('-H "Authorization: Bearer $TOKEN"')
    if call.body is not None:
        text = json.dumps(call.body).replace('"$SIZE_A"', "$SIZE_A").replace('"$SIZE_B"', "$SIZE_B")
        lines.append('-H "Content-Type: application/json"')
        lines.append('-d "' + text.replace('"', '\\"') + '"')
    if call.file:
        lines.append('-H "Content-Type: application/octet-stream"')
        lines.append(f"--data-binary @{call.file}")
    return " \\\n  ".join(lines)


def as_markdown() -> str:
    """The page of the ten calls."""
    out = [
        "# Ten calls from two files to a verdict", "",
        "Made by `python -m door.generated` from the calls that a test sends in this order.", "",
        "Make a token under “Scripts” on the page of songs, with the scopes `read` and `write`; then:", "",
        "```sh", "TOKEN=fonodrome_...", "SIZE_A=$(stat -c %s before.wav)", "SIZE_B=$(stat -c %s after.wav)", "```", "",
    ]  # fmt: skip
    for n, one in enumerate(typed("http://127.0.0.1:8000"), 1):
        out += [f"{n}. {one.title}.", "", "   ```sh"]
        out += [f"   {line}" for line in one.typed.splitlines()]
        out += ["   ```", ""]
        if one.then:
            out += [f"   Of the answer: {one.then}.", ""]
    out += [
        "All other calls, each with an example: `/api/v1/openapi.json`. A call that is refused answers with",
        "a sentence in `detail` (RFC 9457); 401: the token is not in force; 403: it lacks the scope.", "",
    ]  # fmt: skip
    return "\n".join(out)
