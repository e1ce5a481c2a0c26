"""One field read: its value, what was typed, and a fault in one sentence.

A field that is empty has no value and no fault, unless something is wanted there.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection
from typing import Generic, NamedTuple, TypeVar

from zygometra.core.build.lever_table import LEVERS
from zygometra.core.errors import QuantityError, shown
from zygometra.core.fields import Field
from zygometra.core.quantity import read_quantity
from zygometra.core.spoken import as_written, bare_unit
from zygometra.core.typed import MOST_NAME, check_text, plain_number, whole_number
from zygometra.core.units import BASE, Kind, Unit, read_typed
from zygometra.core.wording import Reader

from ..people import told_error

T = TypeVar("T")
# Dimensions that a shop speaks of in thou, however large they may be: gaskets, gaps and cuts.
_IN_THOU = ("thickness", "deck_clearance", "quench", *(lever.key for lever in LEVERS))


class Read(NamedTuple, Generic[T]):
    """What came of one field."""

    value: T | None
    typed: str
    fault: str = ""


def attempt(typed: str, read: Callable[[str], T], *, wanted: str = "") -> Read[T]:
    """Read a field with anything that refuses in words.

    Parameters
    ----------
    typed : str
        As typed.
    read : callable
        Takes the trimmed text; raises QuantityError where it will not do.
    wanted : str
        What is wanted where nothing was typed; empty where nothing is a good answer.

    Returns
    -------
    Read
        With the value, or with a sentence.
    """
    text = typed.strip()
    if not text:
        return Read(None, typed, f"Found nothing; wanted {wanted}." if wanted else "")
    try:
        return Read(read(text), typed)
    except QuantityError as error:
        return Read(None, typed, told_error(error))


def number(
    typed: str, wanted: str, *, low: float = -math.inf, high: float = math.inf, required: bool = False
) -> Read[float]:
    """Read a plain number, such as a ratio."""
    return attempt(
        typed, lambda text: plain_number(text, wanted, low=low, high=high), wanted=wanted if required else ""
    )


def whole(typed: str, wanted: str, *, low: int = 0, high: int = 99_999, required: bool = False) -> Read[int]:
    """Read a whole number, such as how many cylinders."""
    return attempt(
        typed, lambda text: whole_number(text, wanted, low=low, high=high), wanted=wanted if required else ""
    )


def name(typed: str, of: str, *, example: str = "", most: int = MOST_NAME) -> Read[str]:
    """Read a name that must be there."""
    wanted = f"a name of 1 to {most} characters{f' for {of}' if of else ''}"
    if example:
        wanted += f", such as {example}"
    return attempt(typed, lambda text: check_text(text, wanted, least=1, most=most), wanted=wanted)


def text(typed: str, *, most: int = MOST_NAME, lines: bool = False) -> Read[str]:
    """Read a text that may be empty."""
    wanted = f"text of up to {most} characters that can be printed"
    return attempt(typed, lambda words: check_text(words, wanted, most=most, lines=lines))


def choice(typed: str, among: Collection[str], *, what: str = "") -> Read[str]:
    """Read one of a few words."""
    found = f"no {what}" if what and typed not in among else shown(typed)
    *most, last = among
    wanted = f"{', '.join(most)} or {last}" if what else f"one of {', '.join(among)}"
    if typed in among:
        return Read(typed, typed)
    return Read(None, typed, f"Found {found}; wanted {wanted}.")


def is_small(field: Field) -> bool:
    """Tell whether a shop that works in inches speaks of thou in a field: gaskets and clearances."""
    return field.name in _IN_THOU


def bare_unit_of(field: Field, reader: Reader, typed: str = "") -> Unit:
    """Return the unit that a bare number has in the field of a dimension."""
    return bare_unit(field.kind, reader, small=is_small(field), typed=typed)


def with_unit(typed: str, kind: Kind, reader: Reader, *, small: bool = True, sided: bool = False) -> str:
    """Return a dimension as a file writes it, with a unit where none was typed.

    Parameters
    ----------
    typed : str
        As typed, or as spoken: :mod:`zygometra.core.spoken`.
    kind : Kind
        What it measures.
    reader : Reader
        Whose number it is.
    small : bool
        True for cuts, gaskets and clearances.
    sided : bool
        True for a clearance, which can be so much down or proud.

    Returns
    -------
    str
        Such as ``0.5 mm``.

    Raises
    ------
    QuantityError
        If it cannot be understood.
    """
    text = as_written(typed, sided=sided)
    if read_typed(text, kind).unit is not None:
        return text
    return f"{text} {bare_unit(kind, reader, small=small, typed=text).symbol}"


# Units of a setting that is settled once for a series.
UNITS = {Kind.LENGTH: ("mm", "thou", "in"), Kind.VOLUME: ("cc",), Kind.AREA: ("mm2",), Kind.ANGLE: ("°",)}
_EXAMPLE = {Kind.LENGTH: "0.31 mm", Kind.VOLUME: "52.4 cc", Kind.AREA: "4200 mm2", Kind.ANGLE: "12.5°"}


def with_settled(typed: str, unit: str, kind: Kind, *, sided: bool = False) -> str:
    """Return a dimension as a file writes it, in the unit that was settled for a series where it has none.

    Parameters
    ----------
    typed : str
        As typed, or as spoken: :mod:`zygometra.core.spoken`.
    unit : str
        The symbol that was settled; empty where none was.
    kind : Kind
        What it measures.
    sided : bool
        True for a clearance, which can be so much down or proud.

    Raises
    ------
    QuantityError
        If it cannot be understood, or has no unit and none was settled.
    """
    text = as_written(typed.strip(), sided=sided)
    if not text:
        raise QuantityError("nothing", f"a figure, such as {_EXAMPLE[kind]}")
    if read_typed(text, kind).unit is not None:
        return text
    among = UNITS.get(kind, ())
    if unit not in among:
        likely = " or ".join(f"{text} {one}" for one in among[:2])
        wanted = f"{likely or 'a figure with its unit'}, or a unit chosen once"
        raise QuantityError(f"{text} without a unit", wanted)
    return f"{text} {unit}"


def in_unit(typed: str, kind: Kind) -> str:
    """Return a dimension as a file writes it, in its kind's own unit where it has none; raises QuantityError."""
    text = as_written(typed)
    return text if read_typed(text, kind).unit is not None else f"{text} {BASE[kind].symbol}"


def is_sided(field: Field) -> bool:
    """Tell whether a dimension can be so much down, or proud."""
    return field.name == "deck_clearance"


def quantity(typed: str, field: Field, reader: Reader) -> Read[str]:
    """Read a dimension as it will stand in a build file: as typed, with its unit."""
    return attempt(
        typed,
        lambda text: with_unit(text, field.kind, reader, small=is_small(field), sided=is_sided(field)),
    )


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
