"""Start renders, and find those that are still true."""

import hashlib
from uuid import UUID

from django.db import transaction

from core.errors import FonodromeError
from core.render import RENDERER
from core.routing import compile_rig, load_rig
from core.routing.plan import Plan
from server.accounts.models import User
from server.clips.queries import ready_clip_of
from server.config.problems import Problem
from server.jobs.models import Status
from server.renders.models import Render
from server.rigs.models import Variant
from server.rigs.queries import context_of


def digest_of(plan: Plan, clip_digest: str, source: str, output: str) -> str:
    """What a render is made of: the plan, the clip's bytes, the way through, and the renderer."""
    text = "|".join((str(RENDERER), plan.digest, clip_digest, source, output))
    return hashlib.sha256(text.encode()).hexdigest()


def start_render(user: User, variant: Variant, clip_id: UUID, source: str, output: str) -> Render:
    """Queue a render, or give the one that is there already. Raises Problem for another's clip."""
    from server.renders.tasks import run_render

    clip = ready_clip_of(user, clip_id)
    if clip.song_id != variant.rig.song_id:
        raise Problem(422, "The clip must belong to this song.", "other-song")
    plan = compile_rig(load_rig(variant.document), context_of(variant.rig.song))
    if source not in plan.sources or output not in plan.outputs:
        raise Problem(422, "The rig has no such source or output.", "no-way")
    assert clip.blob
    digest = digest_of(plan, clip.blob.digest, source, output)
    open_ones = (Status.QUEUED, Status.RUNNING, Status.DONE)
    with transaction.atomic():
        mine = Render.objects.filter(variant=variant, digest=digest, status__in=open_ones).first()
        if mine is not None:
            return mine
        render = Render.objects.create(
            variant=variant, clip=clip, source=source, output=output, digest=digest,
            document=variant.document,
        )  # fmt: skip
        same = Render.objects.filter(digest=digest, status=Status.DONE).exclude(blob=None).first()
        if same is not None:
            render.blob, render.report, render.status = same.blob, same.report, Status.DONE
            render.progress = 1.0
            render.save()
        else:
            run_render.defer(render_id=str(render.pk))
    return render


def is_older(render: Render) -> bool:
    """Whether the rig, its tempo or its delays have changed since."""
    if render.clip.blob is None:
        return True
    try:
        plan = compile_rig(load_rig(render.variant.document), context_of(render.variant.rig.song))
    except FonodromeError:
        return True
    now = digest_of(plan, render.clip.blob.digest, render.source, render.output)
    return now != render.digest
