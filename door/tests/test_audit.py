"""Advisories are held against what is locked: names, ranges, versions before a release, files that are none."""

import contextlib
import io
import json
import sys
import tempfile
import unittest
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from audit import Package, affects, audit, findings, locked, ordered, read
from show import Trouble


def advisory(name: str, *events: dict, ecosystem: str = "PyPI", **more: object) -> dict:
    reach = {"type": "ECOSYSTEM", "events": list(events)}
    about = {"package": {"ecosystem": ecosystem, "name": name}, "ranges": [reach]}
    return {"id": "X-1", "summary": "It breaks.", "affected": [about], **more}


class Audit(unittest.TestCase):
    def test_versions_in_their_order(self):
        rising = ["0.9", "1.0a1", "1.0rc2", "1.0", "1.0.1", "1.2", "1.10", "2.0.0-beta.1", "2.0.0", "10.0"]  # fmt: skip
        self.assertEqual(sorted(set(rising), key=ordered), rising)
        self.assertEqual(ordered("1.0"), ordered("1.0.0"))

    def test_a_range_means_what_lies_in_it(self):
        one = advisory("Thing_Kit", {"introduced": "1.2"}, {"fixed": "1.4.1"}, {"introduced": "2.0"}, {"last_affected": "2.3"})  # fmt: skip
        told = {
            version: affects(one, Package("PyPI", "thing-kit", version))[0]
            for version in ("1.1", "1.2", "1.4", "1.4.1", "1.9", "2.0", "2.3", "2.4")
        }
        meant = {version for version, is_meant in told.items() if is_meant}
        self.assertEqual(meant, {"1.2", "1.4", "2.0", "2.3"})
        self.assertEqual(affects(one, Package("PyPI", "thing-kit", "1.3")), (True, "1.4.1"))
        self.assertFalse(affects(one, Package("npm", "thing-kit", "1.3"))[0])
        self.assertFalse(affects(one, Package("PyPI", "thing", "1.3"))[0])

    def test_all_that_is_locked_is_held_against_them(self):
        packages = locked()
        by_name = {(p.ecosystem, p.name): p.version for p in packages}
        django = by_name["PyPI", "django"]
        self.assertTrue(django.startswith("5."))
        self.assertIn(("npm", "react"), by_name)
        self.assertIn(("npm", "@chakra-ui/react"), by_name)
        bad = [
            advisory("Django", {"introduced": "0"}),
            advisory("react", {"introduced": "0"}, {"fixed": "999"}, ecosystem="npm"),
            advisory("django", {"introduced": "0"}, withdrawn="2026-01-01"),
            advisory("django", {"introduced": "99"}),
        ]
        found = findings(bad, packages)
        self.assertEqual({f.package.name for f in found}, {"django", "react"})

    def test_a_file_of_them_and_files_that_are_none(self):
        with tempfile.TemporaryDirectory() as held, contextlib.redirect_stdout(io.StringIO()) as said:  # fmt: skip
            path = Path(held) / "a.json"
            one = advisory("django", {"introduced": "0"}, {"fixed": "99"})
            for text in (json.dumps([one]), json.dumps(one), f"{json.dumps(one)}\n{json.dumps(one)}\n"):  # fmt: skip
                path.write_text(text)
                self.assertEqual(audit(path), 1)
            self.assertIn("X-1 It breaks.; mended in 99", said.getvalue())
            path.write_text("[]")
            self.assertEqual(audit(path), 0)
            self.assertEqual(audit(None), 0)
            for text in ("{", "[1]", '[{"id": "X"}]', "not json\n"):
                path.write_text(text)
                with self.assertRaises(Trouble, msg=text):
                    read(path)
            with self.assertRaises(Trouble):
                read(Path(held) / "none.json")


if __name__ == "__main__":
    unittest.main()
