"""Mix laws drawn together, and the insert that sounds as a parallel path does."""

from pydantic import Field

from core.blend.laws import LAWS, equal_insert, law_gains, nearest_steps
from core.edge import Edge
from core.errors import FonodromeError
from core.units.decibel import db_gain, decibels, power_decibels

NAMES = {
    "linear": "Linear", "equal-power": "Equal power", "compromise": "\u22124.5 dB",
    "full": "Full at the centre",
}  # fmt: skip
_POINTS = 101


class BlendRequest(Edge):
    """A dry path beside a wet one, and what stands in the way of an equal insert."""

    dry_db: float = Field(0, ge=-120, le=24)
    wet_db: float = Field(-2.5, ge=-120, le=24)
    device_mix_percent: float = Field(100, ge=0, le=100, description="The device's own wet share")
    correlation: float = Field(0, ge=-1, le=1)
    mix_step_percent: float = Field(1, gt=0, le=50)
    level_step_db: float = Field(0.1, gt=0, le=6)
    latency_apart_ms: float = Field(0, ge=0, le=2000, description="Wet later than dry, unwanted")
    inverted: bool = False
    linear: bool = Field(True, description="The device treats loud and quiet alike")
    moving: bool = Field(False, description="It is modulated")


class LawCurve(Edge):
    law: str
    name: str
    dry_db: list[float | None]
    wet_db: list[float | None]
    sum_db: list[float | None]


class InsertRow(Edge):
    """The insert for one law."""

    law: str
    name: str
    mix_percent: float
    trim_db: float
    set_mix_percent: float
    set_trim_db: float
    null_db: float | None = Field(
        description="Null to expect with the nearest settings; null: exact"
    )


class EqualRow(InsertRow):
    """The same, with how loud it is."""

    sum_db: float = Field(description="Level of the sum there")


class InsertRequest(Edge):
    """An insert, and the parallel path or the other law that is to sound like it."""

    law: str = Field("linear", max_length=20)
    mix_percent: float = Field(40, ge=0, le=100)
    trim_db: float = Field(0, ge=-60, le=24)
    device_mix_percent: float = Field(
        100, ge=0, le=100, description="What the device on the parallel path stands at"
    )
    level_step_db: float = Field(0.1, gt=0, le=6)
    mix_step_percent: float = Field(1, gt=0, le=50)


class InsertOut(Edge):
    """What sounds as an insert does."""

    dry_db: float | None = Field(description="Fader of the dry path; null: off")
    wet_db: float | None = Field(description="Fader of the wet path; null: off")
    set_dry_db: float | None
    set_wet_db: float | None
    null_db: float | None = Field(description="Null to expect with the nearest faders; null: exact")
    impossible: str = Field(description="Why no pair of faders does it; else empty")
    rows: list[InsertRow] = Field(description="The same sound by each law")
    sentence: str


class BlendOut(Edge):
    mix_percent: list[float]
    laws: list[LawCurve]
    effective_dry_db: float | None
    effective_wet_db: float | None
    leak_db: float | None = Field(
        description="What the device's own dry share adds to the dry path"
    )
    exact: bool
    broken_by: list[str]
    rows: list[EqualRow]
    pair_sum_db: float
    sentence: str


def _db(linear: float) -> float | None:
    return decibels(linear) if linear > 1e-6 else None


def _sum_db(dry: float, wet: float, correlation: float) -> float | None:
    power = dry * dry + wet * wet + 2 * correlation * dry * wet
    return power_decibels(power) if power > 1e-12 else None


def _row(
    dry: float, wet: float, law: str, mix_step_percent: float, level_step_db: float
) -> InsertRow:
    """The insert of one law for a pair of gains, exact and as its controls can be set."""
    found = equal_insert(dry, wet, 1.0, law)
    mix, trim, null = nearest_steps(dry, wet, mix_step_percent / 100, level_step_db, law)
    return InsertRow(
        law=law, name=NAMES[law], mix_percent=100 * found.mix, trim_db=decibels(found.trim),
        set_mix_percent=round(100 * mix, 6), set_trim_db=round(trim, 6), null_db=null,
    )  # fmt: skip


def blend_view(request: BlendRequest) -> BlendOut:
    """All laws for a correlation, and the equal insert for each. Raises FonodromeError where nothing sounds."""
    mixes = [i / (_POINTS - 1) for i in range(_POINTS)]
    curves = []
    for law in LAWS:
        pairs = [law_gains(law, m) for m in mixes]
        curves.append(
            LawCurve(
                law=law, name=NAMES[law], dry_db=[_db(d) for d, _ in pairs],
                wet_db=[_db(w) for _, w in pairs],
                sum_db=[_sum_db(d, w, request.correlation) for d, w in pairs],
            )
        )  # fmt: skip
    dry, wet = (db_gain(v) for v in (request.dry_db, request.wet_db))
    share = request.device_mix_percent / 100
    effective_dry, effective_wet = dry + wet * (1 - share), wet * share
    if effective_dry <= 0 and effective_wet <= 0:
        raise FonodromeError("Dry and wet are both turned off: there is nothing to equal.")
    broken = []
    if request.latency_apart_ms > 0:
        broken.append(
            f"wet comes {request.latency_apart_ms:g} ms later than dry: an insert delays neither"
        )
    if request.inverted:
        broken.append("wet is inverted: no mix control turns the polarity over")
    if not request.linear:
        broken.append("the device does not treat loud and quiet alike")
    if request.moving:
        broken.append("the device is modulated: two of them never move alike")
    rows = []
    for law in LAWS:
        row = _row(
            effective_dry, effective_wet, law, request.mix_step_percent, request.level_step_db
        )
        level = _sum_db(*law_gains(law, row.mix_percent / 100), request.correlation)
        rows.append(EqualRow(**row.model_dump(), sum_db=-120.0 if level is None else level))
    best = rows[0]
    if broken:
        said = "There is no equal insert: " + "; ".join(broken) + "."
    else:
        limit = "exactly" if best.null_db is None else f"expect a null of {best.null_db:.1f} dB"
        said = (
            f"An insert at {best.mix_percent:.1f} % with a trim of {best.trim_db:+.2f} dB sounds the same; with "
            f"steps of {request.mix_step_percent:g} % and {request.level_step_db:g} dB {limit}."
        ).replace("-", "\u2212")
    return BlendOut(
        mix_percent=[100 * m for m in mixes], laws=curves, effective_dry_db=_db(effective_dry),
        effective_wet_db=_db(effective_wet),
        leak_db=_db(effective_dry / dry) if dry > 0 and effective_dry > dry else None,
        exact=not broken, broken_by=broken, rows=rows,
        pair_sum_db=_sum_db(effective_dry, effective_wet, request.correlation) or -120.0, sentence=said,
    )  # fmt: skip


def insert_view(request: InsertRequest) -> InsertOut:
    """The parallel path, and the other laws, that sound as an insert does.

    An insert of gains T d and T w needs faders `W = T w / p` and `D = T d - W (1 - p)` beside a device
    at p. Where D would be below zero the device brings more dry than is wanted: no fader takes that
    away. Raises FonodromeError for an unknown law or for silence.
    """
    law_dry, law_wet = law_gains(request.law, request.mix_percent / 100)
    trim = db_gain(request.trim_db)
    dry, wet, p = trim * law_dry, trim * law_wet, request.device_mix_percent / 100
    impossible, faders = "", (dry, wet)
    if wet > 1e-9 and p <= 0:
        impossible = "The device on the path stands at 0 %: nothing wet comes out of it."
    elif wet > 1e-9:
        faders = (dry - wet / p * (1 - p), wet / p)
        if faders[0] < -1e-12:
            most = 100 * wet / (dry + wet)
            impossible = (
                f"At {request.device_mix_percent:g} % the device brings more dry than the insert has: it "
                f"has to stand at {most:.0f} % at least."
            )
    steps = (request.mix_step_percent, request.level_step_db)
    rows = [_row(dry, wet, law, *steps) for law in LAWS]
    if impossible:
        return InsertOut(
            dry_db=None, wet_db=None, set_dry_db=None, set_wet_db=None, null_db=None,
            impossible=impossible, rows=rows, sentence=f"Impossible. {impossible}",
        )  # fmt: skip
    exact = [_db(f) for f in faders]
    stepped = [
        None if v is None else round(v / request.level_step_db) * request.level_step_db
        for v in exact
    ]
    linear = [0.0 if v is None else db_gain(v) for v in stepped]
    made = (linear[0] + linear[1] * (1 - p), linear[1] * p)
    left = (made[0] - dry) ** 2 + (made[1] - wet) ** 2
    null = power_decibels(left / (dry * dry + wet * wet)) if left > 1e-24 else None

    def said(value: float | None) -> str:
        return "off" if value is None else f"{value:+.2f} dB"

    limit = "exactly" if null is None else f"to a null of {null:.1f} dB"
    return InsertOut(
        dry_db=exact[0], wet_db=exact[1], set_dry_db=stepped[0], set_wet_db=stepped[1], null_db=null,
        impossible="", rows=rows,
        sentence=(
            f"Dry at {said(exact[0])} beside wet at {said(exact[1])} sounds the same; with steps of "
            f"{request.level_step_db:g} dB {limit}."
        ).replace("-", "\u2212"),
    )  # fmt: skip
