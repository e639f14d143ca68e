"""Layouts of rigs grown at random, and of a large one: what the front end's tests fit to sheets.

python -m door.layouts TARGET.json
"""

import json
import random
import sys
from pathlib import Path

from benchmarks.rigs import studio
from core.routing import TEMPLATES, build, compile_rig, lay_out_rig
from core.routing.tests.by_hand import grown


def main(target: Path, count: int = 40) -> None:
    rigs = [("large", studio(1)), ("larger", studio(2))]
    rigs += [(t.id, build(t)) for t in TEMPLATES]
    rigs += [(f"grown {seed}", grown(seed, 4 + seed)) for seed in range(count)]
    rng = random.Random(0)
    found = []
    for name, rig in rigs:
        layout = lay_out_rig(rig, compile_rig(rig)).model_dump(mode="json")
        at = sorted(rng.sample([*rig.nodes, *rig.rails], min(5, len(rig.nodes))))
        found.append({"name": name, "layout": layout, "flags": at})
    target.write_text(json.dumps(found))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
