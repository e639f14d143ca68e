"""Wishes: what shall arrive, whether it does, and the smallest change that makes it so."""

from core.wishes.measure import Looked, NotThere, figure_of
from core.wishes.propose import (
    FreeAsked,
    FreeOut,
    ProposalsOut,
    TradeOut,
    chosen,
    free_settings,
    propose,
    trade,
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
    "FreeAsked", "FreeOut", "Looked", "NotThere", "ProposalsOut", "TradeOut", "WishKindOut", "WishOut", "WishSet", "WishesOut", "chosen", "figure_of", "free_settings", "measured", "propose", "trade",
    "wish_kinds", "wish_sets", "wishes_of",
]  # fmt: skip
