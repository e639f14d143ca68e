"""Whatever can be sent has an end: every text, list and map of every request says how long it may be."""

from django.test import SimpleTestCase

from server.config.api import api

BOUNDED = {"enum", "const", "maxLength", "format", "pattern"}


class Limits(SimpleTestCase):
    def setUp(self):
        self.schema = api.get_openapi_schema()
        self.seen: set[str] = set()
        self.endless: list[str] = []

    def look(self, node: dict, where: str) -> None:
        if "$ref" in node:
            name = node["$ref"].rsplit("/", 1)[-1]
            if name not in self.seen:
                self.seen.add(name)
                self.look(self.schema["components"]["schemas"][name], name)
            return
        for way in ("anyOf", "oneOf", "allOf"):
            for one in node.get(way, []):
                self.look(one, where)
        kind, of = node.get("type"), node.get("additionalProperties")
        if kind == "array":
            if not {"maxItems", "prefixItems"} & set(node):
                self.endless.append(f"{where}: list")
            for one in [node.get("items", {}), *node.get("prefixItems", [])]:
                self.look(one, f"{where}[]")
        elif kind == "string" and not BOUNDED & set(node):
            self.endless.append(f"{where}: text")
        elif kind == "object":
            if of and "maxProperties" not in node:
                self.endless.append(f"{where}: map")
            if isinstance(of, dict):
                self.look(of, f"{where}{{}}")
            for name, one in node.get("properties", {}).items():
                self.look(one, f"{where}.{name}")

    def test_nothing_that_is_sent_is_endless(self):
        for path, ways in self.schema["paths"].items():
            for way, operation in ways.items():
                here = f"{way} {path}"
                for content in operation.get("requestBody", {}).get("content", {}).values():
                    self.look(content["schema"], here)
                for parameter in operation.get("parameters", []):
                    self.look(parameter["schema"], f"{here}?{parameter['name']}")
        self.assertGreater(len(self.seen), 150)
        self.assertEqual(self.endless, [])
