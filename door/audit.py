"""`audit`: which locked packages have a known weakness. Advisories are read from a file, since nothing is fetched:
JSON in the form of the Open Source Vulnerability schema, a list of advisories or one a line.
"""

import json
import re
from dataclasses import dataclass
from pathlib import Path

from setup import ROOT, WEB
from show import Trouble, say

_LOCKS = ("requirements.txt", "requirements-dev.txt")


@dataclass(frozen=True)
class Package:
    ecosystem: str
    name: str
    version: str


@dataclass(frozen=True)
class Finding:
    package: Package
    advisory: str
    summary: str
    fixed: str


def locked() -> list[Package]:
    """Every package of the lock files, once."""
    found = {}
    for name in _LOCKS:
        for match in re.finditer(r"^([A-Za-z0-9._-]+)(?:\[[^\]]*\])?==([^\s;\\]+)", (ROOT / name).read_text(), re.M):  # fmt: skip
            found[Package("PyPI", plain(match[1]), match[2])] = None
    lock = json.loads((WEB / "package-lock.json").read_text())
    for place, one in lock["packages"].items():
        if place and "version" in one:
            found[Package("npm", place.rsplit("node_modules/", 1)[-1], one["version"])] = None
    return list(found)


def plain(name: str) -> str:
    """A Python package's name as indexes compare it (PEP 503)."""
    return re.sub(r"[-_.]+", "-", name).lower()


def ordered(version: str) -> tuple[tuple[int, ...], int, tuple[tuple[str, int], ...]]:
    """A version as it sorts: numbers by size, and what is before a release before it."""
    parts = re.findall(r"\d+|[A-Za-z]+", version.split("+")[0])
    first = next((i for i, part in enumerate(parts) if not part.isdigit()), len(parts))
    release = [int(part) for part in parts[:first]]
    # 1.0 is 1.0.0.
    while release and release[-1] == 0:
        release.pop()
    before = tuple(("", int(p)) if p.isdigit() else (p, 0) for p in parts[first:])
    return tuple(release), 0 if before else 1, before


def affects(advisory: dict, package: Package) -> tuple[bool, str]:
    """Whether an advisory means this version, and the version that mends it."""
    for one in advisory.get("affected", []):
        about = one.get("package", {})
        name = about.get("name", "")
        if about.get("ecosystem") != package.ecosystem:
            continue
        if (plain(name) if package.ecosystem == "PyPI" else name) != package.name:
            continue
        if package.version in one.get("versions", []):
            return True, ""
        for reach in one.get("ranges", []):
            if reach.get("type") not in ("ECOSYSTEM", "SEMVER"):
                continue
            inside, fixed = False, ""
            here = ordered(package.version)
            for event in reach.get("events", []):
                if "introduced" in event:
                    since = event["introduced"]
                    inside = inside or since == "0" or here >= ordered(since)
                elif "fixed" in event and here >= ordered(event["fixed"]):
                    inside = False
                elif "fixed" in event:
                    fixed = event["fixed"]
                elif "last_affected" in event and here > ordered(event["last_affected"]):
                    inside = False
            if inside:
                return True, fixed
    return False, ""


def read(path: Path) -> list[dict]:
    """Advisories of a file. Raises Trouble for one that holds none."""
    try:
        text = path.read_text()
    except OSError as error:
        raise Trouble(f"{path} cannot be read ({error.strerror}).") from None
    try:
        whole = json.loads(text)
        found = whole if isinstance(whole, list) else whole.get("vulns", [whole])
    except (json.JSONDecodeError, AttributeError):
        try:
            found = [json.loads(line) for line in text.splitlines() if line.strip()]
        except json.JSONDecodeError as error:
            raise Trouble(f"{path} holds no advisories: line {error.lineno} is no JSON.") from None
    if not all(isinstance(one, dict) and "affected" in one for one in found):
        raise Trouble(f"{path} holds no advisories: an entry does not say what is affected.")
    return found


def findings(advisories: list[dict], packages: list[Package]) -> list[Finding]:
    found = []
    for advisory in advisories:
        if advisory.get("withdrawn"):
            continue
        for package in packages:
            meant, fixed = affects(advisory, package)
            if meant:
                found.append(Finding(package, advisory.get("id", "?"), advisory.get("summary", ""), fixed))  # fmt: skip
    return found


def audit(file: Path | None) -> int:
    packages = locked()
    counts = {e: sum(p.ecosystem == e for p in packages) for e in ("PyPI", "npm")}
    say(f"{counts['PyPI']} Python and {counts['npm']} front end packages are locked, each by its hash.")  # fmt: skip
    if file is None:
        say("No advisories were given: --advisories FILE compares them (OSV, JSON).")
        return 0
    found = findings(read(file), packages)
    for one in found:
        mend = f"; mended in {one.fixed}" if one.fixed else ""
        say(f"  {one.package.name} {one.package.version}: {one.advisory} {one.summary}{mend}")
    say(f"{len(found)} known weaknesses in what is locked.")
    return 1 if found else 0
