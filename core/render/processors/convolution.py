"""Convolution with an impulse response of the user's own."""

import numpy as np
import scipy

from core.errors import FonodromeError
from core.render.processors.base import Setting
from core.routing.document import kinds as k
from core.routing.plan.spread import pink_scale

LONGEST_S = 20.0


class ConvolutionWork:
    """What comes in, convolved with a recorded impulse response, block by block, without latency.

    Scaled to unit energy for pink noise, as the plan counts it. A mono response serves both sides; a
    stereo one has a side each.
    """

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Convolution, setting: Setting) -> None:
        response = setting.impulses.get(stage.impulse or "")
        if response is None:
            named = f"a clip named “{stage.impulse}”" if stage.impulse else "a clip chosen"
            raise FonodromeError(
                f"{stage.shown} needs {named} as its impulse response; this song has none."
            )
        if response.shape[1] > LONGEST_S * setting.rate_hz:
            raise FonodromeError(
                f"{stage.shown}: an impulse response may last {LONGEST_S:g} s at most."
            )
        if not np.isfinite(response).all():
            raise FonodromeError(
                f"{stage.shown}: its impulse response holds samples that are no numbers."
            )
        sides = [response[0], response[-1]][: setting.channels]
        scale = pink_scale(response, setting.rate_hz)
        self.sides = [side * scale for side in sides]
        self.tails = [np.zeros(len(side) - 1) for side in self.sides]

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        count = block.shape[1]
        out = np.zeros_like(block)
        for side, response in enumerate(self.sides):
            whole = scipy.signal.oaconvolve(block[side], response)
            tail = self.tails[side]
            reach = min(len(tail), len(whole))
            whole[:reach] += tail[:reach]
            if len(tail) > len(whole):
                whole = np.concatenate([whole, tail[len(whole) :]])
            out[side] = whole[:count]
            self.tails[side] = whole[count : count + len(response) - 1]
        return out
