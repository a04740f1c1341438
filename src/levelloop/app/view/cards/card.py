"""What the cards of a view have in common."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QVBoxLayout


def card_column(card: QFrame, spacing: int) -> QVBoxLayout:
    """Makes a frame a card of its view; what it shows stands in the column."""
    card.setObjectName("card")
    column = QVBoxLayout(card)
    column.setContentsMargins(11, 7, 11, 8)
    column.setSpacing(spacing)
    return column
