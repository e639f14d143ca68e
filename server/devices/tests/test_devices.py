"""Device profiles through the API."""

from server.testing import ApiCase

PEDAL = {"name": "My pedal", "min_ms": 20, "max_ms": 1000, "step_ms": 2}


class Devices(ApiCase):
    def test_typed_in_ones_stand_after_those_that_ship(self):
        shipped = len(self.call("get", "/devices")[1])
        made = self.call("post", "/devices", PEDAL)[1]
        rows = self.call("get", "/devices")[1]
        self.assertEqual((len(rows), rows[-1]["profile"]["name"]), (shipped + 1, "My pedal"))
        changed = self.call("put", f"/devices/{made['id']}", {**PEDAL, "step_ms": 5})[1]
        self.assertEqual(changed["profile"]["step_ms"], 5)
        self.assertEqual(self.call("delete", f"/devices/{made['id']}")[0], 204)
        self.assertEqual(len(self.call("get", "/devices")[1]), shipped)

    def test_a_range_upside_down_gets_a_sentence(self):
        self.refused("post", "/devices", {**PEDAL, "max_ms": 10}, 422, "must be above the shortest")
        self.refused("post", "/devices", {**PEDAL, "step_ms": 5000}, 422, "larger than the whole")
