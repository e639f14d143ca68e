"""Change rigs: every edit is stored with its inverse, and refused where it meets another."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID, uuid5

from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone

from core.errors import FonodromeError
from core.routing import (
    Action,
    Conversion,
    Edit,
    EditConflict,
    Evaluation,
    RigError,
    RigView,
    apply_edit,
    build,
    build_alternative,
    compile_rig,
    convert,
    difference,
    load_rig,
    parse_rig,
    perform,
    refuse_wide,
    template_of,
)
from core.routing import Rig as Document
from core.routing.edit.actions import Intend
from core.routing.edit.convert import Form
from server.accounts.models import User
from server.config.problems import Problem
from server.log.services import write
from server.rigs.feeds import copied_feeds, readable
from server.rigs.models import Rig, Variant, VariantEdit, parts_of
from server.rigs.queries import context_for, context_of, rig_of, variant_of
from server.rigs.views import VIEWS
from server.snapshots.keeping import keep_daily
from server.songs.models import PutAway, Song

MOST_VARIANTS = 9


@dataclass(frozen=True)
class Changed:
    """A variant after an edit, with what to select and what was done.

    What was computed of it to see that it can be computed goes along, so that it is done once.
    """

    variant: Variant
    select: str
    said: str
    document: Document | None = None
    view: RigView | None = None
    ways: tuple[str | None, str | None] | None = None
    """What can be undone and done again, where it is known."""


def create_rig(song: Song, name: str, template: str | None, notation: str | None) -> Rig:
    """A rig with one variant: empty, from a template, or from notation."""
    document, other, names = Document(title=name), None, ("", "")
    if template is not None:
        found = template_of(template)
        if found is None:
            raise Problem(422, f"There is no template “{template}”.", "no-template")
        document, other = build(found), build_alternative(found)
        names = (found.first, found.second)
    elif notation is not None:
        document = refuse_wide(parse_rig(notation))
    document, other = _titled(document, name), other and _titled(other, name)
    compile_rig(document, context_of(song))
    with transaction.atomic():
        rig = Rig.objects.create(song=song, name=name, position=song.rigs.count())
        Variant.objects.create(rig=rig, position=0, name=names[0], document=_stored(document))
        if other is not None:
            Variant.objects.create(rig=rig, position=1, name=names[1], document=_stored(other))
    return rig


def _titled(document: Document, title: str) -> Document:
    return document.model_copy(update={"title": title})


def _one_title(variant: Variant) -> None:
    """A rig is called in the list what it is called in writing, in every variant of it."""
    rig, title = variant.rig, variant.document["title"]
    if title != rig.name:
        name_rig(rig, title)


def name_rig(rig: Rig, name: str) -> Rig:
    rig.name = name
    rig.save(update_fields=["name"])
    for one in Variant.everything.filter(rig=rig).select_for_update():
        if one.document.get("title") != name:
            one.document["title"] = name
            one.save(update_fields=["document"])
    return rig


def rename(user: User, rig_id: UUID, name: str, was: str | None) -> Rig:
    """Name a rig. Raises Problem where it has another name by now than the one that was seen."""
    with transaction.atomic():
        _alone(rig_of(user, rig_id))
        rig = rig_of(user, rig_id)
        _not_renamed(rig.name, was)
        return name_rig(rig, name.strip() or rig.name)


def rename_variant(user: User, variant_id: UUID, name: str, was: str | None) -> Variant:
    with transaction.atomic():
        variant = _locked(user, variant_id)
        _not_renamed(variant.name, was)
        variant.name = name.strip()
        variant.save(update_fields=["name"])
    return variant


def _not_renamed(now: str, was: str | None) -> None:
    if was is not None and was != now:
        raise Problem(
            409, f"It was renamed to “{now}” in another tab. What you typed is kept here.",
            "renamed-elsewhere", theirs=now,
        )  # fmt: skip


def _stored(document: Document) -> dict[str, Any]:
    return document.model_dump(mode="json")


def hold_song(**which: Any) -> None:
    """Wait for whoever changes this song or its rigs. Within a transaction, and before any lock of a rig or a
    variant: where everybody takes the song first, nobody waits in a circle.

    A delay that a rig is judged with cannot be taken out of the song meanwhile.
    """
    rows = Song.objects.select_for_update(no_key=True, of=("self",)).filter(**which)
    list(rows.order_by().values_list("pk", flat=True))


def _locked(user: User, variant_id: UUID) -> Variant:
    """A variant of one's own, locked, with its song as it stays until the end."""
    hold_song(owner=user, rigs__variants=variant_id)
    return variant_of(user, variant_id, locked=True)


def _alone(rig: Rig) -> None:
    """Whatever changes which variants a rig has waits for whoever does so at the same time."""
    hold_song(pk=rig.song_id)
    Rig.objects.select_for_update().filter(pk=rig.pk).first()


def _alone_with(user: User, variant_id: UUID) -> Variant:
    """A variant of one's own, locked with its rig."""
    _alone(variant_of(user, variant_id).rig)
    return _locked(user, variant_id)


def _kept_as(variant: Variant, edit_id: UUID) -> UUID:
    """An edit's id as it is stored: whoever sends the same one for another variant means another edit."""
    return uuid5(variant.pk, str(edit_id))


def edit_variant(
    user: User, variant_id: UUID, action: Action, base_revision: int, edit_id: UUID
) -> Changed:
    """Carry out an action that was made on `base_revision`.

    An edit that came twice is done once. Edits elsewhere merge, unless they changed the same
    values: then nothing is stored and Problem 409 carries both.
    """
    with transaction.atomic():
        variant = _locked(user, variant_id)
        again = variant.edits.filter(pk__in=[edit_id, _kept_as(variant, edit_id)]).first()
        if again is not None:
            return Changed(variant, again.select, again.said)
        now = load_rig(variant.document)
        base = now
        if base_revision != variant.revision:
            base = _as_of(variant, now, base_revision)
        done = perform(base, action)
        edit = difference(base, done.rig)
        after = done.rig if base is now else _merged(now, edit)
        # A rig that cannot be computed is refused here; what was computed is the answer.
        view = VIEWS.of(after, context_for(variant, after))
        store(variant, after, edit, action.model_dump(mode="json"), done.said, done.select, edit_id)
        _keep_scenes(variant, now, after)
        if isinstance(action, Intend):
            _log_decision(variant, action, view)
        # With a new step, what was taken back is gone.
        ways = (done.said[:200], None) if edit.changes else None
    return Changed(variant, done.select, done.said, after, view, ways)


def _log_decision(variant: Variant, action: Intend, view: RigView) -> None:
    """A check that is meant to be so, with the reason: that is a decision, and will be asked for."""
    findings = view.checks.findings
    check = next((c for c in findings if (c.check, c.at) == (action.check, action.at)), None)
    words = check.sentence if check is not None else action.check
    where = f"{variant.rig.name} {variant.letter}"
    title = f"{'Intended' if action.on else 'Not intended any more'}: {words}"
    write(
        variant.rig.song_id, "route", "decision", title,
        text=". ".join(part for part in (action.reason.strip(), where) if part), place="route",
        hand={"variant": str(variant.pk)},
    )  # fmt: skip


def _keep_scenes(variant: Variant, before: Document, after: Document) -> None:
    """Scenes that an edit took away go to the list of deleted things."""
    held = {scene.name for scene in after.scenes}
    for scene in before.scenes:
        # Renamed is not deleted: then there are as many as before.
        if scene.name not in held and len(after.scenes) < len(before.scenes):
            PutAway.objects.create(
                song=variant.rig.song, kind="scene", name=scene.name, place=str(variant.pk),
                content=scene.model_dump(mode="json"), deleted_at=timezone.now(),
            )  # fmt: skip


_TURNS, _TURNS_BYTES = 60, 400_000


def _turned(variant: Variant, document: Document, edits: Sequence[Edit]) -> None:
    """Keep a document. Each edit that led to it is a revision of its own, and is remembered for whoever is
    still at an older one: what was undone is a change like any other.
    """
    for edit in edits:
        variant.revision += 1
        changes = edit.model_dump(mode="json")["changes"]
        variant.turns.append({"revision": variant.revision, "changes": changes})
    turns = variant.turns[-_TURNS:]
    while len(turns) > 1 and len(json.dumps(turns)) > _TURNS_BYTES:
        turns = turns[len(turns) // 2 :]
    stored = _stored(document)
    same = parts_of(stored) == parts_of(variant.document)
    variant.turns, variant.document = turns, stored
    if not same:
        variant.save(update_fields=["document", "revision", "turns"])
        return
    # What it is found by stays as it is: to write it anew costs an index each time.
    values = {"document": stored, "revision": variant.revision, "turns": turns}
    Variant.everything.filter(pk=variant.pk).update(**values)


def _as_of(variant: Variant, now: Document, revision: int) -> Document:
    """The document as it stood at a revision. Raises Problem for one that is too long ago."""
    if revision > variant.revision or revision < 1:
        raise Problem(409, "This rig is newer here than on the server. Load it again.", "revision")
    held = {turn["revision"]: turn["changes"] for turn in variant.turns}
    document = now
    for number in range(variant.revision, revision, -1):
        if number not in held:
            raise Problem(
                409, "This rig was changed too often meanwhile. Load it again.", "revision"
            )
        document = apply_edit(document, Edit.model_validate({"changes": held[number]}).inverse)
    return document


def _merged(now: Document, edit: Edit) -> Document:
    try:
        return apply_edit(now, edit)
    except EditConflict as conflict:
        change, there = conflict.clashes[0]
        raise Problem(
            409,
            conflict.sentence,
            "changed-elsewhere",
            key=change.key,
            theirs=there,
            yours=change.after,
        ) from None


def store(
    variant: Variant,
    document: Document,
    edit: Edit,
    action: dict[str, Any],
    said: str,
    select: str,
    edit_id: UUID,
) -> None:
    """Keep a changed document and the step that made it; no step where nothing changed."""
    if not edit.changes:
        return
    keep_daily(variant.rig.song_id)
    # What was taken back stands behind all that was not: with a new step it is gone.
    newest = variant.edits.order_by("-number").values("number", "undone").first()
    if newest is not None and newest["undone"]:
        variant.edits.filter(undone=True).delete()
        newest = variant.edits.order_by("-number").values("number", "undone").first()
    last = newest["number"] if newest is not None else 0
    VariantEdit.objects.create(
        pk=_kept_as(variant, edit_id),
        variant=variant,
        number=last + 1,
        action=action,
        changes=edit.model_dump(mode="json")["changes"],
        said=said[:200],
        select=select,
    )
    _turned(variant, document, [edit])
    _one_title(variant)


def _still_computed(variant: Variant, after: Document) -> None:
    """Refuse a step through the history into a rig that cannot be computed: a delay that it refers to is gone
    from the song by now. From one that cannot be computed itself every step is open.
    """
    fault = _fault_of(variant, after)
    if fault is None:
        return
    now = readable(variant)
    if now is not None and _fault_of(variant, now) is None:
        raise fault


def _fault_of(variant: Variant, document: Document) -> FonodromeError | None:
    """Why it cannot be computed in its song; None where it can."""
    try:
        compile_rig(document, context_for(variant, document))
    except FonodromeError as fault:
        return fault
    return None


def undo(user: User, variant_id: UUID) -> Changed:
    """Take the newest step back. Raises Problem where there is none, or its target changed."""
    with transaction.atomic():
        variant = _locked(user, variant_id)
        step = variant.edits.filter(undone=False).order_by("-number").first()
        if step is None:
            raise Problem(409, "There is nothing to undo.", "nothing-to-undo")
        edit = Edit.model_validate({"changes": step.changes})
        after = _merged(load_rig(variant.document), edit.inverse)
        _still_computed(variant, after)
        _turned(variant, after, [edit.inverse])
        _one_title(variant)
        step.undone = True
        step.save(update_fields=["undone"])
    return Changed(variant, step.select, f"Undone: {step.said}")


def redo(user: User, variant_id: UUID) -> Changed:
    with transaction.atomic():
        variant = _locked(user, variant_id)
        step = variant.edits.filter(undone=True).order_by("number").first()
        if step is None:
            raise Problem(409, "There is nothing to do again.", "nothing-to-redo")
        edit = Edit.model_validate({"changes": step.changes})
        after = _merged(load_rig(variant.document), edit)
        _still_computed(variant, after)
        _turned(variant, after, [edit])
        _one_title(variant)
        step.undone = False
        step.save(update_fields=["undone"])
    return Changed(variant, step.select, f"Done again: {step.said}")


def convert_node(
    user: User, variant_id: UUID, node: str, to: Form, apply: bool, edit_id: UUID
) -> tuple[Conversion, Changed | None]:
    """What a conversion would do; with `apply`, do it as one step where it is possible."""
    with transaction.atomic():
        variant = _locked(user, variant_id)
        now = load_rig(variant.document)
        found = convert(Evaluation(now, context_for(variant, now)), node, to)
        if not apply:
            return found, None
        if found.rig is None:
            raise RigError(found.sentence, part=node)
        action = {"do": "convert", "node": node, "to": to}
        store(variant, found.rig, difference(now, found.rig), action, found.sentence, node, edit_id)
    return found, Changed(variant, node, found.sentence)


def go_to(user: User, variant_id: UUID, number: int) -> Changed:
    """Undo or do again, step by step, until step `number` is the newest done; 0: before them all."""
    with transaction.atomic():
        variant = _locked(user, variant_id)
        document = load_rig(variant.document)
        back = list(variant.edits.filter(undone=False, number__gt=number).order_by("-number"))
        again = list(variant.edits.filter(undone=True, number__lte=number).order_by("number"))
        edits = [Edit.model_validate({"changes": step.changes}).inverse for step in back]
        edits += [Edit.model_validate({"changes": step.changes}) for step in again]
        for edit in edits:
            document = _merged(document, edit)
        if edits:
            _still_computed(variant, document)
            _turned(variant, document, edits)
            _one_title(variant)
            variant.edits.filter(pk__in=[s.pk for s in back]).update(undone=True)
            variant.edits.filter(pk__in=[s.pk for s in again]).update(undone=False)
    many = len(back) or len(again)
    said = f"{many} {'step' if many == 1 else 'steps'} {'undone' if back else 'done again'}"
    return Changed(variant, "", said if many else "Nothing to do")


def add_variant(
    user: User, rig_id: UUID, copy_of: UUID | None, name: str, document: Document | None = None
) -> Variant:
    """A further variant, as a copy of one of the rig's; with `document` in place of its own."""
    rig = rig_of(user, rig_id)
    with transaction.atomic():
        _alone(rig)
        held = list(rig.variants.select_for_update())
        if len(held) >= MOST_VARIANTS:
            raise Problem(409, "A rig has up to nine variants. Delete one first.", "full")
        source = next((v for v in held if v.pk == copy_of), held[0] if copy_of is None else None)
        if source is None:
            raise Problem(422, "That variant belongs to another rig.", "other-rig")
        free = next(n for n in range(MOST_VARIANTS) if n not in {v.position for v in held})
        return Variant.objects.create(
            rig=rig, position=free, name=name, moves=source.moves,
            document=source.document if document is None else _stored(document),
        )  # fmt: skip


def promote(user: User, variant_id: UUID) -> Variant:
    """Make a variant the first; the one that was first takes its place."""
    with transaction.atomic():
        variant = _alone_with(user, variant_id)
        first = variant.rig.variants.select_for_update().first()
        if first is not None and first.pk != variant.pk:
            first.position, variant.position = variant.position, first.position
            first.save(update_fields=["position"])
            variant.save(update_fields=["position"])
    return variant


def delete_variant(user: User, variant_id: UUID) -> None:
    with transaction.atomic():
        variant = _alone_with(user, variant_id)
        if variant.rig.variants.count() == 1:
            raise Problem(409, "The last variant stays. Delete the rig instead.", "last")
        # Its letter is free for others meanwhile.
        variant.position, variant.deleted_at = None, timezone.now()
        variant.save(update_fields=["position", "deleted_at"])


def restore_variant(user: User, variant_id: UUID) -> Variant:
    """Bring a deleted variant back, at the first free letter."""
    mine = Variant.everything.filter(
        rig__song__owner=user, rig__song__deleted_at=None, rig__deleted_at=None
    )
    with transaction.atomic():
        _alone(get_object_or_404(mine.select_related("rig"), pk=variant_id).rig)
        variant = get_object_or_404(
            mine.select_related("rig__song").select_for_update(of=("self",)), pk=variant_id
        )
        if variant.deleted_at is not None:
            held = {v.position for v in variant.rig.variants.all()}
            if len(held) >= MOST_VARIANTS:
                raise Problem(409, "A rig has up to nine variants. Delete one first.", "full")
            variant.position = next(n for n in range(MOST_VARIANTS) if n not in held)
            variant.deleted_at = None
            variant.save(update_fields=["position", "deleted_at"])
    return variant


def move_variant(user: User, variant_id: UUID, position: int) -> Variant:
    """Put a variant at a place in its rig; those between move up or down by one."""
    with transaction.atomic():
        variant = _alone_with(user, variant_id)
        others = [v for v in variant.rig.variants.select_for_update() if v.pk != variant.pk]
        others.insert(max(0, min(position, len(others))), variant)
        for place, one in enumerate(others):
            one.position = place
            one.save(update_fields=["position"])
    return variant


def move_rig(user: User, rig_id: UUID, position: int) -> Rig:
    """Put a rig at a place in its song's list."""
    rig = rig_of(user, rig_id)
    with transaction.atomic():
        hold_song(pk=rig.song_id)
        held = rig.song.rigs.filter(deleted_at=None).select_for_update()
        others = [r for r in held if r.pk != rig.pk]
        others.insert(max(0, min(position, len(others))), rig)
        for place, one in enumerate(others):
            one.position = place
            one.save(update_fields=["position"])
    return rig


def duplicate_rig(user: User, rig_id: UUID) -> Rig:
    """A second rig with the same variants; their history stays behind."""
    rig = rig_of(user, rig_id)
    with transaction.atomic():
        made = _copied(rig, rig.song, f"{rig.name[:73]} (copy)")
        return move_rig(user, made.pk, rig.position + 1)


def delete_rig(user: User, rig_id: UUID) -> None:
    """Put a rig away; `restore_rig` brings it back."""
    rig = rig_of(user, rig_id)
    rig.deleted_at = timezone.now()
    rig.save(update_fields=["deleted_at"])


def restore_rig(user: User, rig_id: UUID) -> Rig:
    rig = get_object_or_404(Rig, song__owner=user, song__deleted_at=None, pk=rig_id)
    rig.deleted_at = None
    rig.save(update_fields=["deleted_at"])
    return rig


def copy_rigs(song: Song, to: Song) -> None:
    """Copy the rigs of a song with their variants; edits stay behind."""
    for rig in song.rigs.filter(deleted_at=None):
        _copied(rig, to, rig.name)


def _copied(rig: Rig, to: Song, name: str) -> Rig:
    made = Rig.objects.create(
        song=to, name=name, position=rig.position, feeds=copied_feeds(rig, to)
    )
    for variant in rig.variants.all():
        Variant.objects.create(
            rig=made, position=variant.position, name=variant.name,
            document={**variant.document, "title": name}, moves=variant.moves,
        )  # fmt: skip
    return made
