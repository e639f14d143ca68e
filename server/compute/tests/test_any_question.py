"""Every what-if question at the ends of what it may hold: answered or refused, never broken."""

import json

from django.test import RequestFactory, SimpleTestCase
from django.urls import resolve

from benchmarks.worst import changes_of, shape_of
from server.config.api import api
from server.config.examples import BODIES


class AnyQuestion(SimpleTestCase):
    def test_each_list_full_each_number_at_its_ends_each_choice_made(self):
        schema = api.get_openapi_schema()
        asked = 0
        for (_, path), body in BODIES.items():
            if not path.startswith("/compute/"):
                continue
            address = f"/api/v1{path}"
            match = resolve(address)
            for changed in changes_of(body, shape_of(path, schema), schema):
                text = json.dumps(changed)
                if len(text) > 200_000:
                    continue
                request = RequestFactory().post(address, text, content_type="application/json")
                answer = match.func(request, *match.args, **match.kwargs)
                self.assertIn(answer.status_code, (200, 422), f"{path}: {text[:300]}")
                asked += 1
        self.assertGreater(asked, 300)
