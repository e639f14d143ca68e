"""What-if questions: stateless, answered by the core alone."""

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from core.edge import Edge
from core.routing import Context, Rig, RigView, compile_rig, rig_view
from core.routing.layout import RigLayout, lay_out_rig
from core.routing.reduce import reduced
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
from core.units import Quantity, QuantityRequest, TempoFrame, parse_quantity
from server.config.answers import answer

# Pure arithmetic about nobody's things: it is open, and takes the short way in (config/lean.py).
router = Router(tags=["compute"], auth=None)


@router.post("/quantity", response=Quantity)
def compute_quantity(request: HttpRequest, payload: QuantityRequest) -> HttpResponse:
    return answer(parse_quantity(payload))


@router.post("/time-ruler", response=TimeRuler)
def compute_time_ruler(request: HttpRequest, payload: TimeRulerRequest) -> HttpResponse:
    return answer(time_ruler(payload))


@router.post("/tap-tempo", response=TapTempo)
def compute_tap_tempo(request: HttpRequest, payload: TapRequest) -> HttpResponse:
    return answer(tap_tempo(payload))


@router.post("/tempo-from-delay", response=TempoFromDelay)
def compute_tempo_from_delay(request: HttpRequest, payload: TempoFromDelayRequest) -> HttpResponse:
    return answer(tempo_from_delay(payload))


class RigViewRequest(Edge):
    document: Rig = Field(description="A rig, stored or not")
    frame: TempoFrame = TempoFrame()


@router.post("/rig-view", response=RigView)
def compute_rig_view(request: HttpRequest, payload: RigViewRequest) -> HttpResponse:
    return answer(rig_view(payload.document, Context(payload.frame)))


class RigLayoutRequest(RigViewRequest):
    focus: str | None = Field(None, max_length=40, description="Draw what belongs to this part")
    folded: tuple[str, ...] = Field((), max_length=200, description="Runs drawn as one mark")


@router.post("/rig-layout", response=RigLayout)
def compute_rig_layout(request: HttpRequest, payload: RigLayoutRequest) -> HttpResponse:
    plan = compile_rig(payload.document, Context(payload.frame))
    smaller = reduced(payload.document, payload.focus, payload.folded)
    return answer(lay_out_rig(smaller, plan))
