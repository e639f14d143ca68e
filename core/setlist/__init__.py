"""A set list: songs in the order they are played, each as one card that is read from afar."""

from core.setlist.card import Card, CardLine, card_of, missing_card, pause_card, unread_card
from core.setlist.count import CountIn, count_in
from core.setlist.shapes import MOST_ENTRIES, Entry, Program, SetListValues

__all__ = [
    "MOST_ENTRIES", "Card", "CardLine", "CountIn", "Entry", "Program", "SetListValues", "card_of",
    "count_in", "missing_card", "pause_card", "unread_card",
]  # fmt: skip
