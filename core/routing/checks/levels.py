"""Checks of levels: headroom, faders and sends, low end, keys, channels."""

import math
from collections.abc import Iterator

from core.routing.checks.base import (
    Found,
    after,
    before,
    has_dry_beside,
    on_return,
    rule,
    sounding,
    with_trait,
)
from core.routing.document import kinds as k
from core.routing.edit.actions import Insert, Move, Set, SetKey, SetStrip, Several
from core.routing.evaluate.arrivals import Evaluation
from core.units import format as fmt
from core.units.decibel import SILENT_DB, gain_db, power_db

_MID_SCALE = {"half": 0.5, "one": 1.0, "root-half": math.sqrt(0.5)}


@rule(
    "headroom", "headroom at every output", "alarm",
    "Every source's level and crest, with all that reaches a side in step, should stay below the "
    "ceiling. It is a bound: what sounds is usually some dB below it.",
)  # fmt: skip
def headroom(e: Evaluation) -> Iterator[Found]:
    for out in e.output_levels():
        if out.peak_dbfs is None or e.plan.carried[e.plan.outputs[out.output]].grows:
            continue
        over = out.peak_dbfs - out.ceiling_dbfs
        if over <= 0:
            continue
        down = math.ceil(over * 10) / 10
        rails = e.rig.inputs[out.output]
        changes = tuple(
            SetStrip(
                rail=p,
                values={"level_db": max(-120, round(e.rig.rails[p].strip.level_db - down, 1))},
            )
            for p in rails
        )
        cause = next(
            (
                ("stage-level", id)
                for id, gain in _hot(e).items()
                if gain is not None and over - gain < 3 and out.output in after(e.rig, id)
            ),
            None,
        )
        yield Found(
            out.output,
            f"Peaks at {e.rig.nodes[out.output].shown} reach {fmt.signed(out.peak_dbfs, 1)} dBFS when "
            f"everything is in step: {fmt.number(over, 1)} dB over.",
            over, "dB", (f"Bring its inputs down by {fmt.number(down, 1)} dB", Several(actions=changes)),
            "alarm" if over > 3 else "caution", cause,
        )  # fmt: skip


_HOT_DBFS = -3.0


def _hot(e: Evaluation) -> dict[str, float | None]:
    """Stages that give more than they should at nominal level, to what they add to what comes in (dB);
    None where it came in like that.
    """
    found: dict[str, float | None] = {}
    for node in sounding(e.rig, k.Stage):
        carried = e.plan.carried[e.plan.outlet[f"{node.id}.0"]]
        level = carried.level_dbfs
        if level is None or level <= _HOT_DBFS or carried.grows:
            continue
        came = e.plan.carried[e.plan.inlet[node.id]].level_dbfs
        own = level - (came if came is not None else SILENT_DB)
        found[node.id] = own if own > 1 or came is None or came <= _HOT_DBFS else None
    return found


@rule(
    "stage-level", "headroom at every stage", "caution",
    "A nominal level close to full scale in the middle of the course leaves no room for peaks, "
    "even where the output looks safe again.",
)  # fmt: skip
def stage_level(e: Evaluation) -> Iterator[Found]:
    hot = _hot(e)
    for id, own in hot.items():
        node = e.rig.nodes[id]
        assert isinstance(node, k.Stage)
        level = e.plan.carried[e.plan.outlet[f"{id}.0"]].level_dbfs
        assert level is not None
        down = math.ceil(level + 9)
        # What came in too loud has its cause before it: the nearest stage that is.
        cause = next((("stage-level", n) for n in before(e.rig, id) if n in hot and n != id), None)
        yield Found(
            id, f"{node.shown} gives {fmt.signed(level, 1)} dBFS at nominal level.", level, "dB",
            (f"Turn its output down by {down} dB", Set(node=id, values={"output_db": node.output_db - down})),
            cause=cause if own is None else None,
        )  # fmt: skip


@rule(
    "pre-send", "sends follow their fader", "note",
    "A send before the fader keeps sounding when the channel is faded or muted, and fading changes "
    "the blend. That is wanted for monitors, and a surprise for effects.",
)  # fmt: skip
def pre_send(e: Evaluation) -> Iterator[Found]:
    for send in e.rig.of_kind("send"):
        fader = _fader_after(e, send.id)
        if fader is None:
            continue
        yield Found(
            send.id,
            f"{send.shown} taps before {e.rig.nodes[fader].shown}: with the fader down it goes on sounding.",
            None, "", ("Move it behind the fader", Move(node=send.id, to=f"{fader}.0")),
        )  # fmt: skip


def _fader_after(e: Evaluation, send: str) -> str | None:
    """A fader further along the same rail."""
    port = f"{send}.0"
    seen = set()
    while port in e.rig.rails and port not in seen:
        seen.add(port)
        node = e.rig.nodes[e.rig.rails[port].target]
        if isinstance(node, k.Fader):
            return node.id
        if node.many_inputs or isinstance(node, k.Split):
            return None
        port = f"{node.id}.0"
    return None


@rule(
    "solo-safe", "returns are solo-safe", "note",
    "A return that is not solo-safe falls silent when any channel is soloed: one then judges the "
    "channel without its space.",
)  # fmt: skip
def solo_safe(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Return):
        if not node.solo_safe and on_return(e.rig, node.id):
            yield Found(
                node.id,
                f"{node.shown} is not solo-safe.",
                None,
                "",
                ("Make it solo-safe", Set(node=node.id, values={"solo_safe": True})),
            )


@rule(
    "low-end", "the low end of returns", "note",
    "Returns add up their low end: n of them, equally loud and unrelated, by 10 log n dB. A low "
    "cut on each keeps the bottom to the dry sound.",
)  # fmt: skip
def low_end(e: Evaluation) -> Iterator[Found]:
    open_returns = [
        n for n in sounding(e.rig, k.Return)
        if on_return(e.rig, n.id) and not _has_low_cut(e, n.id)
    ]  # fmt: skip
    if len(open_returns) >= 2:
        lift = power_db(len(open_returns))
        cuts = tuple(
            Insert(
                at=e.rig.inputs[n.id][0],
                kind="filter",
                values={"low_cut_hz": 150, "name": "Low cut"},
            )
            for n in open_returns
        )
        yield Found(
            open_returns[0].id,
            f"{len(open_returns)} returns without a low cut lift the low end by {fmt.number(lift, 1)} dB.",
            lift, "dB", ("Put a low cut on each", Several(actions=cuts)),
        )  # fmt: skip


def _has_low_cut(e: Evaluation, id: str) -> bool:
    for n in before(e.rig, id):
        node = e.rig.nodes[n]
        if isinstance(node, k.Send):
            continue
        if getattr(node, "has_low_cut", False) and k.field_of(node, "low_cut_hz"):
            return True
        if isinstance(node, k.Source):
            return False
    return False


@rule(
    "key-after-wet", "keys are tapped before the wet sound", "caution",
    "A ducker that listens behind its own wet sound ducks itself: the tail holds its own level "
    "down and pumps.",
)  # fmt: skip
def key_after_wet(e: Evaluation) -> Iterator[Found]:
    for keyed, key in e.rig.keys.items():
        if key.tap in after(e.rig, keyed):
            source = next(
                (s.id for s in e.rig.of_kind("source") if s.id in before(e.rig, keyed)), None
            )
            fix = (
                (f"Key it by {e.rig.nodes[source].shown}", SetKey(keyed=keyed, tap=source))
                if source
                else None
            )
            yield Found(
                keyed,
                f"{e.rig.nodes[keyed].shown} is keyed behind where its own sound comes in.",
                None,
                "",
                fix,
            )


@rule(
    "key-missing", "every ducker has a key", "caution",
    "A ducker turns its sound down while its key sounds. Without a key it does nothing at all.",
)  # fmt: skip
def key_missing(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Ducker):
        if node.id not in e.rig.keys and node.way != "shape":
            source = next((s.id for s in e.rig.of_kind("source")), None)
            fix = (
                (f"Key it by {e.rig.nodes[source].shown}", SetKey(keyed=node.id, tap=source))
                if source
                else None
            )
            yield Found(node.id, f"{node.shown} listens to nothing.", None, "", fix)


@rule(
    "narrowed", "stereo stays stereo", "caution",
    "A mono stage after a stereo one adds the sides up, or drops one. Width that was made before "
    "it is gone, and what differs in polarity cancels.",
)  # fmt: skip
def narrowed(e: Evaluation) -> Iterator[Found]:
    for id, how in e.plan.narrowed.items():
        node = e.rig.nodes[id]
        what = "adds both sides up" if how == "sum" else f"keeps the {how} side alone"
        fix = ("Make it stereo", Set(node=id, values={"channels": "as-is"})) if isinstance(node, k.Stage) else (
            ("Make it stereo", Set(node=id, values={"stereo": True})) if isinstance(node, k.Output) else None
        )  # fmt: skip
        yield Found(
            id,
            f"{node.shown} is mono after a stereo stage: it {what}, and 100 % of the width is lost.",
            100,
            "%",
            fix,
        )


@rule(
    "ms-unpaired", "mid and side in pairs", "caution",
    "Mid/side coding must be decoded again before the output; otherwise mid comes out left and "
    "side right.",
)  # fmt: skip
def ms_unpaired(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.MidSideEncoder, k.Frame):
        coder = _coding(node)[1]
        if coder is None:
            continue
        if not any(_coding(e.rig.nodes[n])[0] is not None for n in after(e.rig, node.id)):
            outs = e.rig.outputs_of(node.id)
            fix = (
                ("Decode behind it", Insert(at=outs[0], kind="ms_decode", values={"scale": _PAIR[coder.scale]}))
                if outs
                else None
            )  # fmt: skip
            yield Found(node.id, f"{_inside(node, coder)} is never decoded.", None, "", fix)
    for node in sounding(e.rig, k.MidSideDecoder, k.Frame):
        decoder = _coding(node)[0]
        if decoder is None:
            continue
        fed = [e.rig.nodes[n] for n in before(e.rig, node.id)]
        if not any(
            _coding(n)[1] is not None or (isinstance(n, k.Split) and n.mode == "mid-side")
            for n in fed
        ):
            came = e.rig.inputs[node.id]
            fix = (
                ("Code before it", Insert(at=came[0], kind="ms_encode", values={"scale": _PAIR[decoder.scale]}))
                if came
                else None
            )  # fmt: skip
            yield Found(
                node.id, f"{_inside(node, decoder)} has nothing coded before it.", None, "", fix
            )


_PAIR = {"half": "one", "one": "half", "root-half": "root-half"}


def _inside(node: k.Node, stage: k.Stage) -> str:
    return stage.shown if stage is node else f"{stage.shown} in {node.shown}"


def _coding(node: k.Node) -> tuple[k.MidSideDecoder | None, k.MidSideEncoder | None]:
    """The decoder that wants something coded before a node, and the coder that is still open behind
    it: of a frame those of the processors that run, in their order.
    """
    stages: list[k.Node] = [node]
    if isinstance(node, k.Frame):
        stages = [*node.running()]
    wants, opened = None, None
    for stage in stages:
        if k.is_bypassed(stage):
            continue
        if isinstance(stage, k.MidSideEncoder):
            opened = stage
        elif isinstance(stage, k.MidSideDecoder):
            if opened is None:
                wants = wants or stage
            opened = None
    return wants, opened


@rule(
    "ms-scale", "mid/side scales match", "caution",
    "Coder and decoder share a scale of 1/2 and 1, or 1 over the square root of 2 in both: any "
    "other pair changes the level.",
)  # fmt: skip
def ms_scale(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.MidSideEncoder):
        pair = next(
            (
                e.rig.nodes[n]
                for n in after(e.rig, node.id)
                if isinstance(e.rig.nodes[n], k.MidSideDecoder)
            ),
            None,
        )
        if pair is None:
            continue
        assert isinstance(pair, k.MidSideDecoder)
        error = gain_db(2 * _MID_SCALE[node.scale] * _MID_SCALE[pair.scale])
        if abs(error) > 0.01:
            right = {"half": "one", "one": "half", "root-half": "root-half"}[node.scale]
            yield Found(
                pair.id,
                f"{node.shown} and {pair.shown} change the level by {fmt.signed(error, 1)} dB.",
                error,
                "dB",
                ("Match the scale", Set(node=pair.id, values={"scale": right})),
            )


@rule(
    "quiet-lift", "parallel attack fits its use", "note",
    "With a threshold below all material the dry path carries the attacks: a fast compressor "
    "lifts what is quiet, a slow one lets the attacks through twice. Attack works the other way "
    "round there.",
)  # fmt: skip
def quiet_lift(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Compressor):
        level = e.plan.carried[e.plan.inlet[node.id]].level_dbfs
        if level is None or node.attack_ms <= 20 or not has_dry_beside(e, node.id):
            continue
        if level - node.threshold_db > 12:
            yield Found(
                node.id,
                f"{node.shown} beside a dry path attacks in {node.attack_ms:g} ms: peaks come through twice.",
                node.attack_ms,
                "ms",
                ("Set attack to 3 ms", Set(node=node.id, values={"attack_ms": 3})),
            )


@rule(
    "insert-or-send", "one device serves several", "note",
    "The same effect on several rails can be one device on a shared return: equal settings, one "
    "place to change them, less load. Each rail then sends as much as its insert was mixed in.",
)  # fmt: skip
def insert_or_send(e: Evaluation) -> Iterator[Found]:
    seen: dict[tuple[object, ...], list[k.Node]] = {}
    own = {"id", "name", "mix_percent", "mix_law", "output_db", "unit", "current_ma", "loop"}
    for node in with_trait(e.rig, "has_tail"):
        if not on_return(e.rig, node.id):
            what = tuple((f, v) for f, v in node.__dict__.items() if f not in own)
            seen.setdefault(what, []).append(node)
    for group in seen.values():
        if len(group) > 1:
            shares = ", ".join(
                f"{n.shown} {n.mix_percent:g} %" for n in group if isinstance(n, k.Mixed)
            )
            yield Found(
                group[0].id,
                f"{len(group)} equal devices are inserted ({shares}): one return would serve all.",
                len(group),
                "devices",
            )


@rule(
    "idle-setting", "settings can act where they stand", "note",
    "Pan, width, sides and spread need two sides: on a mono path they do nothing, however they are "
    "set.",
)  # fmt: skip
def idle_setting(e: Evaluation) -> Iterator[Found]:
    for part, labels in e.plan.idle.items():
        node = e.rig.nodes.get(part)
        words = " and ".join(labels)
        if node is None:
            shown = f"The input from {e.rig.nodes[part.rpartition('.')[0]].shown}"
            yield Found(part, f"{shown} is mono: its {words} {_does(labels)} nothing here.")
            continue
        open_up = (
            ("Let it open to two sides", Set(node=part, values={"channels": "as-is"}))
            if isinstance(node, k.Stage) and node.channels == "mono"
            else None
        )
        yield Found(
            part, f"{node.shown} is mono: its {words} {_does(labels)} nothing here.", fix=open_up
        )


def _does(labels: tuple[str, ...]) -> str:
    return "does" if len(labels) == 1 else "do"


@rule(
    "clip-level", "levels are those of the clip", "note",
    "Levels along the course are counted from each source's nominal level. Where the clip that plays "
    "into it is louder or softer, compressors and drives work elsewhere than the figures say.",
)  # fmt: skip
def clip_level(e: Evaluation) -> Iterator[Found]:
    for name, clip in e.context.clips.items():
        node = e.rig.nodes.get(name)
        if not isinstance(node, k.Source) or clip.rms_dbfs is None:
            continue
        apart = clip.rms_dbfs - node.level_dbfs
        if abs(apart) > 3:
            level = round(max(-90.0, min(0.0, clip.rms_dbfs)), 1)
            crest = round(max(3.0, min(40.0, clip.crest_db)), 1)
            yield Found(
                name,
                f"{node.shown} is planned at {fmt.signed(node.level_dbfs, 1)} dBFS; “{clip.name}” has "
                f"{fmt.signed(clip.rms_dbfs, 1)}: the source's level is not the clip's.",
                apart, "dB",
                ("Set it from the clip", Set(node=name, values={"level_dbfs": level, "crest_db": crest})),
            )  # fmt: skip
