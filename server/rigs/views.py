"""What is computed of a rig, once for all who ask for it at the same time or soon after."""

import hashlib
import pickle
import threading
from collections import OrderedDict
from concurrent.futures import Future

from core.routing import Context, Rig, RigView, rig_view

_MOST = 24


class Views:
    """Views by document and context. Those who ask while one is computed wait for it."""

    def __init__(self, most: int = _MOST) -> None:
        self._most = most
        self._held: OrderedDict[str, Future[RigView]] = OrderedDict()
        self._guard = threading.Lock()

    def of(self, document: Rig, context: Context) -> RigView:
        """Raises what the computation raises; a failure is not kept."""
        text = document.model_dump_json().encode()
        key = hashlib.sha256(text + pickle.dumps(context)).hexdigest()
        with self._guard:
            found = self._held.get(key)
            mine = found is None
            if found is None:
                found = self._held[key] = Future()
            self._held.move_to_end(key)
            while len(self._held) > self._most:
                self._held.popitem(last=False)
        if not mine:
            return found.result()
        try:
            found.set_result(rig_view(document, context))
        except BaseException as fault:
            with self._guard:
                self._held.pop(key, None)
            found.set_exception(fault)
        return found.result()


VIEWS = Views()
