"""Routing: the rig document, its notation, its arrivals, its checks and its edits."""

from core.routing.checks import CheckReport, run_checks
from core.routing.document.delays import delays_used, impulses_used
from core.routing.document.kinds import KindOut, describe_kinds, describe_strip
from core.routing.document.notation import NotationError, format_rig, parse_rig
from core.routing.document.rig import Rig, RigError, refuse_wide
from core.routing.document.versions import load_rig
from core.routing.edit.actions import Action, Fragment, Lay
from core.routing.edit.convert import Conversion, convert
from core.routing.edit.correct import Correction, Wanted, correction, inputs_to_correct
from core.routing.edit.edits import (
    Edit,
    EditConflict,
    apply_edit,
    difference,
    difference_in_words,
)
from core.routing.edit.orders import Order, orders_of, the_other
from core.routing.edit.perform import Done, copy_parts, perform
from core.routing.edit.templates import TEMPLATES, Template, build, build_alternative, template_of
from core.routing.evaluate.arrivals import Evaluation, evaluate
from core.routing.evaluate.report import RigReport
from core.routing.evaluate.signal import compile_rig
from core.routing.plan.build import Context
from core.routing.plan.cells import clip_facts
from core.routing.plan.digest import plan_digest
from core.routing.plan.measured import Measured, StageGauge
from core.routing.show.layout import RigLayout, lay_out_rig
from core.routing.show.minis import Mini, minis
from core.routing.show.trial import LandingOut, Trial, landing_view, try_action
from core.routing.show.view import RigView, SceneStep, patch_csv, rig_view, scene_steps

__all__ = [
    "TEMPLATES", "Action", "CheckReport", "Context", "Conversion", "Correction", "Done", "Edit", "EditConflict",
    "Evaluation", "Fragment", "KindOut", "LandingOut", "Lay", "Measured", "Mini", "NotationError", "Order", "Rig", "RigError", "RigLayout", "RigReport",
    "RigView", "SceneStep", "StageGauge", "Template", "Trial", "Wanted", "apply_edit", "build", "build_alternative", "clip_facts", "compile_rig", "convert", "copy_parts", "correction",
    "delays_used", "impulses_used", "inputs_to_correct", "describe_kinds", "describe_strip", "difference", "difference_in_words", "evaluate", "format_rig", "landing_view", "lay_out_rig", "load_rig", "minis", "orders_of",
    "parse_rig", "patch_csv", "perform", "plan_digest", "refuse_wide", "rig_view", "run_checks", "scene_steps", "template_of", "the_other", "try_action",
]  # fmt: skip
