"""The rig made audible: the compiled plan of a rig, run over streams of samples."""

from core.render.rig import Renderer, RenderError, render_clip

__all__ = ["RenderError", "Renderer", "render_clip"]
