"""Times as typed, under a tempo and the song's named delays."""

from collections.abc import Mapping
from functools import lru_cache

from core.errors import QuantityError
from core.routing.document import kinds as k
from core.routing.document.rig import RigError
from core.units import TempoFrame, parse_time

_parsed = lru_cache(maxsize=2000)(parse_time)


def seconds_of(text: str, node: k.Node, frame: TempoFrame, delays: Mapping[str, str]) -> float:
    """A time of a stage ('1/8.', '319 ms', '@slap') in seconds.

    Raises RigError, naming the stage, where it cannot be read or names no delay of the song.
    """
    if text.startswith("@"):
        value = delays.get(text)
        if value is None:
            raise RigError(
                f"{node.shown}: this song has no delay written {text}. "
                f"It has {', '.join(sorted(delays)) or 'none'}.",
                part=text,
            )
        text = value
    try:
        return _parsed(text, frame)[0]
    except QuantityError as error:
        raise RigError(f"{node.shown}: {error.sentence}", part=text) from None
