"""The usual courses, each made from an empty rig by actions alone."""

from typing import Any

from core.edge import Edge
from core.routing.document.kinds import Beside
from core.routing.document.rig import Rig
from core.routing.edit.actions import (
    Action,
    AddSend,
    Arrange,
    Connect,
    Insert,
    Move,
    Parallel,
    Set,
    SetKey,
    SetRig,
    SetStrip,
    Start,
)
from core.routing.edit.perform import perform


class Template(Edge):
    """A course to start from; with `alternative` a comparison of two, A and B."""

    id: str
    name: str
    when: str
    actions: tuple[Action, ...]
    first: str = ""
    """Name of variant A, where there is a B."""
    second: str = ""
    alternative: tuple[Action, ...] = ()
    """What makes B of A."""


def _begin(
    title: str, *, stereo: bool = True, level_dbfs: float = -20, **source: Any
) -> list[Action]:
    return [
        SetRig(title=title),
        Start(kind="output", id="main", values={"name": "Main", "stereo": stereo}),
        Start(
            kind="source",
            id="guitar",
            values={"name": "Guitar", "level_dbfs": level_dbfs, **source},
            into="main",
        ),
    ]


def _template(id: str, name: str, when: str, *actions: Action | list[Action]) -> Template:
    flat: list[Action] = []
    for one in actions:
        flat += one if isinstance(one, list) else [one]
    return Template(id=id, name=name, when=when, actions=tuple(flat))


def _compared(template: Template, first: str, second: str, *actions: Action) -> Template:
    return template.model_copy(
        update={"first": first, "second": second, "alternative": actions}
    )  # fmt: skip


_AMP = {"gives": "instrument", "passive": True, "level_dbfs": -30}

TEMPLATES: tuple[Template, ...] = (
    _template(
        "send-return", "Send and return",
        "One reverb that several sources share: each sends as much as it needs, the dry sound stays as it is.",
        _begin("Send and return"),
        Insert(at="guitar.0", kind="compressor", values={"ratio": 3, "threshold_db": -24}),
        Insert(at="compressor1.0", kind="fader", id="guitar_fader", values={"name": "Guitar fader"}),
        AddSend(at="guitar_fader.0", kind="reverb", values={"rt60_s": 1.8, "pre_delay": "1/64", "low_cut_hz": 150, "locked": True}, into="main", level_db=-6),
        Set(node="return1", values={"level_db": -6, "name": "Reverb return"}),
    ),
    _template(
        "parallel-compression", "Parallel compression",
        "Lifts what is quiet and leaves the peaks alone: a squeezed copy under the dry one.",
        _begin("Parallel compression"),
        Parallel(start="guitar.0", kind="compressor", values={"threshold_db": -34, "ratio": 4, "attack_ms": 3, "release_ms": 150}),
        SetStrip(rail="split1.0", values={"level_db": -3}),
        SetStrip(rail="compressor1.0", values={"level_db": 2}),
    ),
    _template(
        "delay-reverb-parallel", "Delay and reverb in parallel",
        "Both fully wet beside the dry rail: neither feeds the other, and each has a level of its own.",
        _begin("Delay and reverb in parallel"),
        Parallel(start="guitar.0", kind="delay", values={"time": "1/8.", "feedback_percent": 30, "channels": "stereo"}),
        Insert(at="split1.1", kind="level", id="delay_send", values={"name": "Delay send", "level_db": -4}),
        SetStrip(rail="delay1.0", values={"level_db": -2.5}),
        Insert(at="split1.2", kind="reverb", values={"rt60_s": 1.8, "pre_delay": "1/64", "low_cut_hz": 150, "locked": True}),
        Connect(port="reverb1.0", to="main", strip={"level_db": -3}),
    ),
    _template(
        "ducking-delay", "Delay that makes room",
        "The repeats step back while the note sounds and come up in the gaps: a ducker on the wet rail, keyed by the dry one.",
        _begin("Delay that makes room"),
        Parallel(start="guitar.0", kind="delay", values={"time": "1/8.", "feedback_percent": 40, "channels": "stereo"}),
        Insert(at="delay1.0", kind="ducker", id="duck", values={"name": "Room for the note", "way": "key", "depth_db": 12, "attack_ms": 8, "release_ms": 260}),
        SetStrip(rail="duck.0", values={"level_db": -2}),
        SetKey(keyed="duck", tap="guitar"),
    ),
    _template(
        "opening-filter", "Filter that opens with the hits",
        "A low filter rests nearly shut; each hit opens it, harder ones further, and it falls shut again.",
        _begin("Filter that opens with the hits", level_dbfs=-18),
        Insert(at="guitar.0", kind="swept", id="opening", values={"name": "Opening filter", "mode": "low", "frequency_hz": 350, "q": 2.5, "output_db": -5, "moved_by": "level", "range_oct": 3, "threshold_dbfs": -36, "full_dbfs": -12, "attack_ms": 4, "release_ms": 140}),
    ),
    _template(
        "wet-dry", "Dry amp and wet amp",
        "The dry amp never changes; the wet one carries only what the effects make.",
        SetRig(title="Dry amp and wet amp"),
        Start(kind="output", id="room", values={"name": "Room", "stereo": True}),
        Start(kind="source", id="guitar", values={"name": "Guitar", **_AMP}),
        Insert(at="guitar.0", kind="preamp", id="preamp1"),
        Insert(at="preamp1.0", kind="power_amp", id="dry_amp", values={"name": "Dry amp", "valve": True}),
        Insert(at="dry_amp.0", kind="cabinet", id="dry_cab", values={"name": "Dry cabinet"}),
        Connect(port="dry_cab.0", to="room", strip={"pan_percent": -30}),
        Parallel(start="preamp1.0", end="dry_cab.0", kind="delay", values={"time": "1/8.", "feedback_percent": 25}),
        Insert(at="delay1.0", kind="power_amp", id="wet_amp", values={"name": "Wet amp"}),
        Insert(at="wet_amp.0", kind="cabinet", id="wet_cab", values={"name": "Wet cabinet"}),
        SetStrip(rail="wet_cab.0", values={"pan_percent": 30, "level_db": -4}),
    ),
    _template(
        "wet-dry-wet", "Dry centre, wet left and right",
        "Three amps: the attack stays in the middle, the space opens to both sides.",
        SetRig(title="Dry centre, wet left and right"),
        Start(kind="output", id="room", values={"name": "Room", "stereo": True}),
        Start(kind="source", id="guitar", values={"name": "Guitar", **_AMP}),
        Insert(at="guitar.0", kind="preamp", id="preamp1"),
        Insert(at="preamp1.0", kind="split", id="ways"),
        Insert(at="ways.0", kind="power_amp", id="centre_amp", values={"name": "Centre amp", "valve": True}),
        Insert(at="centre_amp.0", kind="cabinet", id="centre_cab", values={"name": "Centre cabinet"}),
        Connect(port="centre_cab.0", to="room"),
        Insert(at="ways.1", kind="delay", id="left_delay", values={"name": "Left delay", "time": "1/4", "feedback_percent": 20}),
        Insert(at="left_delay.0", kind="power_amp", id="left_amp", values={"name": "Left amp"}),
        Insert(at="left_amp.0", kind="cabinet", id="left_cab", values={"name": "Left cabinet"}),
        Connect(port="left_cab.0", to="room", strip={"pan_percent": -100, "level_db": -5}),
        Insert(at="ways.2", kind="delay", id="right_delay", values={"name": "Right delay", "time": "1/8.", "feedback_percent": 20}),
        Insert(at="right_delay.0", kind="power_amp", id="right_amp", values={"name": "Right amp"}),
        Insert(at="right_amp.0", kind="cabinet", id="right_cab", values={"name": "Right cabinet"}),
        Connect(port="right_cab.0", to="room", strip={"pan_percent": 100, "level_db": -5}),
    ),
    _template(
        "stereo-chorus", "Chorus on two amps, clean centre",
        "Both sides swing, a third clean channel in the middle holds the pitch and softens the effect.",
        SetRig(title="Chorus on two amps, clean centre"),
        Start(kind="output", id="room", values={"name": "Room", "stereo": True}),
        Start(kind="source", id="guitar", values={"name": "Guitar", "level_dbfs": -20}),
        Insert(at="guitar.0", kind="split", id="ways"),
        Connect(port="ways.0", to="room", strip={"level_db": -3}),
        Insert(at="ways.1", kind="chorus", id="left_chorus", values={"name": "Left chorus", "mix_percent": 100}),
        Connect(port="left_chorus.0", to="room", strip={"pan_percent": -100, "level_db": -3}),
        Insert(at="ways.2", kind="chorus", id="right_chorus", values={"name": "Right chorus", "mix_percent": 100, "rate_hz": 0.9}),
        Connect(port="right_chorus.0", to="room", strip={"pan_percent": 100, "level_db": -3}),
    ),
    _template(
        "crossover", "Crossover split",
        "Low and high go different ways: a clean bottom under a driven top.",
        _begin("Crossover split"),
        Parallel(start="guitar.0", mode="crossover", kind="drive", values={"gain_db": 15}),
        Set(node="split1", values={"crossover_hz": 250}),
        SetStrip(rail="drive1.0", values={"level_db": -6}),
    ),
    _template(
        "insert-frame", "Sidings",
        "Eight places on one line that calls at each in any order: compare orders without repatching.",
        _begin("Sidings"),
        Insert(at="guitar.0", kind="frame"),
        Arrange(frame="frame1", place=1, kind="compressor", values={"ratio": 3}),
        Arrange(frame="frame1", place=2, kind="equaliser", values={"high_db": 2}),
        Arrange(frame="frame1", place=3, kind="drive", values={"gain_db": 8}),
        Arrange(frame="frame1", beside=(Beside(at=1, mix_percent=60),), keep="Level first"),
        Arrange(frame="frame1", calls=(3, 2, 1), keep="Drive first"),
        Arrange(frame="frame1", take="Level first"),
    ),
    _template(
        "outboard", "Outboard loop",
        "A device outside: its converters' latency is measured once and the dry path waits for it.",
        _begin("Outboard loop"),
        Parallel(start="guitar.0", kind="outboard", values={"name": "Outboard compressor", "latency_ms": 2.71}),
        SetStrip(rail="split1.0", values={"delay_ms": 2.71}),
    ),
    _template(
        "volume-fader", "Volume pedal as wet fader",
        "The pedal stands before a fully wet delay: heel is dry alone, toe adds the repeats, and tails ring on.",
        _begin("Volume pedal as wet fader"),
        Parallel(start="guitar.0", kind="delay", values={"time": "1/8.", "feedback_percent": 35, "channels": "stereo"}),
        Insert(at="split1.1", kind="volume", values={"name": "Wet pedal", "position_percent": 80, "pot_kohm": 25}),
    ),
    _compared(
        _template(
            "compare-order", "Compare: drive before delay, or after",
            "Before, the repeats are clean copies of a driven note; after, the drive bends them all together.",
            _begin("Order of drive and delay", stereo=False),
            Insert(at="guitar.0", kind="drive", values={"gain_db": 18}),
            Insert(at="drive1.0", kind="delay", values={"time": "1/8.", "feedback_percent": 35, "mix_percent": 35}),
        ),
        "Drive before delay", "Delay before drive",
        Move(node="delay1", by=-1),
    ),
    _compared(
        _template(
            "compare-two-amps", "Compare: one amp, or dry and wet on two",
            "On one amp the repeats share its level with the dry note; on two the dry one stays as it was.",
            _begin("One amp or two"),
            Insert(at="guitar.0", kind="delay", values={"time": "1/8.", "feedback_percent": 40, "mix_percent": 40, "mix_law": "equal-power"}),
        ),
        "One amp", "Dry left, wet right",
        Set(node="delay1", values={"mix_percent": 100}),
        Parallel(start="guitar.0", end="delay1.0"),
        SetStrip(rail="split1.1", values={"pan_percent": -100}),
        SetStrip(rail="delay1.0", values={"pan_percent": 100}),
    ),
    _compared(
        _template(
            "compare-wide", "Compare: dry and wet, or dry centre and wet sides",
            "Beside each other, or the dry one in the middle of two wet sides that differ by some milliseconds.",
            _begin("Wet beside, or round the dry"),
            Parallel(start="guitar.0", kind="delay", values={"time": "1/8.", "feedback_percent": 35}),
            SetStrip(rail="split1.0", values={"pan_percent": -100}),
            SetStrip(rail="delay1.0", values={"pan_percent": 100, "level_db": -3}),
        ),
        "Dry left, wet right", "Dry centre, wet sides",
        SetStrip(rail="split1.0", values={"pan_percent": 0}),
        SetStrip(rail="delay1.0", values={"pan_percent": 0, "level_db": -3}),
        Set(node="delay1", values={"mode": "dual", "offset_ms": 14}),
    ),
)  # fmt: skip


def build(template: Template) -> Rig:
    """The template's rig, action by action."""
    return _performed(Rig(), template.actions)


def build_alternative(template: Template) -> Rig | None:
    """Variant B of a comparison; None where the template is none."""
    return _performed(build(template), template.alternative) if template.alternative else None


def _performed(rig: Rig, actions: tuple[Action, ...]) -> Rig:
    for action in actions:
        rig = perform(rig, action).rig
    return rig


def template_of(id: str) -> Template | None:
    return next((t for t in TEMPLATES if t.id == id), None)
