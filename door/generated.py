"""Make the front end's types from the API, or tell whether they are stale."""

import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "web" / "src" / "api" / "schema.gen.ts"


RIG_SCHEMA = ROOT / "docs" / "formats" / "rig-4.schema.json"
_RIG = (
    "import json; from core.routing import Rig; "
    "print(json.dumps(Rig.model_json_schema(), indent=1, ensure_ascii=False))"
)


def rig_schema() -> str:
    """The published JSON Schema of the rig document."""
    made = subprocess.run(
        [sys.executable, "-c", _RIG], cwd=ROOT, check=True, capture_output=True, text=True
    )
    return made.stdout


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
        if not RIG_SCHEMA.is_file() or RIG_SCHEMA.read_text() != rig_schema():
            sys.exit("The rig's JSON Schema is stale. Run: ./fonodrome generate")
    else:
        generate(TARGET)
        DEFAULTS.write_text(defaults())
        RIG_SCHEMA.parent.mkdir(parents=True, exist_ok=True)
        RIG_SCHEMA.write_text(rig_schema())
