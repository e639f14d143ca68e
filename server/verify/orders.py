"""Series or parallel, insert or send: the other variant is made, and both are rendered."""

from uuid import UUID

from django.db import transaction

from core.edge import Edge
from core.render.report import RenderJob
from core.routing import Evaluation, Order, Rig, RigError, load_rig, orders_of, the_other
from server.accounts.models import User
from server.config.problems import Problem
from server.renders.services import start_render
from server.rigs.models import Variant
from server.rigs.queries import context_for, variant_of
from server.rigs.services import add_variant


class Ordered(Edge):
    """Both ways, on their way to be heard."""

    order: Order
    here: UUID
    other: UUID
    other_letter: str
    renders: list[UUID]


def _evaluated(variant: Variant) -> Evaluation:
    rig = load_rig(variant.document)
    return Evaluation(rig, context_for(variant, rig, measured=False))


def orders(variant: Variant) -> list[Order]:
    return orders_of(_evaluated(variant))


def _kept(user: User, variant: Variant, other: Rig, name: str) -> Variant:
    """A variant of the same rig with that document: the one that is there, else a new one."""
    for one in variant.rig.variants.all():
        if load_rig(one.document) == other and one.moves == variant.moves:
            return one
    return add_variant(user, variant.rig_id, variant.pk, name[:80], other)


def begin(user: User, variant_id: UUID, order_id: str, clip: UUID | None) -> Ordered:
    """Make the other way and render both on the clip. Raises Problem where it cannot be."""
    variant = variant_of(user, variant_id)
    evaluated = _evaluated(variant)
    found = next((o for o in orders_of(evaluated) if o.id == order_id), None)
    if found is None:
        raise Problem(422, "The rig does not ask that any more: choose again.", "no-order")
    try:
        rig = the_other(evaluated, order_id)
    except RigError as error:
        raise Problem(422, error.sentence, error.code) from None
    with transaction.atomic():
        other = _kept(user, variant, rig, found.other)
        renders = [
            start_render(user, one, RenderJob(output=found.output), clip)
            for one in (variant, other)
        ]
    return Ordered(
        order=found, here=variant.pk, other=other.pk, other_letter=other.letter,
        renders=[r.pk for r in renders],
    )  # fmt: skip
