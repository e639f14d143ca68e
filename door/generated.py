"""Make the front end's types from the API, or tell whether they are stale."""

import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "web" / "src" / "api" / "schema.gen.ts"


RIG_SCHEMA = ROOT / "docs" / "formats" / "rig-2.schema.json"
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
        if not RIG_SCHEMA.is_file() or RIG_SCHEMA.read_text() != rig_schema():
            sys.exit("The rig's JSON Schema is stale. Run: ./fonodrome generate")
    else:
        generate(TARGET)
        RIG_SCHEMA.parent.mkdir(parents=True, exist_ok=True)
        RIG_SCHEMA.write_text(rig_schema())
