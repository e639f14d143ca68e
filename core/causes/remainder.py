"""Say what is left, or that it cannot be told."""

import numpy as np

from core.causes import say
from core.causes.find import Finder, Search
from core.causes.rest import band_edge_hz, echo_in, look_at_rest
from core.causes.state import DEEP_DB, OWN_DB, State
from core.measure.results import Cause, Sure
from core.units import format as fmt


def find_remainder(
    state: State, finder: Finder, made: np.ndarray, depth: float, search: Search
) -> None:
    """Say what is left, or that it cannot be told."""
    y, x = finder.y, finder.x
    if state.out.causes:
        state.out.left_db = depth
    own = max(state.floor_db + 1.5, OWN_DB if state.out.causes else DEEP_DB)
    if search.chosen is not None and len(search.chosen.order) == 1:
        own = max(own, {"F": -78.0, "D": -50.0, "S": -55.0}[search.chosen.order])
    elif search.chosen is not None:
        own = max(own, -45.0)
    if any(c.code in ("drift", "jump") for c in state.out.causes):
        own = max(own, -70.0)
    if any(c.code == "modulation" for c in state.out.causes):
        own = max(own, -20.0)
    if depth < own:
        return
    rate = state.pair.rate_hz
    rest = y - made
    if state.masked.any():
        rest = np.where(state.masked, 0.0, rest)
    gain = float(np.abs(state.gains).mean())
    found = look_at_rest(rest * gain, x, rate)
    echo = echo_in(rest, x, rate)
    alone = not any(c.code in _SOUND for c in state.out.causes)
    # Few frames tie by chance: what moves with A decibel by decibel is no sound of its own.
    independent = abs(found.follows) < 0.12 or (abs(found.ties) < 0.35 and abs(found.follows) < 0.4)
    # Beside a fitted cause, what is this deep may be its own inaccuracy.
    sure: Sure = "certain" if alone or depth > _OWN_REST_DB else "possible"
    if found.tonal > 0.5 and independent:
        lines = ", ".join(say.hz_word(f) for f in found.lines_hz[:4])
        hum = bool(found.lines_hz) and any(
            abs(f / base - round(f / base)) < 0.03 for base in (50, 60) for f in found.lines_hz[:1]
        )
        state.say(
            Cause(
                code="added_sound", title="There is a hum in B" if hum else "There is a tone in B", sure=sure,
                evidence=f"{fmt.number(found.level_dbfs, 1)} dBFS at {lines}; it does not follow A.",
                figures={"level_dbfs": round(found.level_dbfs, 2), "hz": round(found.lines_hz[0], 2) if found.lines_hz else 0.0},
                words={"sort": "hum" if hum else "tone"}, pictures=[say.rest_picture(found)],
            )
        )  # fmt: skip
        return
    if independent and found.deviation_db < 2.5:
        noise = say.noise_cause(found, 0.0, depth)
        state.say(noise if sure == "certain" else noise.model_copy(update={"sure": sure}))
        return
    edge = band_edge_hz(x, y, rate)
    if echo is not None and echo.sharp > 14 and echo.wander < 3 and abs(echo.lag) > 1500:
        ms = 1e3 * echo.lag / rate
        state.say(
            Cause(
                code="filter", title="A second path is in B", sure="likely",
                evidence=f"What is left holds A again, {fmt.significant(ms, 4)} ms later.",
                figures={"delay_ms": round(ms, 3)}, words={"shape": "second path"},
            )
        )  # fmt: skip
        return
    if echo is not None and echo.sharp > 12 and echo.wander >= 3 and depth > -25:
        # What a filter or a gain took of it by half was an imitation of the movement.
        weak = [c for c in state.out.causes if c.code in _SOUND and c.sure != "certain"]
        state.out.causes = [c for c in state.out.causes if c not in weak]
        state.out.later = [
            item for item in state.out.later if item[0].code not in {c.code for c in weak}
        ]
        state.say(
            Cause(
                code="modulation", title="Something in B moves", sure="likely" if echo.sharp > 14 else "possible",
                evidence="What is left holds A at delays that change from moment to moment: a chorus, a flanger or a moving voice.",
                figures={"wander_ms": round(1e3 * echo.wander / rate, 3)},
            )
        )  # fmt: skip
        state.out.uncertain = depth > -20
        return
    follows = found.ties > 0.5
    if edge is not None and follows and alone and edge < 0.47 * rate:
        state.say(
            Cause(
                code="codec", title="B went through a lossy codec", sure="likely",
                evidence=f"B ends at {say.hz_word(edge)} where A goes on, and what is left follows A from moment to moment.",
                figures={"edge_hz": round(edge, 0), "level_dbfs": round(found.level_dbfs, 2)}, pictures=[say.rest_picture(found)],
            )
        )  # fmt: skip
        return
    if not alone and not independent and depth < _OWN_REST_DB:
        return
    if independent or found.ties < 0.35:
        state.say(
            Cause(
                code="added_sound", title="Another sound is in B", sure="likely" if alone else "possible",
                evidence=f"{fmt.number(found.level_dbfs, 1)} dBFS; its level comes and goes without A's.",
                figures={"level_dbfs": round(found.level_dbfs, 2)}, words={"sort": "other"}, pictures=[say.rest_picture(found)],
            )
        )  # fmt: skip
        return
    if depth > -60:
        state.out.uncertain = alone or depth > -25
        state.say(
            Cause(
                code="unknown", title="The rest cannot be told", sure="possible",
                evidence=f"{fmt.number(-depth, 0)} dB down; it follows A, and none of filter, gain over time, curve or time explains it.",
                figures={"level_dbfs": round(found.level_dbfs, 2)}, pictures=[say.rest_picture(found)],
            )
        )  # fmt: skip


_OWN_REST_DB = -60.0
"""What a fitted cause leaves below this may be its own inaccuracy."""

_SOUND = {"filter", "dynamics", "level_moves", "distortion", "clipping", "modulation"}
