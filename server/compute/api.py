"""What-if questions: stateless, answered by the core alone."""

from django.http import HttpRequest
from ninja import Router

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

router = Router(tags=["compute"])


@router.post("/quantity", response=Quantity)
def compute_quantity(request: HttpRequest, payload: QuantityRequest) -> Quantity:
    return parse_quantity(payload)


@router.post("/time-ruler", response=TimeRuler)
def compute_time_ruler(request: HttpRequest, payload: TimeRulerRequest) -> TimeRuler:
    return time_ruler(payload)


@router.post("/tap-tempo", response=TapTempo)
def compute_tap_tempo(request: HttpRequest, payload: TapRequest) -> TapTempo:
    return tap_tempo(payload)


@router.post("/tempo-from-delay", response=TempoFromDelay)
def compute_tempo_from_delay(
    request: HttpRequest, payload: TempoFromDelayRequest
) -> TempoFromDelay:
    return tempo_from_delay(payload)
