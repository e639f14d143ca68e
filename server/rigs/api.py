"""Rigs, their variants and edits; templates and kinds."""

from datetime import datetime
from functools import cache
from typing import Annotated, Any
from uuid import UUID, uuid4

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from core.course import (
    CourseLevels,
    CourseRequest,
    ReturnsOut,
    TailOut,
    TailRequest,
    course_levels,
    returns_view,
    tail_view,
)
from core.edge import Edge, Word
from core.routing import (
    TEMPLATES,
    Action,
    Context,
    Conversion,
    Fragment,
    KindOut,
    LandingOut,
    Lay,
    Mini,
    Rig,
    RigLayout,
    RigView,
    SceneStep,
    Trial,
    build,
    compile_rig,
    copy_parts,
    describe_kinds,
    describe_strip,
    difference_in_words,
    landing_view,
    lay_out_rig,
    load_rig,
    minis,
    patch_csv,
    scene_steps,
    try_action,
)
from core.routing.edit.convert import Form
from core.routing.show.reduce import reduced
from server.config.answers import answer, download
from server.config.auth import user_of
from server.rigs import services
from server.rigs.feeds import readable
from server.rigs.held import HELD, Seen
from server.rigs.models import Rig as StoredRig
from server.rigs.models import Variant
from server.rigs.queries import context_for, context_of_all, rig_of, rigs_of, variant_of
from server.rigs.views import VIEWS
from server.songs.queries import song_of

router = Router(tags=["rigs"])


class VariantSummary(Edge):
    id: UUID
    letter: str
    name: str
    revision: int
    differs: list[str] = Field(description="Against the first variant, one line each")


class RigOut(Edge):
    id: UUID
    name: str
    variants: list[VariantSummary]


class RigCreate(Edge):
    name: str = Field(min_length=1, max_length=80)
    template: str | None = Field(None, max_length=60)
    notation: str | None = Field(None, max_length=2_000_000)


class RigRename(Edge):
    name: str | None = Field(None, min_length=1, max_length=80)
    was: str | None = Field(None, max_length=80, description="The name that was seen")
    position: int | None = Field(None, ge=0, le=1000, description="Place in the list of rigs")


class VariantCreate(Edge):
    copy_of: UUID | None = None
    name: str = Field("", max_length=80)


class VariantChange(Edge):
    name: str | None = Field(None, max_length=80)
    was: str | None = Field(None, max_length=80, description="The name that was seen")
    promote: bool = False
    position: int | None = Field(None, ge=0, le=8, description="0 makes it A")


class VariantOut(Edge):
    """A variant with everything computed from it under the song's tempo."""

    id: UUID
    rig: UUID
    letter: str
    name: str
    revision: int
    undo: str | None = Field(description="What undo would take back")
    redo: str | None = Field(description="What redo would do again")
    document: Rig
    view: RigView
    select: str = Field("", description="Node to select after an edit")
    said: str = Field("", description="What an edit did")


class HistoryStep(Edge):
    """One edit of a variant's history."""

    number: int
    said: str
    undone: bool
    at: datetime


class EditIn(Edge):
    id: UUID = Field(default_factory=uuid4, description="The same edit sent twice is done once")
    base_revision: int = Field(ge=1)
    action: Action


class TryIn(Edge):
    """An action to look at, and how the rig and its song stood where it was thought of: with these it is
    answered sooner.
    """

    action: Action
    revision: int | None = Field(None, ge=1)
    song_revision: int | None = Field(None, ge=1)


class LandingsIn(Edge):
    """A rail that is about to be laid; its `to` is what is asked for."""

    lay: Lay
    end: str | None = Field(
        None, max_length=44, description="Rail behind the run that it stands beside"
    )


class ConvertIn(Edge):
    id: UUID = Field(default_factory=uuid4)
    node: str = Field(max_length=40)
    to: Form
    apply: bool = False


class ConvertOut(Edge):
    conversion: Conversion
    variant: VariantOut | None


class CopyIn(Edge):
    nodes: Annotated[list[Word], Field(min_length=1, max_length=200)]


class TemplateOut(Edge):
    id: str
    name: str
    when: str
    layout: RigLayout = Field(description="How the course is drawn")


@cache
def _templates() -> list[TemplateOut]:
    found = []
    for t in TEMPLATES:
        rig = build(t)
        layout = lay_out_rig(rig, compile_rig(rig))
        found.append(TemplateOut(id=t.id, name=t.name, when=t.when, layout=layout))
    return found


def _summary(variant: Variant, first: Rig | None) -> VariantSummary:
    own = readable(variant)
    differs: list[str] = []
    if own is None:
        # One that cannot be read takes no other with it; what is wrong is said where it is opened.
        differs = ["It cannot be read"]
    elif variant.position != 0 and first is not None:
        differs = difference_in_words(first, own)
    return VariantSummary(
        id=variant.pk, letter=variant.letter, name=variant.name, revision=variant.revision,
        differs=differs[:12],
    )  # fmt: skip


def _rig_out(rig: StoredRig) -> RigOut:
    variants = list(rig.variants.all())
    first = readable(variants[0])
    return RigOut(id=rig.pk, name=rig.name, variants=[_summary(v, first) for v in variants])


def _ways(variant: Variant) -> tuple[str | None, str | None]:
    """What "undo" takes back and "redo" does again, in words."""
    said = variant.edits.values_list("said", flat=True)
    last = said.filter(undone=False).order_by("-number").first()
    return last, said.filter(undone=True).order_by("number").first()


def _variant_out(
    variant: Variant, select: str = "", said: str = "", document: Rig | None = None,
    view: RigView | None = None, ways: tuple[str | None, str | None] | None = None,
) -> VariantOut:  # fmt: skip
    """document, view and ways back and forth: where they are at hand, as after an edit."""
    document = document or load_rig(variant.document)
    undo, redo = ways or _ways(variant)
    return VariantOut.model_construct(
        id=variant.pk,
        rig=variant.rig_id,
        letter=variant.letter,
        name=variant.name,
        revision=variant.revision,
        undo=undo,
        redo=redo,
        document=document,
        view=view or VIEWS.of(document, context_for(variant, document)),
        select=select,
        said=said,
    )


def _changed(done: services.Changed) -> HttpResponse:
    return answer(
        _variant_out(done.variant, done.select, done.said, done.document, done.view, done.ways)
    )


@router.get("/rig-kinds", response=list[KindOut])
def list_rig_kinds(request: HttpRequest) -> Any:
    return [*describe_kinds(), describe_strip()]


@router.get("/rig-templates", response=list[TemplateOut])
def list_rig_templates(request: HttpRequest) -> Any:
    return _templates()


@router.get("/songs/{uuid:song_id}/rigs", response=list[RigOut])
def list_rigs(request: HttpRequest, song_id: UUID) -> Any:
    song = song_of(user_of(request), song_id)
    rigs = rigs_of(user_of(request)).filter(song=song).prefetch_related("variants")
    return [_rig_out(rig) for rig in rigs]


@router.post("/songs/{uuid:song_id}/rigs", response=RigOut)
def create_rig(request: HttpRequest, song_id: UUID, payload: RigCreate) -> Any:
    song = song_of(user_of(request), song_id)
    return _rig_out(
        services.create_rig(song, payload.name.strip() or "Rig", payload.template, payload.notation)
    )


@router.patch("/rigs/{uuid:rig_id}", response=RigOut)
def rename_rig(request: HttpRequest, rig_id: UUID, payload: RigRename) -> Any:
    rig = rig_of(user_of(request), rig_id)
    if payload.name is not None:
        rig = services.rename(user_of(request), rig_id, payload.name, payload.was)
    if payload.position is not None:
        rig = services.move_rig(user_of(request), rig_id, payload.position)
    return _rig_out(rig)


@router.post("/rigs/{uuid:rig_id}/duplicate", response=RigOut)
def duplicate_rig(request: HttpRequest, rig_id: UUID) -> Any:
    return _rig_out(services.duplicate_rig(user_of(request), rig_id))


@router.delete("/rigs/{uuid:rig_id}", response={204: None})
def delete_rig(request: HttpRequest, rig_id: UUID) -> tuple[int, None]:
    services.delete_rig(user_of(request), rig_id)
    return 204, None


@router.post("/rigs/{uuid:rig_id}/restore", response=RigOut)
def restore_rig(request: HttpRequest, rig_id: UUID) -> Any:
    return _rig_out(services.restore_rig(user_of(request), rig_id))


@router.get("/rigs/{uuid:rig_id}/minis", response=list[Mini])
def rig_minis(request: HttpRequest, rig_id: UUID) -> list[Mini]:
    """Its variants in small, in their order, with what differs from the first."""
    rig = rig_of(user_of(request), rig_id)
    documents = [load_rig(v.document) for v in rig.variants.all()]
    # Drawn alike, whatever plays: of what stands around them only the delays and the responses count.
    around = context_of_all(rig.song, documents)
    return minis([(document, around) for document in documents])


@router.post("/rigs/{uuid:rig_id}/variants", response=VariantOut)
def add_variant(request: HttpRequest, rig_id: UUID, payload: VariantCreate) -> Any:
    made = services.add_variant(user_of(request), rig_id, payload.copy_of, payload.name)
    return answer(_variant_out(made))


@router.get("/variants/{uuid:variant_id}", response=VariantOut)
def get_variant(request: HttpRequest, variant_id: UUID) -> Any:
    return answer(_variant_out(variant_of(user_of(request), variant_id)))


@router.patch("/variants/{uuid:variant_id}", response=VariantOut)
def change_variant(request: HttpRequest, variant_id: UUID, payload: VariantChange) -> Any:
    variant = variant_of(user_of(request), variant_id)
    if payload.name is not None:
        variant = services.rename_variant(user_of(request), variant_id, payload.name, payload.was)
    if payload.promote:
        variant = services.promote(user_of(request), variant_id)
    if payload.position is not None:
        variant = services.move_variant(user_of(request), variant_id, payload.position)
    return answer(_variant_out(variant))


@router.delete("/variants/{uuid:variant_id}", response={204: None})
def delete_variant(request: HttpRequest, variant_id: UUID) -> tuple[int, None]:
    services.delete_variant(user_of(request), variant_id)
    return 204, None


@router.post("/variants/{uuid:variant_id}/restore", response=VariantOut)
def restore_variant(request: HttpRequest, variant_id: UUID) -> Any:
    return answer(_variant_out(services.restore_variant(user_of(request), variant_id)))


@router.get("/variants/{uuid:variant_id}/history", response=list[HistoryStep])
def variant_history(request: HttpRequest, variant_id: UUID) -> list[HistoryStep]:
    """The newest 200 edits, newest first."""
    variant = variant_of(user_of(request), variant_id)
    return [
        HistoryStep(number=e.number, said=e.said, undone=e.undone, at=e.created_at)
        for e in variant.edits.order_by("-number")[:200]
    ]


@router.post("/variants/{uuid:variant_id}/history/{int:number}", response=VariantOut)
def go_to_step(request: HttpRequest, variant_id: UUID, number: int) -> Any:
    """The variant as it was after a step; 0: before the first."""
    return _changed(services.go_to(user_of(request), variant_id, number))


@router.post("/variants/{uuid:variant_id}/edits", response=VariantOut)
def edit_variant(request: HttpRequest, variant_id: UUID, payload: EditIn) -> Any:
    done = services.edit_variant(
        user_of(request), variant_id, payload.action, payload.base_revision, payload.id
    )
    return _changed(done)


@router.post("/variants/{uuid:variant_id}/try", response=Trial)
def try_edit(request: HttpRequest, variant_id: UUID, payload: TryIn) -> HttpResponse:
    """What an edit would make of the variant; nothing is stored."""
    user = user_of(request)
    held = HELD.get(Seen(user.pk, variant_id, payload.revision or 0, payload.song_revision or 0))
    if held is None:
        variant = variant_of(user, variant_id)
        document = load_rig(variant.document)
        held = document, context_for(variant, document, measured=False)
        HELD.put(Seen(user.pk, variant_id, variant.revision, variant.rig.song.revision), *held)
    document, context = held
    return answer(try_action(document, payload.action, context))


@router.post("/variants/{uuid:variant_id}/landings", response=list[LandingOut])
def variant_landings(
    request: HttpRequest, variant_id: UUID, payload: LandingsIn
) -> list[LandingOut]:
    """Where a rail may land, and what it would do there."""
    document, context = _heard(request, variant_id)
    return landing_view(document, payload.lay, payload.end, context)


@router.post("/variants/{uuid:variant_id}/undo", response=VariantOut)
def undo_variant(request: HttpRequest, variant_id: UUID) -> Any:
    return _changed(services.undo(user_of(request), variant_id))


@router.post("/variants/{uuid:variant_id}/redo", response=VariantOut)
def redo_variant(request: HttpRequest, variant_id: UUID) -> Any:
    return _changed(services.redo(user_of(request), variant_id))


@router.post("/variants/{uuid:variant_id}/convert", response=ConvertOut)
def convert_node(request: HttpRequest, variant_id: UUID, payload: ConvertIn) -> Any:
    """What a conversion would do, and, with `apply`, the rig after it."""
    found, done = services.convert_node(
        user_of(request), variant_id, payload.node, payload.to, payload.apply, payload.id
    )
    variant = _variant_out(done.variant, done.select, done.said) if done else None
    return answer(ConvertOut.model_construct(conversion=found, variant=variant))


@router.post("/variants/{uuid:variant_id}/copy", response=Fragment)
def copy_nodes(request: HttpRequest, variant_id: UUID, payload: CopyIn) -> Any:
    """Parts of a variant, for pasting into this rig or another."""
    document = load_rig(variant_of(user_of(request), variant_id).document)
    return answer(copy_parts(document, payload.nodes))


def _heard(request: HttpRequest, variant_id: UUID) -> tuple[Rig, Context]:
    variant = variant_of(user_of(request), variant_id)
    document = load_rig(variant.document)
    return document, context_for(variant, document)


@router.get("/variants/{uuid:variant_id}/layout", response=RigLayout)
def variant_layout(
    request: HttpRequest, variant_id: UUID, focus: Word | None = None
) -> HttpResponse:
    """The drawing of a variant, or of what belongs to one part of it."""
    document, context = _heard(request, variant_id)
    plan = compile_rig(document, context)
    return answer(lay_out_rig(reduced(document, focus), plan))


@router.get("/variants/{uuid:variant_id}/scenes", response=list[SceneStep])
def variant_scenes(request: HttpRequest, variant_id: UUID) -> list[SceneStep]:
    """What each scene of a variant changes from the rig as it stands."""
    return scene_steps(*_heard(request, variant_id))


@router.get("/variants/{uuid:variant_id}/returns", response=ReturnsOut)
def variant_returns(
    request: HttpRequest, variant_id: UUID, output: Word | None = None, place: Word | None = None
) -> ReturnsOut:
    """Several returns together: levels, low end, what muting one does, and the order of arrivals."""
    return returns_view(*_heard(request, variant_id), output, place)


@router.post("/variants/{uuid:variant_id}/course-levels", response=CourseLevels)
def variant_levels(request: HttpRequest, variant_id: UUID, payload: CourseRequest) -> CourseLevels:
    """Levels with headroom at every stage between a source and an output."""
    return course_levels(*_heard(request, variant_id), payload)


@router.post("/variants/{uuid:variant_id}/tail", response=TailOut)
def variant_tail(request: HttpRequest, variant_id: UUID, payload: TailRequest) -> TailOut:
    """The tail of a reverb of the rig in gaps, after all stages of its return."""
    return tail_view(*_heard(request, variant_id), payload)


@router.get("/variants/{uuid:variant_id}/patch.csv", response={200: None})
def patch_as_csv(request: HttpRequest, variant_id: UUID) -> HttpResponse:
    variant = variant_of(user_of(request), variant_id)
    document = load_rig(variant.document)
    text = patch_csv(document, context_for(variant, document))
    return download(text, f"{variant.rig.name} {variant.letter}, patch sheet.csv", "text/csv")
