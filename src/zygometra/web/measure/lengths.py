"""Lengths that are no dimension of a part: spans, allowances, heights of a face, as people type them."""

from __future__ import annotations

from zygometra.core.quantity import read_quantity
from zygometra.core.units import Kind
from zygometra.core.wording import Reader

from ..forms.read import Read, attempt, with_unit


def length(
    typed: str, reader: Reader, *, low: float = -20_000.0, high: float = 20_000.0, small: bool = False
) -> Read[str]:
    """Read a length that is kept as it was typed, with its unit.

    Parameters
    ----------
    typed : str
        As it stands in the field; nothing is nothing.
    reader : Reader
        Whose bare numbers are mm, or inches.
    low, high : float
        What it may be, in mm.
    small : bool
        True where a reader of inches means thou by a bare number.
    """

    def read(text: str) -> str:
        written = with_unit(text, Kind.LENGTH, reader, small=small)
        read_quantity(written, Kind.LENGTH, dimension="exact", low=low, high=high)
        return written

    return attempt(typed, read)
