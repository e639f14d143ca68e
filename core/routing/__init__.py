"""Routing: the rig document, its notation, its arrivals, its checks and its edits."""

from core.routing.actions import Action, Fragment
from core.routing.arrivals import Evaluation, evaluate
from core.routing.checks import CheckReport, run_checks
from core.routing.compile import Context, compile_rig
from core.routing.convert import Conversion, convert
from core.routing.document import Rig, RigError, load_rig
from core.routing.edits import (
    Edit,
    EditConflict,
    apply_edit,
    difference,
    difference_in_words,
)
from core.routing.kinds import KindOut, describe_kinds
from core.routing.layout import RigLayout, lay_out_rig
from core.routing.notation import NotationError, format_rig, parse_rig
from core.routing.perform import Done, copy_parts, perform
from core.routing.report import RigReport
from core.routing.templates import TEMPLATES, Template, build, build_alternative, template_of
from core.routing.view import RigView, patch_csv, rig_view

__all__ = [
    "TEMPLATES", "Action", "CheckReport", "Context", "Conversion", "Done", "Edit", "EditConflict",
    "Evaluation", "Fragment", "KindOut", "NotationError", "Rig", "RigError", "RigLayout", "RigReport",
    "RigView", "Template", "apply_edit", "build", "build_alternative", "compile_rig", "convert", "copy_parts",
    "describe_kinds", "difference", "difference_in_words", "evaluate", "format_rig", "lay_out_rig", "load_rig",
    "parse_rig", "patch_csv", "perform", "rig_view", "run_checks", "template_of",
]  # fmt: skip
