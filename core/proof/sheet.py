"""The proof sheet of a null test or of a measurement, and the same as Markdown."""

from collections.abc import Sequence
from datetime import datetime
from typing import Literal

from pydantic import Field

from core.bench import BenchPlan, BenchResult, TestSignal
from core.bench.halts import Compared
from core.edge import Edge
from core.measure import NullOptions, NullResult
from core.measure.results import Picture, ToSet
from core.tables import cell, markdown_table
from core.units import format as fmt

PROOF_VERSION = 1
_SILENT = "silent"


class ProofFile(Edge):
    """What was compared, by content: the digest tells whether a file is the one that was tested."""

    role: str
    name: str
    sha256: str
    rate_hz: int | None = None
    channels: int | None = None
    seconds: float | None = None


class ProofRow(Edge):
    name: str
    value: str
    beside: str = Field("", description="What was planned, or how far the figure may be off")


class ProofCause(Edge):
    title: str
    sure: str
    takes_db: float
    evidence: str
    figures: dict[str, float]


class Proof(Edge):
    """All that a stranger needs to judge one result, and to test it again."""

    version: int = PROOF_VERSION
    kind: Literal["null", "bench"]
    song: str
    sentence: str
    about: str
    made_at: datetime | None
    files: list[ProofFile]
    settings: list[ProofRow]
    figures: list[ProofRow]
    causes: list[ProofCause]
    to_set: list[ToSet]
    not_stated: list[ProofRow]
    cautions: list[str]
    pictures: list[Picture]


def _db(value: float | None, unit: str = "dB", digits: int = 2) -> str:
    return _SILENT if value is None else f"{fmt.number(value, digits)} {unit}"


def proof_of_null(
    found: NullResult, options: NullOptions, files: Sequence[ProofFile], song: str, made_at: datetime | None
) -> Proof:  # fmt: skip
    """Of a null test. files: A and B, with their digests."""
    regions = [
        ProofRow(
            name=f"Stretch of {letter}",
            value="whole"
            if region.start_s == 0 and region.length_s is None
            else f"from {fmt.number(region.start_s, 3)} s, "
            + (
                "to the end"
                if region.length_s is None
                else f"{fmt.number(region.length_s, 3)} s long"
            ),
        )
        for letter, region in (("A", options.region_a), ("B", options.region_b))
    ]
    settings = [
        ProofRow(name="Offsets looked for", value=f"up to {fmt.significant(options.search_s)} s"),
        *regions,
        ProofRow(
            name="Limit", value=found.limit_text, beside="passed" if found.passed else "not passed"
        ),
    ]
    figures = []
    if found.offset_samples is not None and found.offset_ms is not None:
        figures.append(
            ProofRow(
                name="Offset of B", value=f"{fmt.signed(found.offset_samples, 3)} samples",
                beside=f"{fmt.signed(found.offset_ms, 5)} ms",
            )
        )  # fmt: skip
    if found.gain_db is not None:
        figures.append(
            ProofRow(
                name="Gain of B",
                value=f"{fmt.signed(found.gain_db, 3)} dB",
                beside=found.level_note,
            )
        )
        figures.append(
            ProofRow(name="Polarity", value="same" if found.polarity > 0 else "inverted")
        )
    figures += [
        ProofRow(name="As delivered", value=_db(found.raw_null_db)),
        ProofRow(name="Residual against A", value=_db(found.null_depth_db)),
        ProofRow(name="Residual, RMS", value=_db(found.residual_rms_dbfs, "dBFS")),
        ProofRow(name="Residual, peak", value=_db(found.residual_peak_dbfs, "dBFS")),
        ProofRow(name="A, RMS", value=_db(found.reference_rms_dbfs, "dBFS")),
        ProofRow(name="Compared", value=f"{fmt.number(found.compared_s, 3)} s", beside=f"{fmt.number(found.compared_samples, 0)} samples"),
    ]  # fmt: skip
    if found.explained_db is not None and found.causes:
        figures.append(ProofRow(name="With all causes undone", value=_db(found.explained_db)))
    return Proof(
        kind="null", song=song, sentence=found.sentence,
        about="B was brought onto A in time, polarity and gain, then subtracted; what is left is the difference.",
        made_at=made_at, files=list(files), settings=settings, figures=figures,
        causes=[
            ProofCause(title=c.title, sure=c.sure, takes_db=round(c.takes_db, 2), evidence=c.evidence, figures=c.figures)
            for c in found.causes
        ],
        to_set=found.to_set,
        not_stated=[ProofRow(name="Looked for and not there", value=", ".join(found.ruled_out))] if found.ruled_out else [],
        cautions=found.notes, pictures=[p for c in found.causes for p in c.pictures],
    )  # fmt: skip


def figure_words(row: Compared, value: float | None, words: str) -> str:
    """A figure of a measurement as it is shown, with its unit."""
    if words:
        return words
    if value is None:
        return ""
    return f"{fmt.number(value, row.digits)} {row.unit}".strip()


def proof_of_bench(
    found: BenchResult, signal: TestSignal, plan: BenchPlan, files: Sequence[ProofFile], song: str,
    made_at: datetime | None, simulated: str = "",
) -> Proof:  # fmt: skip
    """Of a measurement. simulated: name of the stand-in, where there was no device."""
    settings = [
        ProofRow(name="Device", value=found.device, beside=f"simulated: {simulated}" if simulated else ""),
        ProofRow(
            name="Test signal", value=f"{signal.kind}, {fmt.number(signal.seconds, 1)} s",
            beside=f"{fmt.number(signal.rate_hz, 0)} Hz",
        ),
        *[
            ProofRow(name=h.name, value=h.words, beside=f"at {fmt.number(h.start_s, 2)} s: {h.said}")
            for h in found.halts
        ],
    ]  # fmt: skip
    if plan.label_ms is not None:
        settings.append(ProofRow(name="Set to", value=f"{fmt.significant(plan.label_ms)} ms"))
    figures = []
    for row in found.compared:
        told = figure_words(row, row.measured, row.words)
        wanted = figure_words(row, row.planned, row.planned_words)
        beside = [f"planned {wanted}" if wanted else ""]
        if row.holds_within is not None and row.measured is not None:
            beside.append(f"within {fmt.significant(row.holds_within, 3)} {row.unit}".strip())
        if told:
            figures.append(
                ProofRow(name=row.name, value=told, beside=", ".join(b for b in beside if b))
            )
    to_set = []
    if found.readings is not None:
        near = found.readings.nearest
        to_set = [
            ToSet(
                code="offset", words="Set it to", value=f"{fmt.significant(near.label_ms)} ms",
                beside=f"it does {fmt.number(near.does_ms, 2)} ms, {fmt.signed(near.error_ms, 2)} ms from the plan",
                leaves_db=None, takes_db=None,
            )
        ]  # fmt: skip
    return Proof(
        kind="bench", song=song, sentence=found.sentence, about=found.about, made_at=made_at,
        files=list(files), settings=settings, figures=figures, causes=[], to_set=to_set,
        not_stated=[ProofRow(name=r.what, value=r.why) for r in found.refused],
        cautions=found.cautions, pictures=found.pictures,
    )  # fmt: skip


def as_markdown(proof: Proof) -> str:
    """The sheet as Markdown, the pictures left out: those are in the JSON."""
    made = proof.made_at.strftime("%Y-%m-%d %H:%M UTC") if proof.made_at else "not finished"
    lines = [
        f"# {cell(proof.sentence)}",
        "",
        cell(proof.about),
        "",
        f"{cell(proof.song)}, {made}",
        "",
    ]
    sections = (
        ("Files", ("", "name", "SHA-256", "format"), [
            (f.role, f.name, f.sha256, ", ".join(
                part for part in (
                    f"{f.rate_hz} Hz" if f.rate_hz else "", f"{f.channels} ch" if f.channels else "",
                    f"{f.seconds:.3f} s" if f.seconds else "") if part))
            for f in proof.files]),
        ("Settings", ("", "", ""), [(r.name, r.value, r.beside) for r in proof.settings]),
        ("Figures", ("", "measured", ""), [(r.name, r.value, r.beside) for r in proof.figures]),
        ("What differs", ("what", "takes away", "how sure", "evidence"), [
            (c.title, f"{fmt.number(c.takes_db, 1)} dB", c.sure, c.evidence) for c in proof.causes]),
        ("What to set", ("", "", "", "leaves"), [
            (s.words, s.value, s.beside, "" if proof.kind == "bench" else _db(s.leaves_db, digits=1)) for s in proof.to_set]),
        ("Not stated", ("", "why"), [(r.name, r.value) for r in proof.not_stated]),
    )  # fmt: skip
    for title, head, rows in sections:
        if rows:
            lines += [f"## {title}", "", *markdown_table(head, rows)]
    if proof.cautions:
        lines += ["## Notes", "", *[f"- {cell(note)}" for note in proof.cautions], ""]
    return "\n".join(lines)
