"""A stage sheet as Markdown and as CSV: the same numbers as on paper."""

from core.routing.show.patch import (
    CABLE_HEAD,
    CHANNEL_HEAD,
    cable_rows,
    channel_rows,
    end_of,
    patch_blocks,
)
from core.sheet.sheet import SceneCell, StageSheet
from core.tables import Row, cell, csv_text, markdown_table, plain
from core.units import format as fmt

CARRY_ON = "Numbers of stages and cables are those of the drawing and of the app."


def scene_words(called: SceneCell) -> str:
    """'on', 'off', or what is otherwise."""
    if not called.on:
        return "off"
    return ", ".join(called.values) or "on"


def head_line(sheet: StageSheet) -> str:
    facts, tempo = sheet.facts, sheet.tempo
    beat = "" if tempo.beat_unit == "1/4" else f" (beat {tempo.beat_unit})"
    return (
        f"{facts.rig}, variant {facts.variant}{f', scene {sheet.scene}' if sheet.scene else ''}. "
        f"{fmt.significant(tempo.bpm)} BPM{beat}, {tempo.metre}, a beat is "
        f"{fmt.number(tempo.beat_ms, 1)} ms"
    )


def as_markdown(sheet: StageSheet) -> str:
    """The sheet as Markdown; the drawing is left out."""
    facts = sheet.facts
    made = facts.made_at.strftime("%Y-%m-%d %H:%M UTC")
    lines = [f"# {cell(facts.song)}", "", cell(head_line(sheet)) + ".", ""]
    if facts.players:
        lines += [cell(facts.players), ""]
    if sheet.tempo.note:
        lines += [cell(f"Tempo: {sheet.tempo.note}."), ""]
    lines += [f"Made {made}, variant saved {facts.saved} times. {CARRY_ON}", ""]
    if facts.verified is not None:
        at = facts.verified.at.strftime("%Y-%m-%d %H:%M UTC")
        lines += [f"Last null test, {at}: {cell(facts.verified.sentence)}", ""]
    rows = []
    for row in sheet.rows:
        beside = "; ".join(f"{s.label} {s.beside}" for s in row.settings if s.beside)
        rows.append(
            (str(row.number), row.name, ("" if row.on else "off; ") + row.said, beside,
             *[scene_words(c) for c in row.scenes])
        )  # fmt: skip
        rows += [
            (f"{row.number}.{one.place}", one.name, one.said, "" if one.called else "passed by",
             *[""] * len(sheet.scenes))
            for one in row.inner
        ]  # fmt: skip
    heads = [
        s.name + (f", program {s.program}" if s.program is not None else "") for s in sheet.scenes
    ]
    lines += [
        "## Set to", "", *markdown_table(("", "stage", "as the device shows it", "how far off", *heads), rows),
        "## Times", "",
        *markdown_table(
            ("note", "ms", "Hz", *[f"{d}, set to ms" for d in sheet.devices]),
            [
                (f"{t.note}{' *' if t.used else ''}", fmt.number(t.ms, 1), fmt.number(t.hz, 2),
                 *["beyond" if s is None else fmt.significant(s, 6) for s in t.set_to])
                for t in sheet.times
            ],
        ),
    ]  # fmt: skip
    if sheet.moves:
        lines += [
            "## If the tempo moves", "", f"{cell(sheet.moved_by)}.", "",
            *markdown_table(
                ("BPM", "ms", "set to"),
                [
                    (fmt.significant(m.bpm), fmt.number(m.ms, 1),
                     "" if m.set_to is None else fmt.significant(m.set_to, 6))
                    for m in sheet.moves
                ],
            ),
        ]  # fmt: skip
    sections: list[tuple[str, tuple[str, ...], list[Row]]] = [
        ("Cables", CABLE_HEAD, cable_rows(sheet.patch)),
        ("Mixer", CHANNEL_HEAD, channel_rows(sheet.patch)),
        (
            "Power",
            ("stage", "volts", "mA"),
            [
                (end_of(r.number, r.name), r.volts, r.current_ma) for r in sheet.patch.supply
            ],
        ),
    ]  # fmt: skip
    for title, head, found in sections:
        if found:
            lines += [
                f"## {title}",
                "",
                *markdown_table(head, [[plain(v).removeprefix("'") for v in r] for r in found]),
            ]
    for title, said in (("Cautions", sheet.cautions), ("Notes", sheet.notes)):
        if said:
            lines += [f"## {title}", "", *[f"- {cell(s)}" for s in said], ""]
    return "\n".join(lines)


def as_csv(sheet: StageSheet) -> str:
    """A block for each part: settings, scenes, times, tempi, and the patch sheet's."""
    settings: list[Row] = []
    for row in sheet.rows:
        for s in row.settings:
            settings.append(
                (row.number, row.name, "on" if row.on else "off", s.label, s.shown or "yes", s.value, s.unit, s.planned, s.beside)
            )  # fmt: skip
        if not row.settings:
            settings.append((row.number, row.name, "on" if row.on else "off"))
        settings += [
            (f"{row.number}.{one.place}", one.name, "on" if one.called else "passed by", "", one.said)
            for one in row.inner
        ]  # fmt: skip
    scenes: list[Row] = [
        (head.name, head.program, row.number, row.name, "on" if row.scenes[n].on else "off", ", ".join(row.scenes[n].values))
        for n, head in enumerate(sheet.scenes)
        for row in sheet.rows
    ]  # fmt: skip
    times: list[Row] = [
        (t.note, round(t.ms, 4), round(t.hz, 4), "yes" if t.used else "no", *["beyond" if s is None else s for s in t.set_to])
        for t in sheet.times
    ]  # fmt: skip
    moves: list[Row] = [(m.bpm, round(m.ms, 4), m.set_to) for m in sheet.moves]
    facts: list[Row] = [
        (sheet.facts.song, sheet.facts.rig, sheet.facts.variant, sheet.scene or "", sheet.tempo.bpm,
         sheet.tempo.beat_unit, sheet.tempo.metre, sheet.facts.made_at.isoformat(timespec="seconds"))
    ]  # fmt: skip
    return csv_text(
        [
            (("song", "rig", "variant", "scene", "BPM", "beat", "metre", "made"), facts),
            (("stage", "name", "state", "setting", "shown", "value", "unit", "planned", "how far off"), settings),
            (("scene", "program", "stage", "name", "state", "otherwise"), scenes),
            (("note", "ms", "Hz", "used", *[f"{d}, set to ms" for d in sheet.devices]), times),
            (("BPM", "ms", "set to"), moves),
            *patch_blocks(sheet.patch),
        ]
    )  # fmt: skip
