"""What-if questions: stateless, answered by the core alone."""

import base64

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from core.blend import (
    SCHOOLS,
    BlendOut,
    BlendRequest,
    InsertOut,
    InsertRequest,
    LevelOut,
    LevelRequest,
    ParallelOut,
    ParallelSchool,
    ParallelSettings,
    StereoOut,
    StereoRequest,
    blend_view,
    insert_view,
    level_view,
    parallel_view,
    stereo_view,
)
from core.delay import (
    Figure,
    LatticeOut,
    LatticeRequest,
    PatternRead,
    PatternText,
    RepeatsOut,
    RepeatsRequest,
    SearchOut,
    SearchRequest,
    figures,
    lattice,
    read_pattern,
    repeats,
    search,
)
from core.devices import Glide, GlideRequest, ReachReport, ReachRequest, device_reach, glide
from core.edge import Edge, Word
from core.errors import FonodromeError
from core.routing import Context, Rig, RigView, refuse_wide, rig_view
from core.space import FitOut, FitRequest, RoomOut, RoomRequest, fit_length, room_view
from core.tempo import (
    Clock,
    ClockRequest,
    MidiTempoMap,
    TableRequest,
    TapRequest,
    TapTempo,
    TempoFromDelay,
    TempoFromDelayRequest,
    TempoMapOut,
    TempoMapRequest,
    TimeRuler,
    TimeRulerRequest,
    ValueTable,
    clock,
    read_midi,
    read_tempo_map,
    tap_tempo,
    tempo_from_delay,
    time_ruler,
    value_table,
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


@router.post("/value-table", response=ValueTable)
def compute_value_table(request: HttpRequest, payload: TableRequest) -> HttpResponse:
    return answer(value_table(payload))


@router.post("/clock", response=Clock)
def compute_clock(request: HttpRequest, payload: ClockRequest) -> HttpResponse:
    return answer(clock(payload))


@router.post("/tempo-map", response=TempoMapOut)
def compute_tempo_map(request: HttpRequest, payload: TempoMapRequest) -> HttpResponse:
    return answer(read_tempo_map(payload))


class MidiIn(Edge):
    data_base64: str = Field(max_length=4_000_000, description="A Standard MIDI File")


@router.post("/read-midi", response=MidiTempoMap)
def compute_read_midi(request: HttpRequest, payload: MidiIn) -> HttpResponse:
    try:
        data = base64.b64decode(payload.data_base64, validate=True)
    except ValueError:
        raise FonodromeError("This file did not arrive whole; send it again.") from None
    return answer(read_midi(data))


@router.post("/device-reach", response=ReachReport)
def compute_device_reach(request: HttpRequest, payload: ReachRequest) -> HttpResponse:
    return answer(device_reach(payload))


@router.post("/glide", response=Glide)
def compute_glide(request: HttpRequest, payload: GlideRequest) -> HttpResponse:
    return answer(glide(payload))


@router.post("/repeats", response=RepeatsOut)
def compute_repeats(request: HttpRequest, payload: RepeatsRequest) -> HttpResponse:
    return answer(repeats(payload))


@router.post("/lattice", response=LatticeOut)
def compute_lattice(request: HttpRequest, payload: LatticeRequest) -> HttpResponse:
    return answer(lattice(payload))


@router.post("/lattice-search", response=SearchOut)
def compute_lattice_search(request: HttpRequest, payload: SearchRequest) -> HttpResponse:
    return answer(search(payload))


@router.post("/pattern", response=PatternRead)
def compute_pattern(request: HttpRequest, payload: PatternText) -> HttpResponse:
    return answer(read_pattern(payload))


class FiguresRequest(Edge):
    frame: TempoFrame


class Figures(Edge):
    figures: list[Figure]


@router.post("/figures", response=Figures)
def compute_figures(request: HttpRequest, payload: FiguresRequest) -> HttpResponse:
    return answer(Figures(figures=figures(payload.frame)))


class RigViewRequest(Edge):
    document: Rig = Field(description="A rig, stored or not")
    frame: TempoFrame = TempoFrame()
    delays: dict[str, Word] = Field(
        default_factory=dict,
        max_length=32,
        description="The song's delay plan: '@slap' to '120 ms'",
    )


@router.post("/rig-view", response=RigView)
def compute_rig_view(request: HttpRequest, payload: RigViewRequest) -> HttpResponse:
    return answer(rig_view(refuse_wide(payload.document), Context(payload.frame, payload.delays)))


@router.post("/mix-laws", response=BlendOut)
def post_mix_laws(request: HttpRequest, payload: BlendRequest) -> BlendOut:
    """All mix laws for a correlation, and the insert that equals a dry and a wet path."""
    return blend_view(payload)


@router.post("/insert-to-parallel", response=InsertOut)
def post_insert(request: HttpRequest, payload: InsertRequest) -> InsertOut:
    """The parallel path, and the other laws, that sound as an insert does."""
    return insert_view(payload)


class ParallelView(Edge):
    view: ParallelOut
    schools: tuple[ParallelSchool, ...]


@router.post("/parallel-compression", response=ParallelView)
def post_parallel(request: HttpRequest, payload: ParallelSettings) -> ParallelView:
    """The curves of a compressor beside the dry signal, and three starting points."""
    return ParallelView(view=parallel_view(payload), schools=SCHOOLS)


@router.post("/fit-length", response=FitOut)
def post_fit(request: HttpRequest, payload: FitRequest) -> FitOut:
    """Pre-delay, RT60 and length: two fixed give the third."""
    return fit_length(payload)


@router.post("/room", response=RoomOut)
def post_room(request: HttpRequest, payload: RoomRequest) -> RoomOut:
    """Decay and density of a room, and of a line inside a reverb."""
    return room_view(payload)


@router.post("/stereo", response=StereoOut)
def post_stereo(request: HttpRequest, payload: StereoRequest) -> StereoOut:
    """One side later than the other in mono and in stereo; chorus beside a still centre."""
    return stereo_view(payload)


@router.post("/levels", response=LevelOut)
def post_levels(request: HttpRequest, payload: LevelRequest) -> LevelOut:
    """A level in dBFS, dBu, dBV and volts."""
    return level_view(payload)
