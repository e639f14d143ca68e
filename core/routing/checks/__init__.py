"""Checks that explain: what will be heard, by how much, why, and one action that mends it.

They never forbid. Each rule is a function from an evaluation to findings, registered with its
reason; a person can mark a finding as intended, and it stays listed.
"""

from core.routing.checks import gear, leaks, levels, loops, order, polarity, silence  # noqa: F401  (they register rules)
from core.routing.checks.base import RULES, CheckReport, Finding, Rule, run_checks

__all__ = ["RULES", "CheckReport", "Finding", "Rule", "run_checks"]
