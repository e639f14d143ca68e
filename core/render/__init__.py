"""The rig made audible: the compiled plan of a rig, run over streams of samples."""

from core.render.rig import Renderer, RenderError
from core.render.run import render_clip

RENDERER = 9
"""Raised when the same plan comes to sound otherwise, so that kept renders are not taken for it."""

__all__ = ["RENDERER", "RenderError", "Renderer", "render_clip"]
