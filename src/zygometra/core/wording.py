"""How the shop writes a figure: its unit, its digits, its words.

Arithmetic never rounds. Only here does a figure become text, with no more digits
than its doubt allows (the Particle Data Group's rule, Review of Particle Physics,
Introduction, section 5.3), and the other system's figure stands beside it.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Literal

from .quantity import Quantity
from .units import INCH, MM, THOU, Kind, Unit, from_base

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
THOU_BELOW = 5.0
MINUS = "−"
THIN = "\u202f"
_NUMBER = r"[−-]?\d+(?:\.\d+)?"
# A length as the core's sentences write it, or two with a word between them: ``0.5 to 0.9 mm``.
_LENGTHS = re.compile(
    rf"(?<![\w.])(?<!\w-)(?:(?P<first>{_NUMBER})(?P<between>\s?–\s?|-| to | or ))?(?P<last>{_NUMBER}) mm\b"
)
# The word, and no part of a longer one or of a part's code.
_QUENCH = re.compile(r"(?<![\w-])[qQ]uench(?![\w-])")


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


def figure(number: float, decimals: int) -> str:
    """Write a number with a true minus sign and no negative nought.

    Parameters
    ----------
    number : float
        What to write; no unit.
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
    if number >= 0:
        return f"{number:.{decimals}f}"
    text = f"{-number:.{decimals}f}"
    return MINUS + text if text.strip("0.") else text


@dataclass(frozen=True, slots=True)
class Reader:
    """Who reads: which system comes first, and the shop's words.

    Parameters
    ----------
    system : {"mm", "inch"}
        The system written first.
    quench, deck, pin : str
        The shop's word for each.
    """

    system: Literal["mm", "inch"] = "mm"
    quench: str = "quench"
    deck: str = "deck"
    pin: str = "wrist pin"

    def length_unit(self, mm: float, *, other: bool = False) -> Unit:
        """Return the unit a length is written in: thou for what is small, in inches.

        Parameters
        ----------
        mm : float
            The length in mm.
        other : bool
            True for the unit that the reader does not read first.
        """
        if (self.system == "mm") != other:
            return MM
        return THOU if abs(mm) < THOU_BELOW else INCH

    def length(self, mm: float, u: float = 0.0, *, other: bool = False, sign: bool = True) -> str:
        """Return a length with its unit, such as ``0.31 mm`` or ``12.2 thou``.

        Parameters
        ----------
        mm : float
            The length in mm.
        u : float
            Standard uncertainty in mm; it decides the digits.
        other : bool
            True for the unit that the reader does not read first.
        sign : bool
            False to leave the sign out.
        """
        number, symbol = self.length_parts(mm, u, other=other)
        return f"{number if sign else number.lstrip(MINUS)} {symbol}"

    def short(self, mm: float) -> str:
        """Return a nominal length without its unit, as people name a stack: ``148``, ``34.2``, ``1.35``.

        Parameters
        ----------
        mm : float
            The length in mm.
        """
        number, decimals = (mm, 1) if self.system == "mm" else (from_base(mm, INCH), 2)
        return figure(number, decimals).removesuffix(".0")

    def limit(self, mm: float) -> str:
        """Return a limit that was set, with the digits it was set with: ``0.90 mm``, ``38 thou``.

        Parameters
        ----------
        mm : float
            The length in mm.
        """
        unit = self.length_unit(mm)
        number = from_base(mm, unit)
        least = 2 if unit is MM else 0
        digits = max(least, min(MOST_DECIMALS[unit.symbol], _typed_decimals(round(number, 4))))
        return f"{figure(number, digits)} {unit.symbol}"

    def sentence(self, text: str) -> str:
        """Return a sentence of the core in the reader's unit and word for quench.

        Parameters
        ----------
        text : str
            A sentence that writes every length in mm, such as why two parts do not fit.
            What somebody typed has no place in it: that is quoted as it was typed.

        Returns
        -------
        str
            The same with the shop's word; each length in thou or inches for who reads those.

        Examples
        --------
        >>> Reader("inch").sentence("the pin differs by −0.254 mm, 1 to 2 mm is wanted")
        'the pin differs by −10 thou, 39.4 thou to 78.7 thou is wanted'
        """
        text = _QUENCH.sub(lambda said: self.quench.capitalize() if said[0][0] == "Q" else self.quench, text)
        if self.system == "mm":
            return text

        def both(found: re.Match[str]) -> str:
            first = f"{self.limit(_read(found['first']))}{found['between']}" if found["first"] else ""
            return first + self.limit(_read(found["last"]))

        return _LENGTHS.sub(both, text)

    def length_parts(self, mm: float, u: float = 0.0, *, other: bool = False) -> tuple[str, str]:
        """Return a length's figures and its unit apart.

        Parameters
        ----------
        mm : float
            The length in mm.
        u : float
            Standard uncertainty in mm; it decides the digits.
        other : bool
            True for the unit that the reader does not read first.
        """
        unit = self.length_unit(mm, other=other)
        decimals = decimals_for(from_base(u, unit), MOST_DECIMALS[unit.symbol])
        return figure(from_base(mm, unit), decimals), unit.symbol

    def clearance(self, mm: float, u: float = 0.0, *, other: bool = False) -> str:
        """Return a deck clearance in words: ``0.31 mm down``, ``0.12 mm proud``, ``level``.

        Parameters
        ----------
        mm : float
            The length in mm.
        u : float
            Standard uncertainty in mm; it decides the digits.
        other : bool
            True for the unit that the reader does not read first.
        """
        text = self.length(mm, u, other=other, sign=False)
        if float(text.split(" ", 1)[0]) == 0:
            return f"level with the {self.deck}"
        return f"{text} {'down' if mm > 0 else 'proud'}"

    def quantity(self, quantity: Quantity) -> str:
        """Return a figure in the unit it was typed in.

        Parameters
        ----------
        quantity : Quantity
            The figure.
        """
        unit = quantity.unit
        most = MOST_DECIMALS.get(unit.symbol, 3)
        if quantity.doubt == "readings":
            decimals = decimals_for(from_base(quantity.u, unit), most)
        else:
            decimals = _typed_decimals(quantity.number)
        text = figure(quantity.number, decimals)
        return f"{text} {'°' if unit.symbol == 'deg' else unit.symbol}".replace(" °", "°")

    def beside(self, quantity: Quantity) -> str:
        """Return a length in the system it was not typed in; nothing for other kinds.

        Parameters
        ----------
        quantity : Quantity
            The figure.
        """
        if quantity.kind is not Kind.LENGTH:
            return ""
        inches = quantity.unit.symbol in ("in", "thou", "tenth")
        unit = MM if inches else THOU if abs(quantity.value) < THOU_BELOW else INCH
        number = figure(from_base(quantity.value, unit), MOST_DECIMALS[unit.symbol])
        return f"{number} {unit.symbol}"

    def band(self, mm: float) -> str:
        """Return the half-width of a band in the reader's unit, at one or two digits.

        Parameters
        ----------
        mm : float
            The length in mm.
        """
        unit = self.length_unit(0.0)
        value = from_base(mm, unit)
        return f"{figure(value, decimals_for(value, MOST_DECIMALS[unit.symbol]))} {unit.symbol}"


def volume(cc: float, u: float = 0.0) -> str:
    """Return a volume in cc with the digits its doubt allows.

    Parameters
    ----------
    cc, u : float
        Volume and its standard uncertainty in cc.

    Returns
    -------
    str
        Such as ``66.1 cc``.

    Examples
    --------
    >>> volume(66.0688985, 0.549)
    '66.1 cc'
    """
    return f"{figure(cc, decimals_for(u, 2))} cc"


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
    return "—" if ratio is None else figure(ratio, decimals_for(u, 2))


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


def count_of(numbers: list[int], word: str = "Hole") -> str:
    """Name holes in a sentence.

    Parameters
    ----------
    numbers : list of int
        Hole numbers.
    word : str
        The word in the singular.

    Returns
    -------
    str
        Such as ``Holes 1, 3 and 5``.

    Examples
    --------
    >>> count_of([4]), count_of([1, 3, 5])
    ('Hole 4', 'Holes 1, 3 and 5')
    """
    texts = [str(n) for n in numbers]
    if len(texts) == 1:
        return f"{word} {texts[0]}"
    return f"{word}s {', '.join(texts[:-1])} and {texts[-1]}"


def _read(number: str) -> float:
    return float(number.replace(MINUS, "-"))


def _typed_decimals(number: float) -> int:
    if number == int(number):
        return 0
    return len(f"{number:.9f}".rstrip("0").partition(".")[2])
