"""The boundary of what people and files send: numbers finite and bounded, texts clean, ids what the database holds.

Forms, addresses, tables and files all read through here, so that a bound is set once.
"""

from __future__ import annotations

import math
import re
from datetime import date

from .errors import QuantityError, shown

# The database's own keys: bigint, from 1.
MOST_ID = 2**63 - 1
# What a version can be: a plain integer of the database.
MOST_VERSION = 2**31 - 1
MOST_NAME = 120
# Words of a part that rules of fit go by, such as a bolt pattern.
MOST_WORD = 80
_PLAIN = re.compile(r"[+\-−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+\-]?\d{1,3})?")


def plain_number(text: str, wanted: str, *, low: float = -math.inf, high: float = math.inf) -> float:
    """Read a number without a unit, comma or point as its decimal mark.

    Parameters
    ----------
    text : str
        As typed.
    wanted : str
        What would have been understood, for the sentence.
    low, high : float
        What it may be, in its own unit.

    Returns
    -------
    float
        The number, in its own unit.

    Raises
    ------
    QuantityError
        If it is no number, not finite, or beyond its bounds.

    Examples
    --------
    >>> plain_number("9,75", "a ratio"), plain_number(" −0.2 ", "a number")
    (9.75, -0.2)
    """
    stripped = text.strip()
    number = math.nan
    # Digits of other scripts are digits to Python, not to a bench.
    if len(stripped) <= 40 and stripped.replace("−", "-").isascii() and _PLAIN.fullmatch(stripped):
        number = float(stripped.replace(",", ".").replace("−", "-"))
    if not (math.isfinite(number) and low <= number <= high):
        raise QuantityError(shown(text), wanted)
    return number


def whole_number(text: str, wanted: str, *, low: int = 0, high: int = MOST_VERSION) -> int:
    """Read a whole number: plain digits, no sign.

    Parameters
    ----------
    text : str
        As typed.
    wanted : str
        What would have been understood, for the sentence.
    low, high : int
        What it may be; no unit.

    Returns
    -------
    int
        The number.

    Raises
    ------
    QuantityError
        If it is no whole number, or beyond its bounds.

    Examples
    --------
    >>> whole_number("8", "a number of cylinders", low=1, high=32)
    8
    """
    stripped = text.strip()
    if not (stripped.isascii() and stripped.isdigit() and len(stripped) < 20):
        raise QuantityError(shown(text), wanted)
    number = int(stripped)
    if not low <= number <= high:
        raise QuantityError(shown(text), wanted)
    return number


def known_id(text: str | None) -> int:
    """Read a key of the database, nought where it could not be one; no unit.

    Parameters
    ----------
    text : str or None
        From a form or an address.

    Returns
    -------
    int
        1 to the largest key there can be; 0, which no row has, for anything else.

    Examples
    --------
    >>> known_id("17"), known_id("-1"), known_id("99999999999999999999"), known_id(None)
    (17, 0, 0, 0)
    """
    return _within(text, MOST_ID)


def known_version(text: str | None) -> int:
    """Read a version that a form carried, nought where it could not be one.

    Parameters
    ----------
    text : str or None
        From a form.

    Returns
    -------
    int
        0 for anything that no version can be; no unit.

    Examples
    --------
    >>> known_version("3"), known_version("²"), known_version("4294967296")
    (3, 0, 0)
    """
    return _within(text, MOST_VERSION)


def known_number(text: str | None) -> int:
    """Read the number of a hole, or a place in a list, nought where it could not be one.

    Parameters
    ----------
    text : str or None
        From a form or an address.

    Returns
    -------
    int
        0 to 99999; 0, which no hole has, for anything else; no unit.

    Examples
    --------
    >>> known_number("12"), known_number("²"), known_number("1" * 5000), known_number(None)
    (12, 0, 0, 0)
    """
    return _within(text, 99_999)


def _within(text: str | None, most: int) -> int:
    try:
        return whole_number(text or "", "", high=most)
    except QuantityError:
        return 0


def is_printable(text: str, *, lines: bool = True) -> bool:
    """Tell whether a text holds nothing that cannot be stored and shown.

    Parameters
    ----------
    text : str
        As typed, or from a file.
    lines : bool
        True where line breaks and tabs may stand in it.

    Returns
    -------
    bool
        False for a control character or half a surrogate pair.

    Examples
    --------
    >>> is_printable("two\\nlines"), is_printable("two\\nlines", lines=False), is_printable("a\\x00b")
    (True, False, False)
    """
    return all(_may_stand(c, lines=lines) for c in text)


def _may_stand(character: str, *, lines: bool) -> bool:
    if character in "\n\t":
        return lines
    return character >= " " and not "\ud800" <= character <= "\udfff"


def made_printable(text: str, most: int = MOST_NAME) -> str:
    r"""Return a text that nobody is asked to put right, such as the name of a file, as it may be stored and shown.

    Parameters
    ----------
    text : str
        As it came.
    most : int
        Characters.

    Returns
    -------
    str
        Cut, on one line, with a mark for whatever cannot be shown.

    Examples
    --------
    >>> made_printable("rods\x00.csv"), made_printable("a" * 9, 4)
    ('rods\ufffd.csv', 'aaaa')
    """
    return "".join(c if _may_stand(c, lines=False) else "\ufffd" for c in text[:most])


def check_text(text: str, wanted: str, *, least: int = 0, most: int = MOST_NAME, lines: bool = False) -> str:
    """Return a text, trimmed, if it may stand where it was typed.

    Parameters
    ----------
    text : str
        As typed.
    wanted : str
        What would have done, for the sentence.
    least, most : int
        Characters.
    lines : bool
        True where line breaks may stand in it.

    Returns
    -------
    str
        Trimmed.

    Raises
    ------
    QuantityError
        If it is too short or too long, or holds a control character.

    Examples
    --------
    >>> check_text("  Pilot launch ", "a name of 1 to 120 characters", least=1)
    'Pilot launch'
    """
    trimmed = text.replace("\r\n", "\n").strip()
    if not is_printable(trimmed, lines=lines):
        raise QuantityError(f"a control character in {shown(trimmed)}", wanted)
    if not least <= len(trimmed) <= most:
        raise QuantityError(shown(trimmed), wanted)
    return trimmed


def day_of(typed: str) -> str:
    """Return a day as a file has it.

    Parameters
    ----------
    typed : str
        As it was typed.

    Raises
    ------
    QuantityError
        If it is none.

    Examples
    --------
    >>> day_of(" 2026-05-04 ")
    '2026-05-04'
    """
    try:
        return date.fromisoformat(typed.strip()).isoformat()
    except ValueError:
        raise QuantityError(shown(typed) if typed.strip() else "no day", "a day such as 2026-05-04") from None
