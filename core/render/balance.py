"""Gains for stems, and how loud a mix of them is, without mixing them."""

import math
from collections.abc import Collection
from typing import Literal

import numpy as np
from pydantic import Field

from core.audio.loudness import gated_lufs, mixed_tenths, momentary_lufs, short_term_lufs
from core.blend import law_gains
from core.blend.laws import mix_of_ratio
from core.edge import Edge
from core.errors import FonodromeError
from core.render.report import RenderDetail, RenderReport
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.units.decibel import amplitude, decibels, power_decibels

LOWEST_DB, HIGHEST_DB, STEP_DB = -30.0, 12.0, 0.5
Law = Literal["fader", "linear", "equal-power", "compromise", "full"]


class KnobPoint(Edge):
    """A position of the balance: wet against dry (dB), its share of the level, and the stems' gains."""

    wet_db: float | None = Field(description="Null at the ends: dry only, wet only")
    share_percent: float = Field(description="Wet share of the measured level: no device's mix")
    gains: list[float] = Field(description="Linear, one a stem, on what was rendered")


class BalanceOut(Edge):
    """The whole travel of a balance, from dry only to wet only."""

    law: str
    route_db: float | None = Field(description="Wet against dry as the rig has it (K-weighted)")
    points: list[KnobPoint]
    sentence: str


class MixLevel(Edge):
    """How loud the stems are together with given gains."""

    loudness_lufs: float | None
    momentary_lufs: list[float] = Field(description="Of the 400 ms from each 100 ms on")
    short_term_lufs: list[float] = Field(description="Of the 3 s up to the end of each 100 ms")


def matrix_of(detail: RenderDetail, stems: int) -> np.ndarray:
    """Energies (steps, stems, stems) from the rows that are kept."""
    rows = np.array(detail.energies, dtype=float).reshape(-1, stems * (stems + 1) // 2)
    full = np.zeros((len(rows), stems, stems))
    i, j = np.triu_indices(stems)
    full[:, i, j] = rows
    full[:, j, i] = rows
    return full


def mix_level(report: RenderReport, detail: RenderDetail, gains: list[float]) -> MixLevel:
    """Integrated loudness of the stems with `gains` (linear). Raises FonodromeError for misfits."""
    if len(gains) != len(report.stems) or not all(math.isfinite(g) for g in gains):
        raise FonodromeError(f"This render has {len(report.stems)} stems; one gain each is needed.")
    tenths = np.maximum(mixed_tenths(matrix_of(detail, len(gains)), np.array(gains)), 0)
    now = np.maximum(momentary_lufs(tenths), -150)
    return MixLevel(
        loudness_lufs=gated_lufs(tenths), momentary_lufs=[round(float(v), 1) for v in now],
        short_term_lufs=[round(max(float(v), -150.0), 1) for v in short_term_lufs(tenths)],
    )  # fmt: skip


def moving_of(report: RenderReport, moving: Collection[str] = ()) -> list[bool]:
    """Which stems a balance moves: those that were chosen, else those that move by themselves.
    Raises FonodromeError for one that is not there.
    """
    known = {port for stem in report.stems for port in stem.ports}
    for name in moving:
        if name not in known:
            raise FonodromeError(f"This render has no path “{name[:40]}” that could be moved.")
    return [any(p in moving for p in s.ports) if moving else s.moves for s in report.stems]


def route_ratio_db(
    report: RenderReport, detail: RenderDetail, moving: Collection[str] = ()
) -> float | None:
    """Power of the stems that move against the others (dB, K-weighted); None where one is silent."""
    wet = np.array(moving_of(report, moving), dtype=float)
    total = matrix_of(detail, len(report.stems)).sum(axis=0)
    loud, dry = float(wet @ total @ wet), float((1 - wet) @ total @ (1 - wet))
    if loud <= 0 or dry <= 0:
        return None
    return power_decibels(loud / dry)


def balance(
    report: RenderReport, detail: RenderDetail, law: Law = "fader", moving: Collection[str] = ()
) -> BalanceOut:
    """The gains over the travel of a balance; moving: ids of stems, none for those that move by
    themselves.

    *fader*: the others stay, these move. A mix law moves both: its two gains, so scaled
    that the rig's own balance is where the law has that ratio. Raises FonodromeError where the
    stems all move, or none does.
    """
    route = route_ratio_db(report, detail, moving)
    if route is None:
        raise FonodromeError("There is nothing to balance here: one side of it is silent.")
    wet = moving_of(report, moving)
    here = law_gains(law, mix_of_ratio(law, amplitude(route))) if law != "fader" else (1.0, 1.0)

    def point(db: float | None, ratio: float) -> KnobPoint:
        if law == "fader":
            dry, moist = (0.0, 1.0) if math.isinf(ratio) else (1.0, ratio / amplitude(route))
        else:
            d, w = law_gains(law, mix_of_ratio(law, ratio))
            dry, moist = d / here[0], w / here[1]
        share = 1.0 if math.isinf(ratio) else ratio / (1 + ratio)
        gains = [min(moist if one else dry, 64.0) for one in wet]
        return KnobPoint(wet_db=db, share_percent=100 * share, gains=gains)

    steps = np.arange(LOWEST_DB, HIGHEST_DB + STEP_DB / 2, STEP_DB)
    points = [point(None, 0.0), *(point(float(x), amplitude(x)) for x in steps)]
    points.append(point(None, math.inf))
    return BalanceOut(
        law=law, route_db=route, points=points,
        sentence=_measured(report, wet, route),
    )  # fmt: skip


def _measured(report: RenderReport, moves: list[bool], route: float) -> str:
    wet = [s.wet for s in report.stems]
    named = list(dict.fromkeys(s.name for s, m in zip(report.stems, moves, strict=True) if m))
    what = (
        "Wet is" if moves == wet else f"{' and '.join(named)} {'is' if len(named) == 1 else 'are'}"
    )
    against = "dry" if moves == wet else "the rest"
    said = f"{what} {route:+.1f} dB against {against} as the rig has it, measured on this clip."
    return said.replace("-", "\u2212")


class BalancedSetting(Edge):
    """A setting that a balance comes to."""

    part: str = Field(description="A node, the port of a rail, or 'frame@siding' for a section")
    field: str
    value: float


def settings_for(
    rig: Rig, report: RenderReport, wet_db: float, route_db: float, moving: Collection[str] = ()
) -> list[BalancedSetting]:
    """What the rig has to be set to for a balance: the wet inputs' levels, or a device's mix.

    A mix knob turns the dry down as it turns the wet up: the output makes up for it. Raises
    FonodromeError where the place is gone or a setting would leave its range.
    """
    name, move = report.place or "", wet_db - route_db
    if "+" in name:
        return _levels(rig, _moved_ports(report, moving), move)
    node = rig.nodes.get(name.partition("@")[0])
    if node is None:
        raise FonodromeError("The place that was balanced is not in the rig any more.")
    if isinstance(node, k.Frame):
        return _section_settings(node, name, move)
    if isinstance(node, k.Mixed) and not node.many_inputs:
        dry, wet = law_gains(node.mix_law, node.mix_percent / 100)
        mix = mix_of_ratio(node.mix_law, wet / dry * amplitude(move))
        after = law_gains(node.mix_law, mix)[0]
        trim = node.output_db + decibels(dry / max(after, 1e-6))
        if trim > 60:
            raise FonodromeError(f"{node.shown} would have to make up {trim:.0f} dB: too much.")
        return [
            BalancedSetting(part=name, field="mix_percent", value=round(100 * mix, 2)),
            BalancedSetting(part=name, field="output_db", value=round(trim, 2)),
        ]
    return _levels(rig, _moved_ports(report, moving), move)


def _moved_ports(report: RenderReport, moving: Collection[str]) -> dict[str, str]:
    """Inputs that are moved and have a fader, with their names: of those that a path takes at several
    places the ones that were chosen, else that at the first place.
    """
    found: dict[str, str] = {}
    for stem, moves in zip(report.stems, moving_of(report, moving), strict=True):
        taken = stem.passes or (stem,)
        for one in taken if moving else taken[:1]:
            if moves and one.level_db is not None and (not moving or one.id in moving):
                found[one.id] = one.name
    return found


def _levels(rig: Rig, ports: dict[str, str], move: float) -> list[BalancedSetting]:
    out = []
    for port, name in ports.items():
        if port not in rig.rails:
            raise FonodromeError("An input that was balanced is not in the rig any more.")
        level = rig.rails[port].strip.level_db + move
        if not -120 <= level <= 60:
            raise FonodromeError(f"{name} would be set to {level:.0f} dB: out of its range.")
        out.append(BalancedSetting(part=port, field="level_db", value=round(level, 2)))
    return out


def _section_settings(frame: k.Frame, name: str, move: float) -> list[BalancedSetting]:
    """Mix and level of a dry path beside a siding, once its processor is moved by so many dB."""
    place = int(name.partition("@")[2])
    section = frame.section_at(place)
    if section is None:
        raise FonodromeError("The place that was balanced is not in the rig any more.")
    dry, wet = law_gains("linear", section.mix_percent / 100)
    mix = mix_of_ratio("linear", wet / dry * amplitude(move))
    # What the mix takes from the dry is made up for by the level behind both.
    level = section.level_db + decibels(dry / max(law_gains("linear", mix)[0], 1e-6))
    if level > 24:
        raise FonodromeError(f"{frame.shown} would have to make up {level:.0f} dB: too much.")
    return [
        BalancedSetting(part=name, field="mix_percent", value=round(100 * mix, 2)),
        BalancedSetting(part=name, field="level_db", value=round(level, 2)),
    ]
