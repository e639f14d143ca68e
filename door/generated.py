"""Make the front end's types from the API, or tell whether they are stale."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "web" / "src" / "api" / "schema.gen.ts"


FORMATS = ROOT / "docs" / "formats"
# Name of the published schema to the shape that it describes.
SHAPES = {
    "rig-7": "core.routing:Rig",
    "proof-1": "core.proof:Proof",
    "stage-sheet-1": "core.sheet:StageSheet",
    "devices-1": "core.devices:Panels",
    "song-2": "core.songfile:SongFile",
    "song-test-1": "core.songfile:FiledTest",
    "song-measurement-1": "core.songfile:FiledMeasurement",
    "studio-1": "server.songfiles.studio:StudioFile",
    "studio-devices-1": "server.songfiles.studio:DevicesFile",
    "set-lists-1": "server.songfiles.studio:ListsFile",
    "song-snapshot-1": "core.songfile:FiledSnapshot",
}


def schemas() -> dict[Path, str]:
    """The published JSON Schemas, by their files."""
    code = (
        "import importlib, json, sys\n"
        "for name in sys.argv[1:]:\n"
        "    room, _, shape = name.partition(':')\n"
        "    found = getattr(importlib.import_module(room), shape).model_json_schema()\n"
        "    print(json.dumps(json.dumps(found, indent=1, ensure_ascii=False)))\n"
    )
    made = subprocess.run(
        [sys.executable, "-c", code, *SHAPES.values()], cwd=ROOT, check=True, capture_output=True,
        text=True,
    )  # fmt: skip
    lines = made.stdout.splitlines()
    calls = "from server.tokens.ten_calls import as_markdown; print(as_markdown(), end='')"
    page = subprocess.run(
        [sys.executable, "-c", calls], cwd=ROOT, check=True, capture_output=True, text=True
    )
    files = [FORMATS / f"{name}.schema.json" for name in SHAPES]
    found = {file: json.loads(line) + "\n" for file, line in zip(files, lines, strict=True)}
    return found | {ROOT / "docs" / "ten-calls.md": page.stdout}


DEFAULTS = TARGET.with_name("defaults.gen.ts")
_KEPT = """
import json
from annotated_types import Ge, Gt, Le, Lt
from core.blend import KeptBlend
from core.space import KeptSpace, RoomRequest
from core.delay import DelayLine
from core.space.ducking import DuckingSettings

def limits(kind):
    found = {}
    for name, field in kind.model_fields.items():
        ends = [None, None]
        for rule in field.metadata:
            ends[0] = getattr(rule, "ge", getattr(rule, "gt", ends[0]))
            ends[1] = getattr(rule, "le", getattr(rule, "lt", ends[1]))
        if None not in ends and field.annotation in (int, float):
            found[name] = ends
    return found

def written(value):
    return json.dumps(value, indent=2, ensure_ascii=False)

every = {}
for kind in (KeptBlend, KeptSpace, DuckingSettings, RoomRequest, DelayLine):
    name = kind.__name__
    rest = kind().model_dump(mode="json")
    print(f'export const {name[0].lower()}{name[1:]}: Required<Schemas["{name}"]> = '
          f"{written(rest)};")
    parts = [f.default.__class__ for f in kind.model_fields.values()]
    for part in (kind, *(p for p in parts if hasattr(p, "model_fields"))):
        every[part.__name__] = limits(part)
print(f"/** The least and the most of every number that can be set. */\\n"
      f"export const limits = {written(every)} as const;")
"""


def defaults() -> str:
    """What a thing of the API is before anybody set it, as the core has it."""
    made = subprocess.run(
        [sys.executable, "-c", _KEPT], cwd=ROOT, check=True, capture_output=True, text=True
    )
    head = '/** Generated: the core\'s defaults. */\nimport type { Schemas } from "./client";\n\n'
    return head + made.stdout


def generate(target: Path) -> None:
    with tempfile.TemporaryDirectory() as folder:
        schema = Path(folder) / "openapi.json"
        subprocess.run(
            [
                sys.executable,
                "manage.py",
                "export_openapi_schema",
                "--api",
                "server.config.api.api",
                "--output",
                str(schema),
            ],
            cwd=ROOT,
            check=True,
        )
        subprocess.run(
            [
                str(Path(sys.executable).parent / "npm"),
                "run",
                "-s",
                "api",
                "--",
                str(schema),
                "-o",
                str(target),
            ],
            cwd=ROOT / "web",
            check=True,
            capture_output=True,
        )


if __name__ == "__main__":
    if "--check" in sys.argv:
        with tempfile.TemporaryDirectory() as held:
            fresh = Path(held) / "schema.ts"
            generate(fresh)
            if not TARGET.is_file() or fresh.read_text() != TARGET.read_text():
                sys.exit("The generated types are stale. Run: ./fonodrome generate")
        if not DEFAULTS.is_file() or DEFAULTS.read_text() != defaults():
            sys.exit("The generated defaults are stale. Run: ./fonodrome generate")
        for file, text in schemas().items():
            if not file.is_file() or file.read_text() != text:
                sys.exit(f"{file.name} is stale. Run: ./fonodrome generate")
    else:
        generate(TARGET)
        DEFAULTS.write_text(defaults())
        FORMATS.mkdir(parents=True, exist_ok=True)
        for file, text in schemas().items():
            file.write_text(text)
