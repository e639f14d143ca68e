"""Everything that can stand in a rig: sources, stages, splits, merges, sends, returns, outputs.

Each kind is a frozen model with a literal `kind`. Parameters are in field units; what they mean in
linear gains and seconds is decided in `core.routing.expand`, nowhere else.
"""

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from core.edge import Edge
from core.routing.document.fields import (
    choice,
    db,
    duration,
    flag,
    hertz,
    parameters_of,
    percent,
    quantity,
    text,
)

LevelKind = Literal["instrument", "line", "mic", "speaker"]
Role = Literal["auto", "dry", "wet"]
MixLaw = Literal["linear", "equal-power", "compromise", "full"]
LOOP_LABEL_S = 0.002
STAND_IN_DELAYS = ("delay", "clock")
"""Round trip that the outboard stand-in's label claims."""
ID = r"^[a-z][a-z0-9_]{0,39}$"


class Node(Edge):
    """What every part of a rig has. `id` stays the same across variants."""

    title: ClassVar[str] = ""
    many_inputs: ClassVar[bool] = False
    is_stage: ClassVar[bool] = False
    id: str = Field(pattern=ID)
    name: str | None = text("name", "What the person calls it")

    @property
    def shown(self) -> str:
        return self.name or self.title


class Source(Node):
    title: ClassVar[str] = "Source"
    kind: Literal["source"] = "source"
    level_dbfs: float = quantity(-18, "level", "dB", -90, 0, "Nominal RMS level, dBFS")
    stereo: bool = flag("stereo")
    gives: LevelKind = choice("line", "gives", "Level kind at its output")
    passive: bool = flag("passive", "Passive pickups: the load behind them matters")


class Stage(Node):
    """One input, one output; what every processor has."""

    is_stage: ClassVar[bool] = True
    linear: ClassVar[bool] = True
    takes_by_kind: ClassVar[str | None] = None
    gives_by_kind: ClassVar[str | None] = None
    bypassed: bool = flag("bypassed")
    bypass_is: Literal["thru", "mute", "trails"] = choice(
        "thru",
        "bypass is",
        "What passes when it is switched off: its input, nothing, or its own dry signal while its "
        "tail dies away",
    )
    output_db: float = db(0, "output", about="Gain after the stage")
    latency_ms: float = quantity(0, "latency", "ms", 0, 2000, "Unwanted delay of the stage")
    inverted: bool = flag("inverted", "Polarity turned over")
    channels: Literal["as-is", "mono", "stereo"] = choice("as-is", "channels")
    down: Literal["sum", "left", "right"] = choice(
        "sum", "down to mono", "What a mono stage after a stereo one keeps"
    )
    counts_as: Role = choice("auto", "counts as", "Role of what comes out: dry or wet")
    delay_is: Literal["auto", "latency", "intended"] = choice("auto", "its delay is")
    takes: LevelKind | None = choice(None, "takes", "Level kind at its input")
    gives: LevelKind | None = choice(None, "gives", "Level kind at its output")
    loop: int | None = quantity(None, "loop", "", 1, 64, "Loop of the switcher it sits in")
    current_ma: float | None = quantity(None, "current", "mA", 0, 5000, "Supply current")
    supply_v: float | None = quantity(None, "supply", "V", 1, 60, "Supply voltage")
    width_mm: float | None = quantity(None, "width", "mm", 1, 2000, "Footprint across")
    depth_mm: float | None = quantity(None, "depth", "mm", 1, 2000, "Footprint front to back")
    unit: str | None = text("unit", "The physical processor, if one stands in several rigs")


class Mixed(Stage):
    """A stage with a dry and a wet share of its own."""

    mix_percent: float = percent(100, "mix", about="The device's own wet share")
    mix_law: MixLaw = choice("linear", "mix law")


class Modulated(Mixed):
    rate_hz: float = quantity(0.8, "rate", "Hz", 0.01, 50)
    locked: bool = flag("locked", "Modulation locked in phase, or off")


class Compressor(Mixed):
    title: ClassVar[str] = "Compressor"
    linear: ClassVar[bool] = False
    kind: Literal["compressor"] = "compressor"
    threshold_db: float = db(-24, "threshold", -80, 12)
    ratio: float = quantity(4, "ratio", "ratio", 1, 100)
    knee_db: float = db(6, "knee", 0, 48)
    makeup_db: float = db(0, "make-up", -24, 48)
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(120, "release", "ms", 1, 5000)
    detector: Literal["peak", "rms"] = choice("peak", "detector", "Peak, or RMS over 10 ms")


class ThreeBand(Mixed):
    title: ClassVar[str] = "Three-band compressor"
    linear: ClassVar[bool] = False
    kind: Literal["three_band"] = "three_band"
    low_hz: float = hertz(200, "low to", "Where the low band ends")
    high_hz: float = hertz(2500, "high from", "Where the high band begins")
    threshold_db: float = db(-18, "threshold", -80, 12, "Turns down what is louder")
    ratio: float = quantity(2, "ratio", "ratio", 1, 100)
    up_threshold_db: float = db(-36, "lift below", -80, 12, "Turns up what is quieter")
    up_ratio: float = quantity(1.5, "lift ratio", "ratio", 1, 20)
    up_most_db: float = db(12, "lift at most", 0, 30)
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(150, "release", "ms", 1, 5000)
    low_db: float = db(0, "low", -24, 24)
    mid_db: float = db(0, "mid", -24, 24)
    high_db: float = db(0, "high", -24, 24)


class Ducker(Stage):
    title: ClassVar[str] = "Ducker"
    linear: ClassVar[bool] = False
    kind: Literal["ducker"] = "ducker"
    way: Literal["key", "envelope", "shape"] = choice(
        "key", "way", "By a key's level, by its envelope, or a dip in every note value"
    )
    depth_db: float = db(9, "depth", 0, 60, "How far it turns down while the key sounds")
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(250, "release", "ms", 1, 5000)
    duck_percent: float = percent(
        60, "duck", 0, 200, "Envelope: what a full envelope takes off the level"
    )
    pre_gain_db: float = db(6, "pre-gain", -24, 60, "Envelope: gain before it is taken as full")
    below_zero: bool = flag("below zero", "Envelope: a level below 0 turns the polarity over")
    dip_time: str = duration("1/4", "dip every", "Shape: one dip in this note value")
    dip_shape: Literal["ramp", "exponential", "half-sine"] = choice("ramp", "dip shape")


class Drive(Stage):
    title: ClassVar[str] = "Drive"
    linear: ClassVar[bool] = False
    kind: Literal["drive"] = "drive"
    gain_db: float = db(18, "gain", 0, 60, "Gain before the shaper")
    shape: Literal["soft", "hard", "fold"] = choice("soft", "shape")
    ceiling_dbfs: float = db(-12, "ceiling", -60, 0, "Level that the shaper flattens to, dBFS")


class Filter(Stage):
    title: ClassVar[str] = "Filter"
    kind: Literal["filter"] = "filter"
    low_cut_hz: float | None = hertz(None, "low cut")
    high_cut_hz: float | None = hertz(None, "high cut")
    order: Literal[1, 2, 4] = choice(2, "order", "6, 12 or 24 dB per octave")  # type: ignore[arg-type]


class Swept(Mixed):
    title: ClassVar[str] = "Swept filter"
    kind: Literal["swept"] = "swept"
    mode: Literal["low", "high", "band", "notch", "comb"] = choice(
        "low", "mode", "What passes: below, above or about the frequency; notch and comb take out"
    )
    frequency_hz: float = hertz(800, "frequency")
    q: float = quantity(1.2, "Q", "", 0.3, 30)
    moved_by: Literal["nothing", "level", "lfo"] = choice("nothing", "moved by")
    range_oct: float = quantity(2, "range", "", 0, 6, "Octaves that it is moved by")
    rate_hz: float = quantity(0.5, "rate", "Hz", 0.01, 50)
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(120, "release", "ms", 1, 5000)
    locked: bool = flag("locked", "Modulation locked in phase, or off")


class Equaliser(Stage):
    title: ClassVar[str] = "Equaliser"
    kind: Literal["equaliser"] = "equaliser"
    low_db: float = db(0, "low", -24, 24)
    low_hz: float = hertz(120, "low at")
    mid_db: float = db(0, "mid", -24, 24)
    mid_hz: float = hertz(1000, "mid at")
    mid_q: float = quantity(0.8, "mid Q", "", 0.1, 20)
    high_db: float = db(0, "high", -24, 24)
    high_hz: float = hertz(6000, "high at")


class Delay(Mixed):
    title: ClassVar[str] = "Delay"
    kind: Literal["delay"] = "delay"
    time: str = duration("1/8.", "time")
    feedback_percent: float = percent(0, "feedback", 0, 200, "Share that goes round again")
    mode: Literal["single", "dual", "ping-pong", "cascade"] = choice("single", "mode")
    offset_ms: float = quantity(0, "offset", "ms", -500, 500, "Right side later than left (dual)")
    side: Literal["both", "left", "right"] = choice("both", "side")
    low_cut_hz: float | None = hertz(None, "loop low cut")
    high_cut_hz: float | None = hertz(None, "loop high cut")
    hold: bool = flag("hold", "Repeats are meant to go on for ever")
    on_change: Literal["glide", "crossfade"] = choice(
        "glide", "on change", "When its time is moved: the pitch glides, or old and new crossfade"
    )
    insert: Literal["none", "drive", "chorus"] = choice(
        "none", "insert", "What each repeat goes through once more, inside the loop"
    )
    insert_percent: float = percent(30, "insert amount", about="How much of it")
    trails: bool = flag("trails", "Repeats ring on when it is switched off")


class Reverb(Mixed):
    title: ClassVar[str] = "Reverb"
    kind: Literal["reverb"] = "reverb"
    pre_delay: str = duration("20 ms", "pre-delay")
    rt60_s: float = quantity(1.8, "RT60", "s", 0.05, 60)
    low_cut_hz: float | None = hertz(None, "low cut")
    locked: bool = flag("locked", "Its tail is not modulated")
    trails: bool = flag("trails", "The tail rings on when it is switched off")
    high_decay_percent: float = percent(
        100, "high decay", 5, 100, "RT60 at the very top, as a share of RT60"
    )
    size_percent: float = percent(100, "size", 20, 300, "Length of its lines and early part")
    density_percent: float = percent(80, "density", 0, 100)
    early_db: float = db(0, "early", -60, 12, "Early part against the tail")
    early_size_percent: float = percent(
        100, "early size", 20, 300, "Times of its early part, besides its size"
    )
    early_low_cut_hz: float | None = hertz(None, "early low cut")
    early_high_cut_hz: float | None = hertz(None, "early tone", "High cut of the early part")
    early_pan_percent: float = percent(0, "early pan", -100, 100)
    early_side_db: float = db(0, "early side", -60, 12, "Side against mid of the early part")
    early_cross_percent: float = percent(
        0, "early cross-talk", 0, 100, "What each side of the early part gives the other"
    )
    tail_low_cut_hz: float | None = hertz(None, "tail low cut")
    tail_high_cut_hz: float | None = hertz(None, "tail tone", "High cut of the tail")
    tail_pan_percent: float = percent(0, "tail pan", -100, 100)
    tail_side_db: float = db(0, "tail side", -60, 12, "Side against mid of the tail")
    mod_rate_hz: float = quantity(0.8, "modulation rate", "Hz", 0.01, 10)
    mod_depth_ms: float = quantity(0.25, "modulation depth", "ms", 0, 5)
    mod_sides_deg: float = quantity(0, "sides apart", "", 0, 180, "Phase of right to left, degrees")
    rt60_125_s: float | None = quantity(None, "decay at 125", "s", 0.05, 60, "RT60 about 125 Hz")
    rt60_250_s: float | None = quantity(None, "decay at 250", "s", 0.05, 60, "RT60 about 250 Hz")
    rt60_500_s: float | None = quantity(None, "decay at 500", "s", 0.05, 60, "RT60 about 500 Hz")
    rt60_1000_s: float | None = quantity(None, "decay at 1k", "s", 0.05, 60, "RT60 about 1 kHz")
    rt60_2000_s: float | None = quantity(None, "decay at 2k", "s", 0.05, 60, "RT60 about 2 kHz")
    rt60_4000_s: float | None = quantity(None, "decay at 4k", "s", 0.05, 60, "RT60 about 4 kHz")


class Convolution(Mixed):
    title: ClassVar[str] = "Impulse response"
    kind: Literal["convolution"] = "convolution"
    impulse: str | None = text("impulse", "Name of the song's clip that holds the response")
    pre_delay: str = duration("0 ms", "pre-delay")
    low_cut_hz: float | None = hertz(None, "low cut")


class StandIn(Mixed):
    """A small simulated device: counted by its label, heard as it truly is."""

    title: ClassVar[str] = "Stand-in"
    linear: ClassVar[bool] = False
    kind: Literal["stand_in"] = "stand_in"
    device: Literal["loop", "delay", "reverb", "cable", "clock", "switcher"] = choice(
        "loop",
        "device",
        "Outboard compressor loop, delay, reverb, cable, delay on a clock, or pedal switcher",
    )
    time: str = duration("1/8.", "time", "What the delay's label says")
    rt60_s: float = quantity(1.6, "RT60", "s", 0.05, 60, "What the reverb's label says")
    threshold_db: float = db(-18, "threshold", -80, 12, "Where the loop's meter starts to show")
    program: float = quantity(1, "program", "", 1, 128, "The switcher's; write moves to change it")


class Chorus(Modulated):
    title: ClassVar[str] = "Chorus"
    kind: Literal["chorus"] = "chorus"
    mix_percent: float = percent(50, "mix", about="The device's own wet share")
    depth_ms: float = quantity(2, "depth", "ms", 0, 30)
    centre_ms: float = quantity(8, "centre", "ms", 0.5, 50, "Delay it swings round")
    spread: bool = flag("spread", "Left and right swing against each other")


class Tremolo(Stage):
    title: ClassVar[str] = "Tremolo"
    kind: Literal["tremolo"] = "tremolo"
    rate_hz: float = quantity(5, "rate", "Hz", 0.01, 50)
    depth_percent: float = percent(50, "depth")
    locked: bool = flag("locked", "Modulation locked in phase, or off")


class VolumePedal(Stage):
    title: ClassVar[str] = "Volume pedal"
    kind: Literal["volume"] = "volume"
    position_percent: float = percent(100, "position", about="0 heel, 100 toe")
    taper: Literal["audio", "linear"] = choice("audio", "taper")
    pot_kohm: float = quantity(250, "pot", "kΩ", 1, 1000)
    second_output: Literal["none", "before", "after"] = choice(
        "none", "second output", "Where its second output taps: before or after the pot"
    )


class Level(Stage):
    title: ClassVar[str] = "Level"
    kind: Literal["level"] = "level"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")


class Fader(Stage):
    title: ClassVar[str] = "Fader"
    kind: Literal["fader"] = "fader"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")


class MidSideEncoder(Stage):
    title: ClassVar[str] = "Mid/side coder"
    kind: Literal["ms_encode"] = "ms_encode"
    scale: Literal["half", "one", "root-half"] = choice("half", "scale")


class MidSideDecoder(Stage):
    title: ClassVar[str] = "Mid/side decoder"
    kind: Literal["ms_decode"] = "ms_decode"
    scale: Literal["half", "one", "root-half"] = choice("one", "scale")


class Preamp(Stage):
    title: ClassVar[str] = "Preamp"
    takes_by_kind: ClassVar[str | None] = "instrument"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["preamp"] = "preamp"
    gain_db: float = db(12, "gain", -20, 60)


class EffectsLoop(Stage):
    title: ClassVar[str] = "Effects loop"
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["effects_loop"] = "effects_loop"
    gain_db: float = db(0, "gain", -20, 20)


class PowerAmp(Stage):
    title: ClassVar[str] = "Power amp"
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "speaker"
    kind: Literal["power_amp"] = "power_amp"
    gain_db: float = db(0, "gain", -20, 60)
    valve: bool = flag("valve")


class Cabinet(Stage):
    title: ClassVar[str] = "Cabinet"
    takes_by_kind: ClassVar[str | None] = "speaker"
    gives_by_kind: ClassVar[str | None] = "air"
    kind: Literal["cabinet"] = "cabinet"
    high_cut_hz: float | None = hertz(5000, "high cut")
    low_cut_hz: float | None = hertz(80, "low cut")


class LoadBox(Stage):
    title: ClassVar[str] = "Load box"
    takes_by_kind: ClassVar[str | None] = "speaker"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["load_box"] = "load_box"


class DI(Stage):
    title: ClassVar[str] = "DI box"
    takes_by_kind: ClassVar[str | None] = "instrument"
    gives_by_kind: ClassVar[str | None] = "mic"
    kind: Literal["di"] = "di"


class ReampBox(Stage):
    title: ClassVar[str] = "Reamp box"
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "instrument"
    kind: Literal["reamp"] = "reamp"


class Outboard(Mixed):
    title: ClassVar[str] = "Outboard loop"
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["outboard"] = "outboard"
    latency_ms: float = quantity(2, "latency", "ms", 0, 2000, "Round trip of the converters")


class Generic(Mixed):
    title: ClassVar[str] = "Stage"
    kind: Literal["generic"] = "generic"
    gain_db: float = db(0, "gain")


class Microphone(Stage):
    title: ClassVar[str] = "Microphone"
    takes_by_kind: ClassVar[str | None] = "air"
    gives_by_kind: ClassVar[str | None] = "mic"
    kind: Literal["microphone"] = "microphone"
    distance_m: float = quantity(0.05, "distance", "m", 0, 200)
    celsius: float = quantity(20, "temperature", "°C", -40, 60)


class Air(Stage):
    title: ClassVar[str] = "Air"
    takes_by_kind: ClassVar[str | None] = "air"
    gives_by_kind: ClassVar[str | None] = "air"
    kind: Literal["air"] = "air"
    distance_m: float = quantity(3, "distance", "m", 0, 200)
    celsius: float = quantity(20, "temperature", "°C", -40, 60)


class Return(Stage):
    title: ClassVar[str] = "Return"
    kind: Literal["return"] = "return"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")
    solo_safe: bool = flag("solo-safe", "Keeps sounding when another channel is soloed")


class Send(Node):
    """Taps a rail: the rail goes on through port 0, the send leaves by port 1."""

    title: ClassVar[str] = "Send"
    kind: Literal["send"] = "send"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")


class Split(Node):
    """One input, as many outputs as rails leave it (two for crossover, band and mid/side)."""

    title: ClassVar[str] = "Split"
    kind: Literal["split"] = "split"
    mode: Literal["full", "balance", "crossover", "band", "mid-side"] = choice("full", "mode")
    balance_percent: float = percent(50, "balance", about="Share of the second rail")
    crossover_hz: float = hertz(400, "crossover")
    upper_hz: float = hertz(2500, "upper", about="Upper edge of the band, Hz")
    slope: Literal[12, 24] = choice(24, "slope", "dB per octave, Linkwitz-Riley")  # type: ignore[arg-type]
    overlap_percent: float = percent(
        0, "overlap", -90, 90, "Low rail reaches higher, high rail lower"
    )
    swapped: bool = flag("swapped", "Low and high exchange rails")


class Merge(Node):
    """Adds its inputs; each comes in through a strip of its own."""

    title: ClassVar[str] = "Merge"
    many_inputs: ClassVar[bool] = True
    kind: Literal["merge"] = "merge"
    level_db: float = db(0, "level")
    crossfade_percent: float | None = percent(None, "crossfade", about="First input to second")  # type: ignore[arg-type]


class Bus(Node):
    """A bus or submix: adds what is sent to it."""

    title: ClassVar[str] = "Bus"
    many_inputs: ClassVar[bool] = True
    kind: Literal["bus"] = "bus"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")


class PassiveMixer(Node):
    title: ClassVar[str] = "Passive mixer"
    many_inputs: ClassVar[bool] = True
    kind: Literal["passive_mixer"] = "passive_mixer"
    loss_db: float = db(-6, "summing loss", -40, 0)


class Output(Node):
    title: ClassVar[str] = "Output"
    many_inputs: ClassVar[bool] = True
    kind: Literal["output"] = "output"
    stereo: bool = flag("stereo")
    pan_law: Literal["-3", "-4.5", "-6", "0"] = choice("-3", "pan law")
    ceiling_dbfs: float = db(0, "ceiling", -60, 0, "Highest peak level it takes, dBFS")
    crest_db: float = db(12, "crest", 0, 40, "Peak above RMS that is expected")
    takes: LevelKind | None = choice(None, "takes", "Level kind it expects")


InFrame = Annotated[
    Compressor
    | ThreeBand
    | Drive
    | Filter
    | Swept
    | Equaliser
    | Delay
    | Reverb
    | Convolution
    | Chorus
    | Tremolo
    | Level
    | Generic
    | Outboard
    | MidSideEncoder
    | MidSideDecoder,
    Field(discriminator="kind"),
]


class Slot(Edge):
    """A processor of an insert frame under its letter."""

    label: str = Field(pattern=r"^[A-Z]$")
    stage: InFrame


class ParallelSection(Edge):
    """A dry path beside one occupied slot."""

    follows: Literal["processor", "position"] = "processor"
    at: str = Field(pattern=r"^([A-Z]|[1-9]|1[0-6])$", description="Slot letter, or position")
    mix_percent: float = Field(50, ge=0, le=100)
    level_db: float = Field(0, ge=-60, le=24, description="Level correction after the section")


class Frame(Stage):
    """An insert frame: labelled processors, run in the order of their letters in `order`."""

    title: ClassVar[str] = "Insert frame"
    kind: Literal["frame"] = "frame"
    size: int = quantity(8, "slots", "", 1, 16)
    slots: tuple[Slot, ...] = Field((), max_length=16)
    order: str = Field(
        "",
        pattern=r"^[A-Z]{0,16}$",
        description="Slot letters in the order they run in",
        json_schema_extra={"label": "order", "unit": "text"},
    )
    half: Literal["whole", "first", "second"] = choice("whole", "half", "Half that is heard")
    sections: tuple[ParallelSection, ...] = Field((), max_length=2)


AnyNode = Annotated[
    Source
    | Compressor
    | ThreeBand
    | Ducker
    | Drive
    | Filter
    | Swept
    | Equaliser
    | Delay
    | Reverb
    | Convolution
    | StandIn
    | Chorus
    | Tremolo
    | VolumePedal
    | Level
    | Fader
    | MidSideEncoder
    | MidSideDecoder
    | Preamp
    | EffectsLoop
    | PowerAmp
    | Cabinet
    | LoadBox
    | DI
    | ReampBox
    | Outboard
    | Generic
    | Microphone
    | Air
    | Return
    | Send
    | Split
    | Merge
    | Bus
    | PassiveMixer
    | Frame
    | Output,
    Field(discriminator="kind"),
]

_ALL: tuple[type[Node], ...] = (
    Source, Compressor, ThreeBand, Ducker, Drive, Filter, Swept, Equaliser, Delay, Reverb,
    Convolution, StandIn, Chorus, Tremolo, VolumePedal, Level, Fader, MidSideEncoder, MidSideDecoder, Preamp, EffectsLoop, PowerAmp,
    Cabinet, LoadBox, DI, ReampBox, Outboard, Generic, Microphone, Air, Return, Send, Split,
    Merge, Bus, PassiveMixer, Frame, Output,
)  # fmt: skip
KINDS: dict[str, type[Node]] = {str(k.model_fields["kind"].default): k for k in _ALL}
STAGE_KINDS = tuple(name for name, model in KINDS.items() if model.is_stage)


def kind_of(node: Node) -> str:
    kind: str = node.kind  # type: ignore[attr-defined]
    return kind


def field_of(node: Node, name: str, default: Any = None) -> Any:
    """A field that not every kind has. Much quicker than getattr, which searches the model first."""
    return node.__dict__.get(name, default)


def has_trails(node: Stage) -> bool:
    """Whether a stage's tail rings on when it is switched off, said in either of two ways.

    Delays and reverbs have a flag for it; every stage can say it as what its bypass is.
    """
    return node.bypass_is == "trails" or bool(field_of(node, "trails", False))


def passes_input(node: Stage) -> bool:
    """Whether a stage lets its input through while it is bypassed.

    With trails only what mixes dry in by itself does: at 100 % wet nothing but the tail is left.
    """
    if not has_trails(node):
        return node.bypass_is == "thru"
    return not isinstance(node, Mixed) or node.mix_percent < 100


def is_bypassed(node: Node) -> bool:
    return isinstance(node, Stage) and node.bypassed


class ParameterOut(Edge):
    """A settable field, described for the interface."""

    field: str
    label: str
    sort: Literal["number", "time", "choice", "flag", "text", "whole"]
    unit: str
    low: float | None
    high: float | None
    choices: tuple[str, ...]
    about: str
    optional: bool
    own: bool = Field(description="Of this kind alone; false for what every stage has")


class KindOut(Edge):
    kind: str
    title: str
    stage: bool
    parameters: tuple[ParameterOut, ...]


def describe_kinds() -> tuple[KindOut, ...]:
    """Every kind with its fields, for menus and the inspector."""
    shared = set(Stage.model_fields)
    return tuple(
        KindOut(
            kind=name,
            title=model.title,
            stage=model.is_stage,
            parameters=tuple(
                ParameterOut(
                    field=p.field,
                    label=p.label,
                    sort=p.sort,
                    unit=p.unit,
                    low=p.low,
                    high=p.high,
                    choices=p.choices,
                    about=p.about,
                    optional=p.optional,
                    own=p.field not in shared or p.field == "name",
                )
                for p in parameters_of(model)
            ),
        )
        for name, model in KINDS.items()
    )


def make(kind: str, id: str, **values: Any) -> Node:
    """A node of a kind by name."""
    return KINDS[kind](id=id, **values)
