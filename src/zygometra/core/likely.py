"""What a figure usually is, and what else may have been meant where it is not that.

Between the outermost values that are possible and what shop floors see lie the slips of
the pen: a slipped point, inches for millimetres, thou for inches. They are asked about
where they are typed, and stay a finding where they stand.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from .digits import MINUS, figure, typed_decimals
from .fields import Field
from .units import BASE, INCH, MM, THOU, Kind, Unit, from_base, to_base
from .wording import Reader

# From where to where figures of engines in such shops lie, from a moped's to a lorry's,
# in the base unit: rules of thumb, wide on purpose. By field; a rod's length is no pushrod's.
USUAL: dict[str, tuple[float, float]] = {
    "block.deck_height": (70, 620), "block.bore": (30, 205), "block.swept_volume": (25, 6000),
    "bore edge.width": (0, 3.0), "bore edge.angle": (20, 70), "crank.stroke": (25, 240), "rod.length": (60, 480),
    "piston.compression_height": (14, 130), "piston.crown_volume": (-80, 250),
    "piston.top_land_height": (1.0, 30), "piston.top_land_diameter": (29, 205),
    "piston.above_rim": (0, 40), "piston.crown_thickness": (2.5, 40),
    "piston.above_rim_thickness": (2.5, 60),
    "gasket.thickness": (0.15, 4.0), "gasket.bore": (30, 215), "gasket.volume": (0.1, 60),
    "head.chamber_volume": (3, 400), "mock-up.deck_clearance": (-3.0, 8.0),
    "lever.deck_cut": (0, 3.0), "lever.head_cut": (0, 4.0), "lever.crown_cut": (0, 4.0),
    "lever.open_chamber": (0, 30), "lever.bowl": (0, 30), "aim.quench": (0.4, 3.0), "aim.deck_clearance": (-3.0, 8.0),
    "block.largest_bore": (30, 210), "block.main_diameter": (15, 150), "block.snout_diameter": (10, 80),
    "block.seal_diameter": (15, 200), "block.swing_room": (30, 250), "block.big_end_room": (25, 250),
    "crank.pin_diameter": (12, 120), "crank.pin_width": (8, 90), "crank.main_diameter": (15, 150),
    "crank.snout_diameter": (10, 80), "crank.seal_diameter": (15, 200), "crank.counterweight_radius": (25, 220),
    "rod.journal_diameter": (12, 120), "rod.big_end_width": (8, 90), "rod.pin_bore": (8, 60),
    "rod.big_end_radius": (12, 130), "piston.bore": (30, 205), "piston.pin_diameter": (8, 60),
    "piston.pin_bore": (8, 60), "piston.dome_height": (0, 30), "piston.skirt_length": (8, 120),
}  # fmt: skip


def usual_range(field: Field) -> tuple[float, float] | None:
    """Return from where to where a dimension usually lies, in its base unit; None where nothing is known of it.

    Parameters
    ----------
    field : Field
        The dimension.

    Examples
    --------
    >>> from .fields import FIELD
    >>> usual_range(FIELD["gasket.thickness"])
    (0.15, 4.0)
    """
    return USUAL.get(f"{field.part}.{field.name}")


def usual_words(field: Field, reader: Reader) -> str:
    """Return in words where a dimension usually lies: ``0.15 to 4 mm``; empty where nothing is known of it.

    Parameters
    ----------
    field : Field
        The dimension.
    reader : Reader
        In whose unit.

    Examples
    --------
    >>> from .fields import FIELD
    >>> usual_words(FIELD["gasket.thickness"], Reader("inch"))
    '5.91 to 157 thou'
    """
    usual = usual_range(field)
    if usual is None:
        return ""
    unit = reader.length_unit(usual[1]) if field.kind is Kind.LENGTH else BASE[field.kind]
    low, high = (f"{from_base(value, unit):.3g}".replace("-", MINUS) for value in usual)
    return f"{low} to {high} {unit.symbol}"


class Usual(NamedTuple):
    """Where a dimension usually lies, to be put into a sentence."""

    field: Field

    def written(self, reader: Reader) -> str:
        """Write it.

        Parameters
        ----------
        reader : Reader
            In whose unit.
        """
        return usual_words(self.field, reader)


def is_usual(field: Field, value: float) -> bool:
    """Tell whether a value lies where such a dimension usually does; True where nothing is known of it.

    Parameters
    ----------
    field : Field
        The dimension.
    value : float
        In its base unit.
    """
    usual = usual_range(field)
    return usual is None or usual[0] <= value <= usual[1]


def meant_instead(field: Field, number: float, unit: Unit) -> tuple[str, ...]:
    """Return the readings of a typed number that would be usual, likeliest first; none where it is usual itself.

    Parameters
    ----------
    field : Field
        The dimension.
    number : float
        As typed, in ``unit``.
    unit : Unit
        What was typed or stood for it.

    Returns
    -------
    tuple of str
        As they would be typed: the same number in another unit, then its point moved.

    Examples
    --------
    >>> from .fields import FIELD
    >>> meant_instead(FIELD["gasket.thickness"], 0.04, THOU)
    ('0.04 in',)
    >>> meant_instead(FIELD["block.bore"], 9.2, MM)
    ('92 mm',)
    """
    if is_usual(field, to_base(number, unit)):
        return ()
    found = []
    for exact, as_unit in _readings(number, unit):
        as_number = round(exact, 6)
        if is_usual(field, to_base(as_number, as_unit)):
            found.append(
                f"{figure(as_number, typed_decimals(as_number, 6))} {as_unit.symbol}".replace("−", "-")
            )
    return tuple(dict.fromkeys(found))[:2]


def _readings(number: float, unit: Unit) -> Iterator[tuple[float, Unit]]:
    if unit.kind is Kind.LENGTH:
        yield from ((number, other) for other in (INCH, THOU, MM) if other is not unit)
    yield from ((number * factor, unit) for factor in (10, 0.1, 100, 0.01))
