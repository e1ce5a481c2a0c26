"""Figures as text: how many digits, which minus, which words for a count.

Arithmetic never rounds. Only here does a figure become text, with no more digits
than its doubt allows (the Particle Data Group's rule, Review of Particle Physics,
Introduction, section 5.3).
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from itertools import groupby

MOST_DECIMALS = {
    "mm": 3,
    "thou": 1,
    "in": 4,
    "cc": 2,
    "in3": 2,
    "ratio": 2,
    "deg": 1,
    "mm2": 0,
    "in2": 2,
    "g": 1,
    "rpm": 0,
    "cc/mm": 2,
}
MINUS = "−"
# What is written where a figure is not known.
UNKNOWN = "—"
THIN = "\u202f"


def decimals_for(doubt: float, most: int) -> int:
    """Return how many decimals a figure may show.

    Parameters
    ----------
    doubt : float
        Standard uncertainty in the unit shown; 0 where there is none.
    most : int
        Decimals shown at the most; no unit.

    Returns
    -------
    int
        Decimals.

    Notes
    -----
    Of the three leading digits of the doubt: 100 to 354 keeps two digits, 355 to
    949 one, 950 to 999 rounds up to 1000 and keeps two.

    Examples
    --------
    >>> decimals_for(0.038, 3), decimals_for(0.0076, 3), decimals_for(0.0266, 4)
    (2, 3, 3)
    """
    if doubt <= 0 or not math.isfinite(doubt):
        return most
    exponent = math.floor(math.log10(doubt))
    leading = round(doubt / 10**exponent * 100)
    digits = 2 if leading < 355 else 1
    if leading >= 950:
        exponent, digits = exponent + 1, 2
    return max(0, min(most, digits - 1 - exponent))


def typed_decimals(number: float, most: int = 4) -> int:
    """Return with how many decimals a number was set: the least that write it, up to some.

    Parameters
    ----------
    number : float
        Such as a limit; no unit.
    most : int
        Decimals looked at; no unit.

    Examples
    --------
    >>> typed_decimals(0.9), typed_decimals(0.889), typed_decimals(12)
    (1, 3, 0)
    """
    return len(f"{round(number, most):.{most}f}".rstrip("0").partition(".")[2])


def decimals_apart(number: float, edge: float, decimals: tuple[int, int]) -> tuple[int, int]:
    """Return with how many decimals a number and an edge are written so that they read as they lie.

    Parameters
    ----------
    number, edge : float
        In the unit in which both are written.
    decimals : tuple of int
        What their doubt, or how they were set, would allow; no unit.

    Returns
    -------
    tuple of int
        Those of the number and of the edge: as many as before, or more until the number reads
        under the edge where it is under it, and over it where it is over.

    Examples
    --------
    >>> decimals_apart(0.8996, 0.9, (2, 2)), decimals_apart(0.84, 0.9, (2, 2))
    ((4, 2), (2, 2))
    """
    of_number, of_edge = decimals
    while abs(number - edge) > _SAME and max(of_number, of_edge) < _FINEST:
        apart = round(number, of_number) - round(edge, of_edge)
        if apart * (number - edge) > 0:
            break
        if round(edge, of_edge) == edge or of_number <= of_edge:
            of_number += 1
        else:
            of_edge += 1
    return of_number, of_edge


# What differs by less is the same: the last bits of a sum, and never a cut.
_FINEST, _SAME = 9, 1e-10


def figure(number: float | None, decimals: int) -> str:
    """Write a number with a true minus sign and no negative nought.

    Parameters
    ----------
    number : float or None
        What to write; no unit; None, or not a number, where it is not known.
    decimals : int
        Decimals; no unit.

    Returns
    -------
    str
        Text.

    Examples
    --------
    >>> figure(-0.0001, 2), figure(-1.5, 1)
    ('0.00', '−1.5')
    """
    if number is None or math.isnan(number):
        return UNKNOWN
    if number >= 0:
        return f"{abs(number):.{decimals}f}"
    text = f"{-number:.{decimals}f}"
    return MINUS + text if text.strip("0.") else text


def volume(cc: float | None, u: float = 0.0) -> str:
    """Return a volume in cc with the digits its doubt allows.

    Parameters
    ----------
    cc : float or None
        Volume in cc; None where it is not known.
    u : float
        Its standard uncertainty in cc.

    Returns
    -------
    str
        Such as ``66.1 cc``.

    Examples
    --------
    >>> volume(66.0688985, 0.549), volume(None)
    ('66.1 cc', '—')
    """
    return UNKNOWN if cc is None or math.isnan(cc) else f"{figure(cc, decimals_for(u, 2))} cc"


def ratio_text(ratio: float | None, u: float = 0.0) -> str:
    """Return a compression ratio, or a dash where there is none.

    Parameters
    ----------
    ratio : float or None
        The ratio.
    u : float
        Its standard uncertainty; no unit.

    Returns
    -------
    str
        Such as ``9.65``.

    Examples
    --------
    >>> ratio_text(9.653, 0.072), ratio_text(None)
    ('9.65', '—')
    """
    return UNKNOWN if ratio is None else figure(ratio, decimals_for(u, 2))


def whole(number: float) -> str:
    """Write a count with a thin space between thousands.

    Parameters
    ----------
    number : float
        What to write; rounded to a whole number; no unit.

    Returns
    -------
    str
        Text.

    Examples
    --------
    >>> whole(1352).replace("\u202f", " ")
    '1 352'
    """
    return f"{round(number):,}".replace(",", THIN)


def money(cents: int) -> str:
    """Write an amount of the shop's money with a thin space between thousands.

    Parameters
    ----------
    cents : int
        In hundredths.

    Returns
    -------
    str
        Text.

    Examples
    --------
    >>> money(123_450).replace("\u202f", " ")
    '1 234.50'
    """
    return f"{cents / 100:,.2f}".replace(",", THIN)


def about(number: float) -> str:
    """Write a count that is known about: two digits, then noughts.

    Parameters
    ----------
    number : float
        What to write; no unit.

    Returns
    -------
    str
        Text.

    Examples
    --------
    >>> about(87.4), about(45_563).replace("\u202f", " ")
    ('87', '46 000')
    """
    if number < 100:
        return str(round(number))
    return whole(round(number, 2 - len(str(round(number)))))


def count_of(numbers: Iterable[int], word: str = "Hole", *, of: int = 0) -> str:
    """Name holes in a sentence, in their order.

    Parameters
    ----------
    numbers : iterable of int
        Hole numbers.
    word : str
        The word in the singular.
    of : int
        How many there are in all, nought where that does not matter; no unit.

    Returns
    -------
    str
        Such as ``Holes 1, 3 and 5``, ``Holes 2 to 6`` or ``All holes``.

    Examples
    --------
    >>> count_of([4]), count_of([5, 1, 3]), count_of([1, 2, 3, 4, 7])
    ('Hole 4', 'Holes 1, 3 and 5', 'Holes 1 to 4 and 7')
    >>> count_of([1, 2], of=2), count_of([1], of=1)
    ('All holes', 'Hole 1')
    """
    ordered = sorted(set(numbers))
    if of > 1 and len(ordered) == of:
        return f"All {word.lower()}s"
    texts: list[str] = []
    runs = [[n for _, n in run] for _, run in groupby(enumerate(ordered), lambda item: item[1] - item[0])]
    for run in runs:
        # Two in a row are no run: 1 and 2, not 1 to 2.
        texts += [f"{run[0]} to {run[-1]}"] if len(run) > 2 else [str(n) for n in run]
    if len(ordered) == 1:
        return f"{word} {texts[0]}"
    return f"{word}s {' and '.join(filter(None, (', '.join(texts[:-1]), texts[-1])))}"


def number_of(number: int, word: str, plural: str = "") -> str:
    """Return how many of something there are, in words: ``1 recipe``, ``3 recipes``.

    Parameters
    ----------
    number : int
        How many; no unit.
    word : str
        The word in the singular.
    plural : str
        Where it is not the singular with an s.

    Examples
    --------
    >>> number_of(1, "rod"), number_of(2, "rod"), number_of(1, "ring set", "ring sets")
    ('1 rod', '2 rods', '1 ring set')
    """
    return f"{whole(number)} {word if number == 1 else plural or word + 's'}"
