"""Finding by the trade's words: what else a word is called, how well a thing fits, what a phrase asks to do."""

from core.find.asked import Asked, asked_of
from core.find.words import MOST_TYPED, Wanted, fits, plain, wanted_of

__all__ = ["MOST_TYPED", "Wanted", "Asked", "fits", "plain", "wanted_of", "asked_of"]
