"""`./fonodrome`: start, test, bench, screenshots, null, loudness, delay, tempo, rig, render, password,
backup, restore, audit, faults, load, mutants, generate."""

import argparse
import os
import subprocess
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent))

from setup import LOOPS, PYTHON, ROOT, VENV, python_packages, set_up  # noqa: E402
from show import Trouble  # noqa: E402

_SCRIPTED = {
    "null": ("core.causes.cli",),
    "measure": ("core.bench.cli",),
    "loudness": ("core.audio.cli",),
    "delay": ("core.delay.cli",),
    "tempo": ("core.tempo.cli",),
    "rig": ("core.course.cli", "rig"),
    "render": ("core.course.cli", "render"),
}
"""Commands that need neither server nor database: the core's own."""


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="./fonodrome",
        description="Plan parallel and send-return routing, read off delay times, prove with nulls.",
    )
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def data(made: argparse.ArgumentParser) -> None:
        made.add_argument(
            "--data",
            type=Path,
            default=ROOT / "var",
            metavar="DIR",
            help="where the database and the audio are kept (default: var/)",
        )

    start = commands.add_parser("start", help="set up and run; Ctrl-C stops")
    start.add_argument("--port", type=int, default=8000, help="port on this machine (default 8000)")
    start.add_argument("--no-demo", action="store_true", help="without demo data")
    data(start)
    test = commands.add_parser("test", help="run every check, or only some parts")
    test.add_argument(
        "parts",
        nargs="*",
        metavar="PART",
        help="format, lint, types, imports, api, core, server, e2e",
    )
    commands.add_parser("bench", help="measure speed as ratios").add_argument(
        "names",
        nargs="*",
        metavar="NAME",
        help="only these: null, causes, memory, compute, rig, page, hearing",
    )
    commands.add_parser("screenshots", help="make the pictures in docs/screenshots")
    commands.add_parser(
        "null", help="null test of two files (null --help tells more)", add_help=False
    )
    commands.add_parser(
        "measure", help="a device's figures from recordings (measure --help)", add_help=False
    )
    commands.add_parser(
        "loudness", help="loudness and peaks of a file (loudness --help)", add_help=False
    )
    commands.add_parser(
        "delay",
        help="a note value in ms, on a device, and its repeats (delay --help)",
        add_help=False,
    )
    commands.add_parser("tempo", help="the tempo map of a MIDI file (tempo --help)", add_help=False)
    commands.add_parser(
        "rig", help="what a rig does, from its notation or JSON (rig --help)", add_help=False
    )
    commands.add_parser(
        "render", help="a rig with its clips as a WAV file (render --help)", add_help=False
    )
    password = commands.add_parser("password", help="give an account a new password")
    password.add_argument("name", metavar="NAME")
    data(password)
    keep = commands.add_parser("backup", help="everything into one file, while it runs or not")
    keep.add_argument("file", type=Path, metavar="FILE")
    bring = commands.add_parser("restore", help="everything back from that file")
    bring.add_argument("file", type=Path, metavar="FILE")
    for made in (keep, bring):
        made.add_argument(
            "--replace", action="store_true", help="though there is something already"
        )
        data(made)
    killed = commands.add_parser("faults", help="kill parts of it while people work: is everything there?")  # fmt: skip
    killed.add_argument("--two", action="store_true", help="two machines over one database and one object store")  # fmt: skip
    weak = commands.add_parser("audit", help="known weaknesses of the locked packages")
    weak.add_argument("--advisories", type=Path, metavar="FILE", help="in the OSV form, JSON")
    commands.add_parser("load", help="fifty people at once: times, memory and faults")
    change = commands.add_parser(
        "mutants", help="change the core's arithmetic: do its tests notice?"
    )
    change.add_argument("--count", type=int, default=200, help="how many changes (default 200)")
    change.add_argument("--seed", type=int, default=1, help="which of all that can be made")
    commands.add_parser("generate", help="make the front end's types from the API")
    return parser


def _password(name: str, folder: Path) -> int:
    from database import Cluster

    if not (folder / "pg").is_dir() and not (folder / "prepared").is_file():
        raise Trouble(f"There is no Fonodrome data in {folder}. Use --data DIR.")
    cluster = Cluster(folder / "pg")
    was_running = cluster._running_port() is not None
    cluster.start()
    try:
        return subprocess.run(
            [PYTHON, "manage.py", "reset_password", name],
            cwd=ROOT,
            check=False,
            env={**os.environ, "FONODROME_DATA": str(folder), **cluster.environment()},
        ).returncode
    finally:
        if not was_running:
            cluster.stop()


def main() -> int:
    words = sys.argv[1:]
    if words[:1] and words[0] in _SCRIPTED:
        python_packages(testing=False)
        cache = {"NUMBA_CACHE_DIR": str(LOOPS)} if os.access(VENV, os.W_OK) else {}
        env = {**os.environ, "PYTHONPATH": str(ROOT), **cache}
        os.execve(PYTHON, [str(PYTHON), "-m", *_SCRIPTED[words[0]], *words[1:]], env)
    given = _parser().parse_args(words)
    if given.command == "start":
        from serve import start

        return start(given.data.resolve(), given.port, not given.no_demo)
    if given.command == "test":
        from check import test

        return test(given.parts)
    if given.command == "password":
        return _password(given.name, given.data.resolve())
    if given.command in ("backup", "restore"):
        import keeping

        set_up()
        work = keeping.backup if given.command == "backup" else keeping.restore
        return work(given.data.resolve(), given.file.resolve(), replace=given.replace)
    if given.command == "mutants":
        from mutants import mutants

        return mutants(given.count, given.seed)
    if given.command == "generate":
        set_up(testing=True)
        return subprocess.run([PYTHON, "-m", "door.generated"], cwd=ROOT, check=False).returncode
    if given.command == "audit":
        from audit import audit

        return audit(given.advisories)
    if given.command == "faults":
        from faults import faults, faults_of_two

        return faults_of_two() if given.two else faults()
    import measured

    if given.command == "load":
        return measured.load()
    return measured.bench(given.names) if given.command == "bench" else measured.screenshots()


if __name__ == "__main__":
    try:
        sys.exit(main())
    except Trouble as trouble:
        print(f"\n{trouble}", file=sys.stderr)
        sys.exit(1)
    except KeyboardInterrupt:
        print("\nStopped. Run the same command again to go on.", file=sys.stderr)
        sys.exit(130)
