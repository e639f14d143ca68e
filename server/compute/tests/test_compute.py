"""What-if answers over HTTP: the core's own models, and its own sentences when it refuses."""

from server.testing import ApiCase

LIGHTHOUSE = {"tempo_bpm": 94, "beat_unit": "1/4.", "metre_count": 6, "metre_unit": 8}


class Compute(ApiCase):
    def test_the_ruler_gives_the_dotted_eighth(self):
        device = {"name": "Pedal", "min_ms": 9, "max_ms": 2300, "step_ms": 1}
        status, ruler = self.call(
            "post", "/compute/time-ruler", {"frame": LIGHTHOUSE, "device": device, "chosen": "1/8."}
        )
        self.assertEqual(status, 200)
        self.assertAlmostEqual(ruler["chosen"]["ms"], 319.148936, places=5)
        self.assertEqual(ruler["setting"]["set_ms"], 319)

    def test_bad_input_names_its_part(self):
        problem = self.refused(
            "post", "/compute/quantity", {"kind": "time", "text": "1.2 m"}, 422, "is not a time"
        )
        self.assertEqual((problem["part"], problem["type"]), ("m", "urn:fonodrome:quantity"))
        self.refused("post", "/compute/tap-tempo", {"taps_ms": [1]}, 422, "tap at least twice")
        self.refused(
            "post", "/compute/time-ruler", {"frame": {**LIGHTHOUSE, "tempo_bpm": -4}}, 422, "Tempo"
        )
        self.refused("post", "/compute/tempo-from-delay", {"delay": "0"}, 422, "must be above 0 ms")
        self.refused("post", "/compute/tap-tempo", {"taps_ms": [0] * 600}, 422, "at most 512")
