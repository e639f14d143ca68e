"""Finding by the trade's words: what else a word is called, how well a thing fits, what a phrase asks to do."""

from core.find.wish import Wish, wish_of
from core.find.words import MOST_TYPED, Wanted, fits, plain, wanted_of

__all__ = ["MOST_TYPED", "Wanted", "Wish", "fits", "plain", "wanted_of", "wish_of"]
