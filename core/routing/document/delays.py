"""What of a song a rig refers to by name: its delays, and clips that hold impulse responses."""

from collections.abc import Iterator

from core.routing.document import kinds as k
from core.routing.document.fields import parameters_of
from core.routing.document.rig import Rig


def delays_used(rig: Rig) -> frozenset[str]:
    """Names as they are written in a rig ('@lead_throw'): of stages, of what stands in frames, of scenes.

    Whatever setting is a time can name a delay; which ones are is asked of the fields themselves.
    """
    found = {text for node in rig.nodes.values() for text in _times(node)}
    for scene in rig.scenes:
        for name, values in scene.values.items():
            node = rig.nodes.get(name)
            if node is not None:
                wanted = _time_fields(node)
                found |= {str(value) for field, value in values.items() if field in wanted}
    return frozenset(text for text in found if text.startswith("@"))


def impulses_used(rig: Rig) -> frozenset[str]:
    """Names of the clips that impulse responses are taken from: of stages, and of what stands in
    frames.
    """
    stages = [*rig.nodes.values()]
    stages += [one.stage for node in rig.of_type((k.Frame,)) for one in node.sidings]
    return frozenset(s.impulse for s in stages if isinstance(s, k.Convolution) and s.impulse)


def _time_fields(node: k.Node) -> set[str]:
    return {p.field for p in parameters_of(type(node)) if p.sort == "time"}


def _times(node: k.Node) -> Iterator[str]:
    for field in _time_fields(node):
        yield getattr(node, field) or ""
    if isinstance(node, k.Frame):
        for one in node.sidings:
            yield from _times(one.stage)
