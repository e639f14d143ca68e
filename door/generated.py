"""Make the front end's types from the API, or tell whether they are stale."""

import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "web" / "src" / "api" / "schema.gen.ts"


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
    else:
        generate(TARGET)
