"""The dozen units a shop uses, and how a dimension is typed in them.

People say ``30 thou``, ``.76mm``, ``9-1/4 in``, ``0,5 mm``. Reading that is engine
work: the units are exact by definition and few, the fractions are the shop's.
"""

from __future__ import annotations

import math
import re
from enum import StrEnum
from fractions import Fraction

from msgspec import Struct

from .errors import QuantityError, shown


class Kind(StrEnum):
    """What a quantity measures; each kind has one base unit."""

    LENGTH = "length"
    AREA = "area"
    VOLUME = "volume"
    ANGLE = "angle"
    MASS = "mass"
    SPEED = "speed"
    RATE = "rate"
    COUNT = "count"


class Unit(Struct, frozen=True):
    """A unit: its symbol, what it measures, and its exact size in the kind's base unit."""

    symbol: str
    kind: Kind
    size: Fraction
    example: str


_INCH = Fraction(254, 10)

MM = Unit("mm", Kind.LENGTH, Fraction(1), "0.76 mm")
UM = Unit("um", Kind.LENGTH, Fraction(1, 1000), "25 um")
CM = Unit("cm", Kind.LENGTH, Fraction(10), "2.5 cm")
INCH = Unit("in", Kind.LENGTH, _INCH, "9-1/4 in")
THOU = Unit("thou", Kind.LENGTH, _INCH / 1000, "30 thou")
TENTH = Unit("tenth", Kind.LENGTH, _INCH / 10000, "5 tenths")
MM2 = Unit("mm2", Kind.AREA, Fraction(1), "4200 mm2")
CM2 = Unit("cm2", Kind.AREA, Fraction(100), "42 cm2")
IN2 = Unit("in2", Kind.AREA, _INCH**2, "6.5 in2")
CC = Unit("cc", Kind.VOLUME, Fraction(1), "62.5 cc")
MM3 = Unit("mm3", Kind.VOLUME, Fraction(1, 1000), "4500 mm3")
LITRE = Unit("l", Kind.VOLUME, Fraction(1000), "2.3 l")
IN3 = Unit("in3", Kind.VOLUME, _INCH**3 / 1000, "3.8 in3")
DEGREE = Unit("deg", Kind.ANGLE, Fraction(1), "12.5°")
GRAM = Unit("g", Kind.MASS, Fraction(1), "412 g")
RPM = Unit("rpm", Kind.SPEED, Fraction(1), "5200 rpm")
CC_PER_MM = Unit("cc/mm", Kind.RATE, Fraction(1), "4.2 cc/mm")
PIECES = Unit("off", Kind.COUNT, Fraction(1), "4")

UNITS = (
    MM, UM, CM, INCH, THOU, TENTH, MM2, CM2, IN2, CC, MM3, LITRE, IN3, DEGREE, GRAM, RPM,
    CC_PER_MM, PIECES,
)  # fmt: skip

_SPELLINGS: dict[str, Unit] = {unit.symbol: unit for unit in UNITS} | {
    '"': INCH, "''": INCH, "″": INCH, "inch": INCH, "inches": INCH, "ins": INCH,
    "thous": THOU, "mil": THOU, "tenths": TENTH, "millimetre": MM, "millimetres": MM,
    "µm": UM, "μm": UM, "micron": UM, "microns": UM,
    "mm²": MM2, "cm²": CM2, "in²": IN2, "sq in": IN2, "sq mm": MM2,
    "mm³": MM3, "cm3": CC, "cm³": CC, "ccm": CC, "ml": CC, "in³": IN3, "cu in": IN3, "ci": IN3,
    "litre": LITRE, "litres": LITRE, "L": LITRE,
    "°": DEGREE, "degree": DEGREE, "degrees": DEGREE, "gram": GRAM, "grams": GRAM,
}  # fmt: skip

# Units of people who turn a dial of a tenth of an inch.
INCH_SYMBOLS = frozenset({INCH.symbol, THOU.symbol, TENTH.symbol})

BASE: dict[Kind, Unit] = {
    Kind.LENGTH: MM, Kind.AREA: MM2, Kind.VOLUME: CC, Kind.ANGLE: DEGREE, Kind.MASS: GRAM,
    Kind.SPEED: RPM, Kind.RATE: CC_PER_MM, Kind.COUNT: PIECES,
}  # fmt: skip

_NUMBER = re.compile(
    r"""(?P<sign>[+\-−])?\s*
        (?:(?P<whole>\d+)(?:\s+|\s*-\s*)(?P<num>\d+)\s*/\s*(?P<den>\d+)   # 9 1/4, 9-1/4
          |(?P<onum>\d+)\s*/\s*(?P<oden>\d+)                              # 7/16
          |(?P<dec>\d+(?:[.,]\d*)?|[.,]\d+)(?P<exp>[eE][+\-]?\d{1,3})?)   # .76  0,5  1e-3
    """,
    re.VERBOSE,
)
_TWO_MARKS = re.compile(r"[.,]\d*[.,]")


class Typed(Struct, frozen=True):
    """A number as typed with its unit; ``unit`` is None where none was typed."""

    number: float
    unit: Unit | None


def unit_named(spelling: str, kind: Kind) -> Unit:
    """Return the unit that ``spelling`` names, if it measures ``kind``.

    Parameters
    ----------
    spelling : str
        As typed, e.g. ``thou``, ``"``, ``cc``.
    kind : Kind
        What the field measures.

    Returns
    -------
    Unit
        The unit.

    Raises
    ------
    QuantityError
        If the unit is unknown or measures something else.

    Examples
    --------
    >>> unit_named("inch", Kind.LENGTH).symbol
    'in'
    """
    found = _SPELLINGS.get(spelling) or _SPELLINGS.get(spelling.lower())
    wanted = ", ".join(u.symbol for u in UNITS if u.kind is kind)
    if found is None:
        raise QuantityError(f"the unit {shown(spelling)}", f"one of {wanted}, such as {BASE[kind].example}")
    if found.kind is not kind:
        raise QuantityError(
            f"{found.symbol}, which measures {found.kind.value}",
            f"{kind.value}: one of {wanted}, such as {BASE[kind].example}",
        )
    return found


MOST_TYPED = 80
"""Characters of a dimension as somebody types it: what is longer is none, and is not looked into."""


def read_typed(text: str, kind: Kind) -> Typed:
    """Read a dimension as a person types it.

    Parameters
    ----------
    text : str
        For example ``30 thou``, ``.76mm``, ``9-1/4 in``, ``0,5 mm``, ``12.5°``.
    kind : Kind
        What the field measures.

    Returns
    -------
    Typed
        The number in the typed unit, and the unit (None if none was typed).

    Raises
    ------
    QuantityError
        If the text is not one number followed by at most one unit of that kind.

    Notes
    -----
    Comma and point are both decimal marks and never thousands marks, so a text
    with two marks is refused rather than guessed.

    Examples
    --------
    >>> read_typed("9-1/4 in", Kind.LENGTH)
    Typed(number=9.25, unit=Unit(symbol='in', kind=<Kind.LENGTH: 'length'>, \
size=Fraction(127, 5), example='9-1/4 in'))
    >>> read_typed("0,5", Kind.LENGTH).number
    0.5
    """
    stripped = text.strip()
    wanted = f"one number and its unit, such as {BASE[kind].example}"
    if len(stripped) > MOST_TYPED:
        raise QuantityError(f"a text of {len(stripped)} characters", wanted)
    match = _NUMBER.match(stripped)
    if match is None:
        raise QuantityError(shown(text), wanted)
    if _TWO_MARKS.search(stripped):
        raise QuantityError(
            f"two decimal marks in {shown(text)}",
            f"one point or comma as the decimal mark, such as {BASE[kind].example}",
        )
    rest = stripped[match.end() :].strip()
    if rest and (rest[0].isdigit() or rest[0] in "/.,-+"):
        raise QuantityError(shown(text), wanted)
    unit = unit_named(rest, kind) if rest else None
    return Typed(_number(match, text, wanted), unit)


def _number(match: re.Match[str], text: str, wanted: str) -> float:
    part = match.groupdict()
    den = part["den"] or part["oden"]
    if den is not None:
        if int(den) == 0:
            raise QuantityError(f"a fraction over nought in {shown(text)}", wanted)
        number = float(Fraction(int(part["num"] or part["onum"]), int(den)) + int(part["whole"] or 0))
    else:
        number = float(part["dec"].replace(",", ".") + (part["exp"] or ""))
    if not math.isfinite(number):
        raise QuantityError(shown(text), wanted)
    return -number if part["sign"] in ("-", "−") else number


_SIZES = {unit.symbol: (unit.size.numerator, unit.size.denominator) for unit in UNITS}


def to_base(number: float, unit: Unit) -> float:
    """Convert a number in ``unit`` to the base unit of its kind.

    Parameters
    ----------
    number : float
        In ``unit``.
    unit : Unit
        The unit typed.

    Returns
    -------
    float
        In mm, mm², cc, deg, g, rpm or cc/mm.

    Examples
    --------
    >>> to_base(9.25, INCH)
    234.95
    """
    numerator, denominator = _SIZES[unit.symbol]
    return number * numerator / denominator


def from_base(value: float, unit: Unit) -> float:
    """Convert a value in the base unit of its kind to ``unit``.

    Parameters
    ----------
    value : float
        In mm, mm², cc, deg, g, rpm or cc/mm.
    unit : Unit
        The unit wanted.

    Returns
    -------
    float
        In ``unit``.

    Examples
    --------
    >>> from_base(1.016, THOU)
    40.0
    """
    numerator, denominator = _SIZES[unit.symbol]
    return value * denominator / numerator
