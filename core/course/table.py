"""A rig's figures as a table for a terminal."""

from typing import Any


def _level(values: list[float | None] | None) -> str:
    if not values:
        return "silent"
    return " ".join("silent" if v is None else f"{v:+.1f}" for v in values)


def as_table(found: dict[str, Any]) -> str:
    """Stages with their levels, outputs with their arrivals, loops and checks."""
    rows = [found["title"], "", f"  {'after':<28} {'dBFS':>16} {'peak':>16}"]
    for row in (*found["stages"], *found["outputs"]):
        peaks = row.get("peak_bound_dbfs", row.get("peak_dbfs"))
        rows.append(f"  {row['name'][:28]:<28} {_level(row['level_dbfs']):>16} {_level(peaks):>16}")
    for output in found["outputs"]:
        arrivals = output.get("arrivals", ())
        if arrivals:
            rows += ["", f"  At {output['name']}: dB, ms, polarity"]
        many = len({a["source"] for a in arrivals}) > 1
        for a in arrivals:
            name = f"{a['name']}, {a['detail']}" if a["detail"] else a["name"]
            name = f"{a['source']}: {name}" if many else name
            sign = "-" if a["polarity"] < 0 else "+"
            rows.append(f"  {name[:44]:<44} {a['level_db']:>8.1f} {a['time_ms']:>10.2f} {sign:>3}")
    for loop in found.get("loops", ()):
        gain = "runs away by itself" if loop["gain_db"] is None else f"{loop['gain_db']:+.1f} dB"
        rows.append(f"\n  Loop {loop['rail']}: {gain}{', grows' if loop['grows'] else ''}")
    if found.get("checks"):
        rows.append("")
    rows += [f"  {c['severity']}: {c['sentence']}" for c in found.get("checks", ())]
    if "file" in found:
        rows.append(f"\n  {found['seconds']:.1f} s written to {found['file']}")
    return "\n".join(rows)
