"""Answers of the core's own models, straight to JSON: they are valid already."""

from django.http import HttpResponse
from pydantic import BaseModel


def answer(found: BaseModel) -> HttpResponse:
    return HttpResponse(
        found.__pydantic_serializer__.to_json(found), content_type="application/json"
    )
