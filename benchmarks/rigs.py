"""Rigs to measure: a studio of so many sources, and one whose paths explode."""

from core.routing import Rig, parse_rig


def studio(scale: int) -> Rig:
    """6 sources and 4 returns a step: about 46 stages and 12 sends, on one stereo output."""
    sources, returns = 6 * scale, 4 * scale
    lines = []
    for n in range(sources):
        out = "main: output (stereo)" if n == 0 else "main"
        lines.append(
            f"s{n}: source (level -40 dB) > c{n}: compressor > e{n}: equaliser (mid 2 dB) > "
            f"d{n}: drive > l{n}: level > f{n}: fader > x{n}a: send > x{n}b: send > {out} "
            f"[pan {n * 17 % 100 - 50} %]"
        )
    for n in range(returns):
        device = "reverb (locked, low cut 150 Hz)" if n % 2 else "delay (feedback 30 %)"
        lines.append(
            f"r{n}: bus > v{n}: {device} > q{n}: filter (low cut 200 Hz) > g{n}: chorus (locked) > "
            f"h{n}: level > t{n}: return (solo-safe) > main"
        )
    for n in range(sources):
        lines += [f"x{n}a > r{n % returns}", f"x{n}b > r{(n + 1) % returns}"]
    return parse_rig("\n".join(lines))


def exploding(splits: int = 20) -> Rig:
    """So many splits in series with different delays: two to that power of paths."""
    lines = ["s: source > x0: split"]
    for n in range(splits):
        onward = f"x{n + 1}: split" if n < splits - 1 else "main: output"
        lines.append(f"x{n} > m{n}: merge > {onward}")
        lines.append(f"x{n} > g{n}: generic (latency {0.3 + n / 100:.2f} ms) > m{n} [level -6 dB]")
    return parse_rig("\n".join(lines))


def stage_of_sixty() -> Rig:
    """60 stages and three outputs: five sources through pedals, sends, returns and amps."""
    lines = ['left: output "Left"', 'right: output "Right"', 'desk: output "Desk" (stereo)']
    for n in range(5):
        out = ("left", "right", "desk", "desk", "left")[n]
        lines.append(
            f"s{n}: source (level -30 dB) > c{n}: compressor > e{n}: equaliser (mid 2 dB) > "
            f"d{n}: drive > x{n}: send > y{n}: send > f{n}: fader > w{n}: split > {out}"
        )
        lines.append(f"w{n} > a{n}: level (level -6 dB) > {'desk' if out != 'desk' else 'right'}")
    lines.append(
        "b0: bus > hall: reverb (locked, mix 80 %) > q0: filter > u0: level > v0: tremolo (locked) > r0: return > desk"
    )
    lines.append(
        "b1: bus > echo: delay (feedback 30 %) > k: chorus (locked) > u1: level > v1: filter > r1: return > desk"
    )
    lines += [f"x{n} > b0" for n in range(5)] + [f"y{n} > b1" for n in range(5)]
    return parse_rig("\n".join(lines))
