"""Rigs grown at random from the notation, to hold the plan against the sound."""

import random

LINEAR = (
    lambda r: f"level (level {r.uniform(-12, 4):.2f} dB)",
    lambda r: f"generic (gain {r.uniform(-6, 3):.2f} dB, latency {r.uniform(0, 9):.3f} ms)",
    lambda r: f"generic (mix {r.randint(10, 90)} %, gain {r.uniform(-6, 3):.2f} dB)",
    lambda r: f"level (inverted, level {r.uniform(-6, 0):.2f} dB)",
    lambda r: f"filter (low cut {r.randint(60, 900)} Hz, order {r.choice((1, 2, 4))})",
    lambda r: f"filter (high cut {r.randint(900, 9000)} Hz, order {r.choice((1, 2, 4))})",
    lambda r: f"equaliser (low {r.uniform(-8, 8):.1f} dB, mid {r.uniform(-8, 8):.1f} dB, high {r.uniform(-8, 8):.1f} dB)",
    lambda r: f"delay (time {r.randint(4, 420)} ms, feedback {r.choice((0, 20, 55, 75))} %, mix {r.choice((30, 50, 100))} %, "
    f"mode {r.choice(('single', 'dual', 'ping-pong', 'cascade'))}, offset {r.choice((0, 7, 40))} ms)",
    lambda r: f"delay (time {r.randint(60, 400)} ms, feedback {r.choice((40, 70))} %, loop high cut {r.randint(1500, 6000)} Hz)",
    lambda r: f"delay (time {r.randint(3, 30)} ms, side {r.choice(('left', 'right'))})",
    lambda r: f"air (distance {r.uniform(0.3, 6):.2f} m)",
    lambda r: f"volume (position {r.randint(40, 100)} %)",
)  # fmt: skip
DIFFUSE = (
    lambda r: f"reverb (RT60 {r.uniform(0.3, 2):.2f} s, mix {r.choice((30, 60, 100))} %, pre-delay {r.randint(0, 60)} ms)",
    lambda r: f"reverb (RT60 {r.uniform(0.6, 2):.2f} s, high decay {r.randint(20, 90)} %, early {r.randint(-12, 6)} dB)",
    lambda r: f"reverb (RT60 {r.uniform(0.5, 1.5):.2f} s, tail tone {r.randint(2000, 8000)} Hz, tail pan {r.randint(-50, 50)} %)",
    lambda r: f"chorus (depth {r.uniform(0.5, 4):.2f} ms, rate {r.uniform(0.9, 3):.2f} Hz, mix {r.choice((40, 100))} %{r.choice((', spread', ''))})",
    lambda r: f"tremolo (depth {r.randint(20, 90)} %, rate {r.uniform(3, 8):.2f} Hz)",
    lambda r: f"swept (mode {r.choice(('low', 'band', 'notch'))}, moved by lfo, range {r.uniform(0.5, 2):.2f}, rate {r.uniform(1, 5):.2f} Hz)",
)  # fmt: skip
BY_LEVEL = (
    lambda r: f"compressor (threshold {r.randint(-40, -12)} dB, ratio {r.choice((2, 4, 8))}, attack {r.choice((1, 10, 30))} ms, "
    f"release {r.choice((60, 120, 400))} ms, detector {r.choice(('peak', 'rms'))}, mix {r.choice((50, 100))} %)",
    lambda r: f"drive (gain {r.randint(0, 26)} dB, shape {r.choice(('soft', 'hard'))}, ceiling {r.randint(-16, -6)} dB)",
    lambda r: f"three_band (threshold {r.randint(-30, -12)} dB, ratio {r.choice((2, 3))}, low {r.randint(-4, 4)} dB)",
    lambda r: f"ducker (depth {r.randint(3, 12)} dB)",
)  # fmt: skip


def rig(seed: int, *families, stages: int = 4) -> str:
    """The notation of a rig: one or two sources, rails that part and meet again, perhaps a send."""
    r = random.Random(seed)
    pools = [LINEAR, *families]

    def stage(n: int) -> str:
        # Half of what is drawn is linear, so that something is left to go through the rest.
        pool = r.choice(pools) if r.random() < 0.55 else pools[-1]
        text = r.choice(pool)(r)
        return f"n{n}: {text}"

    count = 0

    def run(most: int) -> str:
        nonlocal count
        parts = []
        for _ in range(r.randint(1, most)):
            parts.append(stage(count))
            count += 1
        return " > ".join(parts)

    wide = r.random() < 0.75
    stereo = r.random() < 0.3
    out = f"o: output{' (stereo)' if wide else ''}"
    lines = []
    keyed = []
    level = r.randint(-26, -16)
    source = f"a: source (level {level} dB{', stereo' if stereo else ''}, crest 12 dB)"
    mode = r.choice(("full", "full", "balance", "crossover", "mid-side" if stereo else "full"))
    mode_text = f" (mode {mode})" if mode != "full" else ""

    def strip() -> str:
        said = [f"level {r.uniform(-9, 2):.2f} dB"]
        said += [f"pan {r.randint(-100, 100)} %"] if r.random() < 0.5 else []
        said += ["inverted"] if r.random() < 0.33 else []
        said += [f"delay {r.uniform(0, 12):.3f} ms"] if r.random() < 0.33 else []
        return f" [{', '.join(said)}]"

    lines.append(f"{source} > {run(2)} > s: split{mode_text} > {run(stages)} > m: merge{strip()}")
    lines.append(f"s > {run(2)} > m{strip()}")
    if mode == "full" and r.random() < 0.5:
        lines.append(f"s > m{strip()}")
    lines.append(f"m > {run(2)} > {out}")
    if r.random() < 0.4:
        lines.append(
            f"b: source (level {r.randint(-26, -18)} dB, crest 12 dB) > {run(2)} > o{strip()}"
        )
    text = "\n".join(lines)
    for n in range(count):
        if f"n{n}: ducker" in text:
            keyed.append(f"key a > n{n}")
    return "\n".join([text, *keyed])
