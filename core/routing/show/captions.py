"""The few words under each part of the drawing: its one setting that matters most."""

from core.routing.document import kinds as k
from core.routing.document.rig import PLAIN, Rig, Strip
from core.units import format as fmt


def _db(value: float) -> str:
    return "−∞ dB" if value <= -120 else f"{fmt.signed(value, 1)} dB"


def _ms(value: float) -> str:
    return f"{fmt.number(value, 0 if value >= 100 else 1)} ms"


def taps_before_fader(rig: Rig, send: str) -> bool | None:
    """Pre-fader: the channel's fader comes after the send on its rail; post-fader: before it.

    None where the channel has no fader, so that the word would say nothing.
    """
    port = f"{send}.0"
    while port in rig.rails:
        name = rig.rails[port].target
        node = rig.nodes[name]
        if isinstance(node, k.Fader):
            return True
        if node.many_inputs or isinstance(node, k.Split):
            break
        port = f"{name}.0"
    name = send
    while rig.inputs[name]:
        name = rig.inputs[name][0].rpartition(".")[0]
        node = rig.nodes[name]
        if isinstance(node, k.Fader):
            return False
        if node.many_inputs or isinstance(node, k.Split):
            break
    return None


def caption(node: k.Node, times_ms: dict[str, float], tap: bool | None = None) -> str:
    """One line, numbers first. tap: whether a send stands before its channel's fader."""
    wet = (
        ""
        if not isinstance(node, k.Mixed) or node.mix_percent >= 100
        else f"{node.mix_percent:g} % wet"
    )
    said: list[str] = []
    if isinstance(node, k.Source):
        said = [f"{fmt.number(node.level_dbfs, 1)} dBFS"]
    elif isinstance(node, k.Compressor):
        said = [wet or f"{node.ratio:g}:1"]
    elif isinstance(node, k.Delay):
        time = times_ms.get(node.id)
        back = f"{node.feedback_percent:g} % back" if node.feedback_percent else ""
        shown = _ms(time) if time is not None else node.time
        said = [shown, wet or back]
    elif isinstance(node, k.Reverb):
        said = [wet or f"{node.rt60_s:g} s"]
    elif isinstance(node, (k.Chorus, k.Tremolo)):
        shape = "" if node.wave == "sine" else node.wave.replace("-", " ")
        said = [wet or node.cycle or f"{node.rate_hz:g} Hz", shape]
    elif isinstance(node, k.Outboard):
        said = [f"{node.latency_ms:g} ms late", wet]
    elif isinstance(node, k.Drive):
        said = [_db(node.gain_db)]
    elif isinstance(node, (k.Level, k.Fader, k.Return, k.Send)):
        said = ["muted" if node.muted else _db(node.level_db)]
        if tap is not None:
            said = [f"{'pre' if tap else 'post'} {said[0]}"]
    elif isinstance(node, k.Bus):
        said = ["muted" if node.muted else (_db(node.level_db) if node.level_db else "")]
    elif isinstance(node, k.VolumePedal):
        said = [f"{node.position_percent:g} %"]
    elif isinstance(node, (k.Preamp, k.PowerAmp, k.EffectsLoop)):
        said = [_db(node.gain_db)]
    elif isinstance(node, k.Generic):
        said = [_db(node.gain_db) if node.gain_db else "", wet]
    elif isinstance(node, (k.Microphone, k.Air)):
        said = [f"{node.distance_m:g} m"]
    elif isinstance(node, k.Filter):
        low = f"from {node.low_cut_hz:g} Hz" if node.low_cut_hz else ""
        said = [low, f"to {node.high_cut_hz:g} Hz" if node.high_cut_hz else ""]
    elif isinstance(node, k.Split):
        words = {"full": "", "balance": f"{node.balance_percent:g} %", "mid-side": "mid/side"}
        said = [words.get(node.mode, f"{node.crossover_hz:g} Hz")]
    elif isinstance(node, k.Frame):
        said = [f"calls at {len(node.calls)} of {len(node.sidings)}" if node.sidings else "empty"]
    elif isinstance(node, k.Ducker):
        said = [f"down {node.depth_db:g} dB"]
        if node.way == "envelope":
            said = [f"down by {node.sensitivity_percent:g} %"]
    elif isinstance(node, k.ThreeBand):
        said = [wet or f"{node.ratio:g}:1 in 3 bands"]
    elif isinstance(node, k.Swept):
        said = [f"{node.mode} {node.frequency_hz:g} Hz", wet]
    elif isinstance(node, k.Convolution):
        said = [wet or (node.impulse or "no impulse")]
    elif isinstance(node, k.StandIn):
        said = [f"stand-in: {node.device}", wet]
    elif isinstance(node, k.PassiveMixer):
        said = [_db(node.loss_db)]
    if isinstance(node, k.Stage):
        if node.bypassed:
            return "bypassed" if k.passes_input(node) else "off, muted"
        if node.inverted:
            said = ["inverted"]
        elif node.latency_ms and not wet and not isinstance(node, (k.Outboard, k.Delay)):
            said = [f"{node.latency_ms:g} ms late"]
    return ", ".join(part for part in said if part)


def strip_caption(strip: Strip) -> str:
    """What an input strip does, where it does anything."""
    if strip == PLAIN:
        return ""
    if strip.muted:
        return "muted"
    said = []
    if strip.level_db:
        said.append(_db(strip.level_db))
    if strip.pan_percent:
        side = "L" if strip.pan_percent < 0 else "R"
        said.append(f"{side}{abs(strip.pan_percent):g}")
    if strip.width_percent != 100:
        said.append(f"width {strip.width_percent:g} %")
    if strip.delay_ms:
        said.append(f"+{strip.delay_ms:g} ms")
    if strip.inverted:
        said.append("inverted")
    if strip.solo:
        said.append("solo")
    return ", ".join(said)
