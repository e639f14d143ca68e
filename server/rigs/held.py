"""What a change is tried on, kept for the moment that a drag lasts: the rig as it stands and what it is computed
under are read once, not for each place of the hand.
"""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from typing import NamedTuple
from uuid import UUID

from core.routing import Context, Rig

LASTS_S = 2.0
_MOST = 200


class Seen(NamedTuple):
    """Whose rig, and how it stood on the screen."""

    owner: int
    variant: UUID
    revision: int
    song_revision: int


class Held:
    """By what was seen: a change of the rig or its song is seen at once, one of its clips after LASTS_S."""

    def __init__(self, most: int = _MOST, clock: Callable[[], float] = time.monotonic) -> None:
        self._most, self._clock = most, clock
        self._rows: OrderedDict[Seen, tuple[float, Rig, Context]] = OrderedDict()
        self._guard = threading.Lock()

    def get(self, seen: Seen) -> tuple[Rig, Context] | None:
        with self._guard:
            found = self._rows.get(seen)
            if found is None:
                return None
            at, document, context = found
            if self._clock() - at >= LASTS_S:
                del self._rows[seen]
                return None
            return document, context

    def put(self, seen: Seen, document: Rig, context: Context) -> None:
        now = self._clock()
        with self._guard:
            self._rows[seen] = (now, document, context)
            self._rows.move_to_end(seen)
            # What nobody drags any more lets go of its sounds: the oldest stand first.
            while len(self._rows) > self._most or self._oldest() <= now - LASTS_S:
                self._rows.popitem(last=False)

    def _oldest(self) -> float:
        return next(iter(self._rows.values()))[0]

    def __len__(self) -> int:
        return len(self._rows)


HELD = Held()
