"""Measure: null tests between two recordings."""

from core.measure.null_test import null_test
from core.measure.reach import Reach, Steps, reach_of
from core.measure.results import Judgement, Limit, Measurement, NullOptions, NullResult, Region
from core.measure.verdict import judge, judged

__all__ = [
    "Judgement",
    "Limit",
    "Measurement",
    "NullOptions",
    "NullResult",
    "Reach",
    "Region",
    "Steps",
    "judge",
    "judged",
    "null_test",
    "reach_of",
]
