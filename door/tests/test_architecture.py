"""The drawing of the rooms is the rooms; and pages of the documentation lead somewhere."""

import ast
import re
import unittest
from collections import defaultdict
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def imports() -> dict[str, set[str]]:
    """Room of the core to the rooms that it imports from, tests left out."""
    found: dict[str, set[str]] = defaultdict(set)
    for path in (ROOT / "core").rglob("*.py"):
        inside = path.relative_to(ROOT / "core").parts
        if len(inside) < 2 or "tests" in inside:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            names = [node.module or ""] if isinstance(node, ast.ImportFrom) else []
            names += [a.name for a in node.names] if isinstance(node, ast.Import) else []
            for name in names:
                parts = name.split(".")
                if parts[0] == "core" and len(parts) > 1 and parts[1] != inside[0]:
                    found[inside[0]].add(parts[1])
    rooms = {p.name for p in (ROOT / "core").iterdir() if p.is_dir()} - {"tests"}
    return {room: found[room] & rooms for room in sorted(rooms) if not room.startswith("_")}


def plainest(edges: dict[str, set[str]]) -> set[tuple[str, str]]:
    """Without what another way says already."""

    def reached(room: str) -> set[str]:
        return edges[room].union(*(reached(other) for other in edges[room]))

    return {
        (room, other)
        for room, others in edges.items()
        for other in others
        if not any(other in reached(way) for way in others - {other})
    }


class Drawn(unittest.TestCase):
    def test_the_rooms_of_the_core_are_drawn_as_they_are(self):
        text = (ROOT / "docs" / "architecture.md").read_text().split("## Rooms of the core")[1]
        drawn = set(re.findall(r"^  (\w+) --> (\w+)$", text, re.M))
        self.assertEqual(drawn, plainest(imports()))

    def test_every_room_is_named_in_the_readme(self):
        text = (ROOT / "README.md").read_text()
        self.assertEqual([room for room in imports() if room not in text], [])

    def test_no_page_leads_nowhere(self):
        lost = []
        for page in [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]:
            for target in re.findall(r"\]\(([^)#\s]+)(?:#[^)]*)?\)", page.read_text()):
                if "://" not in target and not (page.parent / target).exists():
                    lost.append(f"{page.relative_to(ROOT)}: {target}")
        self.assertEqual(lost, [])

    def test_what_is_said_to_be_in_a_file_is_there(self):
        """Paths of code and tests that the pages name."""
        lost = []
        for page in [*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")]:
            for name in re.findall(r"`((?:core|server|web|door|e2e|benchmarks|docs)/[\w./-]+)`", page.read_text()):  # fmt: skip
                if not (ROOT / name).exists() and not name.startswith(
                    ("web/dist", "docs/formats/")
                ):
                    lost.append(f"{page.relative_to(ROOT)}: {name}")
        self.assertEqual(lost, [])

    def test_what_the_guide_tells_to_press_is_on_a_screen(self):
        text = (ROOT / "docs" / "guide.md").read_text()
        told = {name for name in re.findall(r"\*\*([^*]+?)\*\*", text) if not name.endswith(".")}
        shown = "\n".join(p.read_text() for p in (ROOT / "web" / "src").rglob("*.tsx"))
        shown += (ROOT / "web" / "src" / "ui" / "keys.json").read_text()
        plain = re.sub(r"\s+", " ", shown)
        keys = {name for name in told if re.fullmatch(r"[A-Z]|Shift [A-Z]", name)}
        self.assertEqual(sorted(n for n in told - keys if re.sub(r"\s+", " ", n) not in plain), [])
        self.assertGreater(len(told), 15)


if __name__ == "__main__":
    unittest.main()
