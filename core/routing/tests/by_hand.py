"""Rigs grown at random as hands make them: stages put in, rails laid, strips set."""

import random

from core.routing import Rig, RigError, perform
from core.routing.edit.actions import Insert, Lay, Set, SetStrip, Start
from core.routing.edit.lay import landings

KINDS = (
    "compressor",
    "drive",
    "delay",
    "reverb",
    "level",
    "chorus",
    "volume",
    "equaliser",
    "generic",
)
NAMES = ("Wide room for the last chorus", "Echo", "A", "Très long hiver", "Tape in the left corner")


def grown(seed: int, steps: int) -> Rig:
    """A rig as hands make it: stages put in, rails laid to anywhere they can land, strips set."""
    rng = random.Random(seed)
    rig = perform(Rig(), Start(kind="output", id="out")).rig
    for n in range(rng.randint(1, 4)):
        rig = perform(rig, Start(kind="source", id=f"s{n}", into="out")).rig
    for _ in range(steps):
        port = rng.choice(sorted(rig.rails))
        try:
            match rng.randint(0, 9):
                case 0 | 1 | 2 | 3:
                    name = rng.choice(NAMES) if rng.random() < 0.3 else None
                    action = Insert(at=port, kind=rng.choice(KINDS), values={"name": name})
                case 4 | 5 | 6:
                    by = rng.choice(("split", "split", "send"))
                    lands = [one for one in landings(rig, by, (port,)) if one.possible]
                    kind = rng.choice((None, *KINDS[2:4])) if by == "split" else "reverb"
                    action = Lay(by=by, starts=(port,), to=rng.choice(lands[:9]).place, kind=kind)
                case 7:
                    values = {
                        "level_db": rng.uniform(-20, 6),
                        "pan_percent": rng.choice((0, -40, 100)),
                    }
                    action = SetStrip(rail=port, values=values)
                case 8:
                    action = Insert(at=port, kind=rng.choice(("split", "merge", "bus", "output")))
                case _:
                    action = Set(node=port.split(".")[0], values={"bypassed": True})
            rig = perform(rig, action).rig
        except RigError:
            continue
    return rig
