"""Words that rooms share."""

from __future__ import annotations


def counted(number: int, word: str) -> str:
    """Return so many of a thing, such as ``2 stops``."""
    return f"{number} {word}{'' if number == 1 else 's'}"
