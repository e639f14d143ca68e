"""Findings, the registry of rules, and what rules ask again and again."""

import logging
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.edit.actions import Action
from core.routing.evaluate.arrivals import Evaluation

_log = logging.getLogger(__name__)

Severity = Literal["alarm", "caution", "note"]


class FixOut(Edge):
    """One undoable action that mends a finding."""

    label: str
    action: Action


class Consequence(Edge):
    """What follows from a finding: it goes when that goes."""

    check: str
    at: str
    sentence: str
    value: float | None
    unit: str


class Finding(Edge):
    check: str
    severity: Severity
    at: str = Field(description="Node or rail that it is about; empty for the whole rig")
    sentence: str = Field(description="What will be heard, with the number")
    value: float | None = Field(description="The number that triggered it")
    unit: str
    fix: FixOut | None
    reason: str = Field(description="Why, in a paragraph")
    intended: bool
    intended_reason: str
    consequences: list[Consequence] = Field(
        description="What follows from it, here and elsewhere; its severity counts theirs"
    )


class CheckReport(Edge):
    findings: list[Finding] = Field(description="Alarms first, intended ones last")
    passed: list[str] = Field(description="Names of the rules that found nothing")
    failed: list[str] = Field(description="Names of rules that could not be worked out here")


@dataclass(frozen=True)
class Found:
    """What a rule says; the registry adds its name and reason."""

    at: str
    sentence: str
    value: float | None = None
    unit: str = ""
    fix: tuple[str, Action] | None = None
    severity: Severity | None = None
    cause: tuple[str, str] | None = None
    """Check and place of the finding that it follows from."""


@dataclass(frozen=True)
class Rule:
    id: str
    name: str
    severity: Severity
    reason: str
    run: Callable[[Evaluation], Iterator[Found]]


RULES: dict[str, Rule] = {}


def rule(id: str, name: str, severity: Severity, reason: str) -> Any:
    """Register a check. `name` is what it looks after, for the list of what passed."""

    def register(run: Callable[[Evaluation], Iterator[Found]]) -> Any:
        RULES[id] = Rule(id, name, severity, reason, run)
        return run

    return register


_ORDER = {"alarm": 0, "caution": 1, "note": 2}


def run_checks(evaluation: Evaluation) -> CheckReport:
    """Every rule over a rig. A rule that fails on a rig is named, and the others go on.

    What follows from another finding is listed with it, unless that one was marked as meant: what was
    meant hides nothing else.
    """
    marked = {(i.check, i.at): i.reason for i in evaluation.rig.intended}
    all_found: dict[tuple[str, str], tuple[Rule, Found]] = {}
    passed: list[str] = []
    failed: list[str] = []
    for one in RULES.values():
        try:
            found = list(one.run(evaluation))
        except Exception:
            _log.exception("The check “%s” failed", one.id)
            failed.append(one.name)
            continue
        if not found:
            passed.append(one.name)
        for place, f in enumerate(found):
            key = (one.id, f.at)
            all_found[key if key not in all_found else (one.id, f"{f.at} {place}")] = (one, f)
    follow: dict[tuple[str, str], list[tuple[Rule, Found]]] = {}
    for key, (one, f) in all_found.items():
        cause = _first_cause(key, all_found)
        if cause != key and cause not in marked and key not in marked:
            follow.setdefault(cause, []).append((one, f))
    hidden = {id(f) for those in follow.values() for _, f in those}
    findings = [
        _finding(one, f, marked, follow.get(key, []))
        for key, (one, f) in all_found.items()
        if id(f) not in hidden
    ]
    findings.sort(key=lambda f: (f.intended, _ORDER[f.severity]))
    return CheckReport(findings=findings, passed=passed, failed=failed)


def _first_cause(
    key: tuple[str, str], found: dict[tuple[str, str], tuple[Rule, Found]]
) -> tuple[str, str]:
    """The finding at the beginning of what a finding follows from; itself where it follows from none."""
    seen = {key}
    while (cause := found[key][1].cause) is not None and cause in found and cause not in seen:
        key = cause
        seen.add(key)
    return key


def _finding(
    one: Rule, f: Found, marked: dict[tuple[str, str], str], follow: list[tuple[Rule, Found]]
) -> Finding:
    key = (one.id, f.at)
    severities = [x.severity or rule.severity for rule, x in [(one, f), *follow]]
    return Finding(
        check=one.id,
        severity=min(severities, key=lambda s: _ORDER[s]),
        at=f.at,
        sentence=f.sentence,
        value=f.value,
        unit=f.unit,
        fix=FixOut(label=f.fix[0], action=f.fix[1]) if f.fix else None,
        reason=one.reason,
        intended=key in marked,
        intended_reason=marked.get(key, ""),
        consequences=[
            Consequence(check=r.id, at=x.at, sentence=x.sentence, value=x.value, unit=x.unit)
            for r, x in follow
        ],
    )


# What rules ask --------------------------------------------------------------------------------


def before(rig: Rig, id: str) -> list[str]:
    """Every node that feeds this one, nearest first, each once."""
    return rig.upstream(id)


def after(rig: Rig, id: str) -> list[str]:
    """Every node that this one feeds, nearest first, each once."""
    return rig.downstream(id)


def series_before(rig: Rig, id: str) -> list[str]:
    """The nodes straight before this one, back to where rails meet or part."""
    found: list[str] = []
    node = id
    while True:
        came = rig.inputs[node]
        if len(came) != 1:
            return found
        node = came[0].rpartition(".")[0]
        if node in found or rig.nodes[node].many_inputs or isinstance(rig.nodes[node], k.Split):
            return found
        if isinstance(rig.nodes[node], k.Send) and came[0].endswith(".1"):
            return found
        found.append(node)


def serial_pairs(
    rig: Rig, first: Iterable[k.Node], second: Iterable[k.Node]
) -> Iterator[tuple[Any, Any]]:
    """Pairs on one way through the rig, the first before the second, nearest pairs only."""
    leads = {node.id: node for node in first}
    if not leads:
        return
    for node in second:
        for other in before(rig, node.id):
            if other in leads:
                yield leads[other], node
                break


def has_dry_beside(evaluation: Evaluation, node: str) -> bool:
    """Whether some dry arrival of the same source goes round this node."""
    for board in evaluation.boards:
        through = any(node in a.through for a in board.arrivals)
        if through and any(node not in a.through and a.wet_percent == 0 for a in board.arrivals):
            return True
    return False


def on_return(rig: Rig, id: str) -> bool:
    """Whether the node stands on a rail that a send feeds."""
    for other in before(rig, id):
        node = rig.nodes[other]
        if isinstance(node, k.Send) and id in _send_side(rig, other):
            return True
    return False


def _send_side(rig: Rig, send: str) -> list[str]:
    port = f"{send}.1"
    if port not in rig.rails:
        return []
    target = rig.rails[port].target
    return [target, *after(rig, target)]


def with_trait(rig: Rig, *traits: str) -> Iterator[Any]:
    """Stages that are not bypassed and have one of these traits."""
    for node in rig.nodes.values():
        if (
            isinstance(node, k.Stage)
            and not node.bypassed
            and any(getattr(node, t) for t in traits)
        ):
            yield node


def sounding(rig: Rig, *types: type) -> Iterator[Any]:
    """Nodes of these types that are not bypassed."""
    return (node for node in rig.of_type(types) if not k.is_bypassed(node))


__all__ = [
    "CheckReport", "Finding", "FixOut", "FonodromeError", "Found", "RULES", "Rule", "after",
    "before", "has_dry_beside", "on_return", "rule", "run_checks", "serial_pairs",
    "series_before", "sounding", "with_trait",
]  # fmt: skip
