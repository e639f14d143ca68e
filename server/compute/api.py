"""What-if questions: stateless, answered by the core alone."""

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel

from core.tempo import (
    TapRequest,
    TapTempo,
    TempoFromDelay,
    TempoFromDelayRequest,
    TimeRuler,
    TimeRulerRequest,
    tap_tempo,
    tempo_from_delay,
    time_ruler,
)
from core.units import Quantity, QuantityRequest, parse_quantity

# Pure arithmetic about nobody's things: it is open, and takes the short way in (config/lean.py).
router = Router(tags=["compute"], auth=None)


def _answer(found: BaseModel) -> HttpResponse:
    """Straight to JSON: the core's results are valid already."""
    return HttpResponse(
        found.__pydantic_serializer__.to_json(found), content_type="application/json"
    )


@router.post("/quantity", response=Quantity)
def compute_quantity(request: HttpRequest, payload: QuantityRequest) -> HttpResponse:
    return _answer(parse_quantity(payload))


@router.post("/time-ruler", response=TimeRuler)
def compute_time_ruler(request: HttpRequest, payload: TimeRulerRequest) -> HttpResponse:
    return _answer(time_ruler(payload))


@router.post("/tap-tempo", response=TapTempo)
def compute_tap_tempo(request: HttpRequest, payload: TapRequest) -> HttpResponse:
    return _answer(tap_tempo(payload))


@router.post("/tempo-from-delay", response=TempoFromDelay)
def compute_tempo_from_delay(request: HttpRequest, payload: TempoFromDelayRequest) -> HttpResponse:
    return _answer(tempo_from_delay(payload))
