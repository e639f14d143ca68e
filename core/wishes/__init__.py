"""Wishes: what shall arrive, whether it does, and the smallest change that makes it so."""

from core.wishes.check import checked, in_sound
from core.wishes.heard import RATE_HZ, ClipSound, clip_sound
from core.wishes.measure import Looked, NotThere, figure_of
from core.wishes.over import ClipPart, clip_part, steady_phrases
from core.wishes.propose import (
    BestSoFar,
    FreeAsked,
    FreeOut,
    ProposalsOut,
    TradeOut,
    asked_for,
    chosen,
    free_settings,
    propose,
    trade,
    traded,
)
from core.wishes.report import (
    WishesOut,
    WishKindOut,
    WishOut,
    measured,
    wish_kinds,
    wishes_of,
)
from core.wishes.sets import WishSet, wish_sets

__all__ = [
    "RATE_HZ", "BestSoFar", "ClipPart", "ClipSound", "FreeAsked", "FreeOut", "Looked", "NotThere", "ProposalsOut", "TradeOut", "WishKindOut", "WishOut", "WishSet", "WishesOut", "asked_for", "checked", "chosen", "clip_part", "clip_sound", "figure_of", "free_settings", "in_sound", "measured", "propose", "steady_phrases", "trade", "traded",
    "wish_kinds", "wish_sets", "wishes_of",
]  # fmt: skip
