"""Dimensions as they are spoken in the shop: what a bare number means, and words for a fraction or a side.

Only what a person types is read so; files and tables never follow the reader's unit.
"""

from __future__ import annotations

import re

from .units import BASE, INCH, MM, MOST_TYPED, THOU, Kind, Unit
from .wording import Reader

_FRACTIONS = {
    "½": "1/2",
    "¼": "1/4",
    "¾": "3/4",
    "⅛": "1/8",
    "⅜": "3/8",
    "⅝": "5/8",
    "⅞": "7/8",
}
_SIDE = re.compile(r"\s*\b(proud|down)\s*$", re.IGNORECASE)
# A number that is said in inches: a fraction, or less than one.
_OF_AN_INCH = re.compile(r"[+\-−]?\s*(?:0*[.,]\d+|\d+\s*/\s*\d+|\d+(?:\s+|\s*-\s*)\d+\s*/\s*\d+)")
_THOUSANDTHS = re.compile(r"thousandths?\b(?:\s+of\s+an\s+inch)?", re.IGNORECASE)


def as_written(text: str, *, sided: bool = False) -> str:
    """Return what was typed as a file would write it: ``½ in`` is ``1/2 in``, ``45 thou proud`` is ``-45 thou``.

    Parameters
    ----------
    text : str
        As typed.
    sided : bool
        True where a clearance is meant, which can be so much down or proud.

    Returns
    -------
    str
        What is not understood stays as it is.

    Examples
    --------
    >>> as_written("1½ in"), as_written("25 thousandths"), as_written("45 thou proud", sided=True)
    ('1 1/2 in', '25 thou', '-45 thou')
    """
    text = text.strip()
    if len(text) > MOST_TYPED:
        return text
    for sign, fraction in _FRACTIONS.items():
        text = re.sub(rf"(\d)\s*{sign}", rf"\1 {fraction}", text).replace(sign, fraction)
    text = _THOUSANDTHS.sub("thou", text).strip()
    if sided and (side := _SIDE.search(text)) is not None:
        number = text[: side.start()].strip()
        if number and number[0] not in "+-−":
            return f"-{number}" if side[1].lower() == "proud" else number
    return text


def bare_unit(kind: Kind, reader: Reader, *, small: bool = True, typed: str = "") -> Unit:
    """Return the unit that a bare number has for a reader.

    Parameters
    ----------
    kind : Kind
        What the field measures.
    reader : Reader
        Whose number it is.
    small : bool
        True for cuts, gaskets and clearances, where a shop that works in inches speaks of thou.
    typed : str
        The number; empty to ask what a number from one up would mean.

    Returns
    -------
    Unit
        The reader's unit of a length, else the kind's own. With inches first ``.025``, ``3/64``
        and ``8-3/8`` are inches wherever they stand.

    Examples
    --------
    >>> inches = Reader("inch")
    >>> [bare_unit(Kind.LENGTH, inches, typed=typed).symbol for typed in ("25", ".025", "3/64", "1.5")]
    ['thou', 'in', 'in', 'thou']
    """
    if kind is not Kind.LENGTH:
        return BASE[kind]
    if reader.system != "inch":
        return MM
    return THOU if small and not _OF_AN_INCH.fullmatch(typed.strip()) else INCH
