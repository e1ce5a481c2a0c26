"""A dimension as it was typed: value, unit, basis and doubt.

A quantity keeps what the person wrote to the letter (``as_typed``) beside what it
means in base units. Doubt is a standard uncertainty with its degrees of freedom.
An unknown is not zero: where no doubt is stated, the house default stands in and
``doubt`` says so.
"""

# long: one dimension in all the forms it is typed in
from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Literal

from .digits import number_of
from .errors import QuantityError, shown
from .fields import Field
from .uncertainty import Cause, Term, Uncertainty
from .units import BASE, Kind, Typed, Unit, from_base, read_typed, to_base, unit_named
from .usual_figures import BASES, repeatability, unstated_doubt

Doubt = Literal["stated", "tolerance", "readings", "house", "none"]
Unstated = Literal["house", "zero"]

QUANTITY_KEYS = (
    "value",
    "unit",
    "basis",
    "plus_minus",
    "u",
    "readings",
    "resolution",
    "gauge_u",
    "each",
)
MOST_READINGS = 200


class Distribution(StrEnum):
    """How what a source may be off is distributed; Student's t where its scatter rests on few readings."""

    NORMAL = "normal"
    RECTANGULAR = "rectangular"

    @classmethod
    def of(cls, rectangular: bool) -> Distribution:  # noqa: FBT001 - the term's own flag
        """Return the shape of a term."""
        return cls.RECTANGULAR if rectangular else cls.NORMAL


@dataclass(frozen=True, slots=True)
class Quantity:
    """One dimension, typed and understood.

    Parameters
    ----------
    value, u : float
        Value and standard uncertainty in the base unit of ``kind``.
    dof : float
        Degrees of freedom of ``u``; infinite unless it came from readings.
    unit : Unit
        The unit it was typed in.
    number : float
        The value in that unit.
    basis : str
        One of the five bases; ``assumed`` where none was stated.
    doubt : str
        How ``u`` came about: ``stated``, ``tolerance``, ``readings``, ``house``
        (nothing stated: the house default) or ``none`` (nothing stated, and the
        file asks for zero).
    each : bool
        True where it differs part to part, so that holes are independent.
    as_typed : object
        The number, text or object as it was written.
    readings : tuple of float
        In the base unit; empty where there are none.
    terms : tuple of Term
        What ``u`` is made of where the figure comes from the logbook; empty elsewhere.
    """

    value: float
    u: float
    dof: float
    unit: Unit
    number: float
    kind: Kind
    basis: str
    basis_stated: bool
    doubt: Doubt
    each: bool
    as_typed: Any
    readings: tuple[float, ...] = ()
    terms: tuple[Term, ...] = ()
    # True where passes that were logged since it was read have moved it.
    is_as_cut: bool = False

    @property
    def rests_on(self) -> str:
        """What stands behind a figure of the logbook, in words; empty of any other."""
        before = self._read_from if self.readings or not self.is_as_cut else ""
        since = "less what was cut since" if self.is_as_cut else ""
        return ", ".join(filter(None, (before, since)))

    @property
    def _read_from(self) -> str:
        if self.readings and self.doubt == "readings":
            return number_of(len(self.readings), "reading")
        if self.is_surveyed:
            return "the survey of its deck"
        if any(term.cause is Cause.OPENING for term in self.terms):
            return "nobody told it: the cylinder's and 1 ± 1 mm"
        return "the line of its bank's mock-ups" if self.terms else ""

    @property
    def uncertainty(self) -> Uncertainty:
        """u, degrees of freedom and the rectangular share of the figure by itself, in its base unit (trade.md 1)."""
        square = self.u * self.u
        flat = max((t.u * t.u for t in self.terms if t.rectangular), default=0.0)
        if not self.terms and self.rectangular:
            flat = square
        return Uncertainty(self.u, self.dof, flat / square if square else 0.0)

    @property
    def is_surveyed(self) -> bool:
        """True for a height that a survey of its deck gave."""
        return any(term.cause is Cause.SURVEY for term in self.terms)

    @property
    def rectangular(self) -> bool:
        """True where all that is known of its doubt is a half-width ±T."""
        return self.doubt == "tolerance" or (self.doubt == "house" and not self.readings)


class Source:
    """A figure that was used, and the place it came from.

    Parameters
    ----------
    path : str
        The place.
    quantity : Quantity
        The figure.
    shared_by : str
        The place whose holes alone share its doubt, where those are fewer than share the figure: each bank was
        machined by itself to one height on paper. Empty where doubt goes with the figure.
    """

    __slots__ = ("_terms", "path", "quantity", "shared_by")

    def __init__(self, path: str, quantity: Quantity, shared_by: str = "") -> None:
        self.path, self.quantity, self.shared_by = path, quantity, shared_by
        self._terms: tuple[Term, ...] | None = None

    @property
    def doubt_key(self) -> str:
        """What names its doubt: figures with one key share it."""
        return self.shared_by or self.path

    @property
    def terms(self) -> tuple[Term, ...]:
        """What its doubt is made of; what differs part to part says so."""
        if self._terms is None:
            q = self.quantity
            alone = (
                (
                    Term(
                        key=self.doubt_key,
                        u=q.u,
                        dof=q.dof,
                        pool=None,
                        rectangular=q.rectangular,
                        each=q.each,
                    ),
                )
                if q.u
                else ()
            )
            self._terms = q.terms or alone
        return self._terms


def read_quantity(
    raw: Any,
    kind: Kind,
    *,
    dimension: str,
    unstated: Unstated = "house",
    low: float = -math.inf,
    high: float = math.inf,
) -> Quantity:
    """Read a quantity in any of its forms: number, text with a unit, or object.

    Parameters
    ----------
    raw : number, str or Mapping
        As it stands in a build file.
    kind : Kind
        What the field measures.
    dimension : str
        The field's name, which decides the house doubt.
    unstated : {"house", "zero"}
        What unstated doubt becomes.
    low, high : float
        The range that is possible, in the base unit.

    Returns
    -------
    Quantity
        In base units, with what was typed.

    Raises
    ------
    QuantityError
        If it cannot be understood or lies outside the range.

    Notes
    -----
    Doubt is ``u`` if given; else from n readings u² = s²/n + r²/12 + g² with the
    sample standard deviation s; else ±T as T/√3 (rectangular).
    See trade.md 1.

    Examples
    --------
    >>> read_quantity("40 thou", Kind.LENGTH, dimension="thickness").value
    1.016
    """
    if isinstance(raw, Mapping):
        return _read_object(raw, kind, dimension=dimension, unstated=unstated, low=low, high=high)
    typed = _read_scalar(raw, kind)
    unit = typed.unit or BASE[kind]
    value = to_base(typed.number, unit)
    _check_range(value, unit, low, high)
    u, doubt = _unstated(dimension, "assumed", unstated)
    if _is_no_dimension(dimension, value):
        u, doubt = 0.0, "none"
    return Quantity(
        value=value,
        u=u,
        dof=math.inf,
        unit=unit,
        number=typed.number,
        kind=kind,
        basis="assumed",
        basis_stated=False,
        doubt=doubt,
        each=False,
        as_typed=raw,
    )


def read_field(raw: Any, field: Field, unstated: Unstated = "house") -> Quantity:
    """Read the quantity of a field, within the field's limits.

    Parameters
    ----------
    raw : number, str or Mapping
        As it stands in a build file.
    field : Field
        The dimension.
    unstated : {"house", "zero"}
        What unstated doubt becomes.

    Returns
    -------
    Quantity
        In base units.

    Raises
    ------
    QuantityError
        If it cannot be understood or is not possible for that field.

    Examples
    --------
    >>> from zygometra.core.fields import FIELD
    >>> read_field("3.4646 in", FIELD["block.bore"]).number
    3.4646
    """
    return read_quantity(
        raw,
        field.kind,
        dimension=dimension_of(field),
        unstated=unstated,
        low=field.low,
        high=field.high,
    )


def dimension_of(field: Field) -> str:
    """Return the name under which the house rules know a field's doubt.

    Parameters
    ----------
    field : Field
        The dimension.
    """
    return field.doubt or field.name


def _read_scalar(raw: Any, kind: Kind) -> Typed:
    if isinstance(raw, str):
        return read_typed(raw, kind)
    if isinstance(raw, bool) or not isinstance(raw, (int, float)):
        raise QuantityError(shown(raw), f"a number or a text such as {BASE[kind].example}")
    if not math.isfinite(raw) or abs(raw) > 1e15:
        raise QuantityError(shown(raw), f"a finite number, or a text such as {BASE[kind].example}")
    return Typed(float(raw), None)


def _check_range(value: float, unit: Unit, low: float, high: float) -> None:
    """Refuse what is not possible, in the unit in which it was typed."""
    if not low <= value <= high:
        found, least, most = (from_base(of, unit) for of in (value, low, high))
        raise QuantityError(f"{found:.10g} {unit.symbol}", f"{least:.4g} to {most:.4g} {unit.symbol}")


def _unstated(dimension: str, basis: str, unstated: Unstated) -> tuple[float, Doubt]:
    if unstated == "zero":
        return 0.0, "none"
    width = unstated_doubt(dimension, basis)
    return width / math.sqrt(3), ("house" if width else "none")


def _is_no_dimension(dimension: str, value: float) -> bool:
    """Whether a figure says that something is not there: nothing that could be off."""
    return dimension == "above_rim" and not value


def _in_unit(raw: Any, kind: Kind, unit: Unit, name: str) -> float:
    """A part of a quantity object, in the base unit; its own unit wins over the object's."""
    try:
        typed = _read_scalar(raw, kind)
    except QuantityError as error:
        raise QuantityError(f"{name} {error.found}", error.wanted) from None
    return to_base(typed.number, typed.unit or unit)


# long: what it puts together is told field by field, a line each
def _read_object(
    raw: Mapping[str, Any], kind: Kind, dimension: str, unstated: Unstated, low: float, high: float
) -> Quantity:
    for key in raw:
        if key not in QUANTITY_KEYS and not str(key).startswith("x-"):
            raise QuantityError(f"the key {shown(str(key))}", "one of " + ", ".join(QUANTITY_KEYS))
    unit = BASE[kind]
    if (spelling := raw.get("unit")) is not None:
        if not isinstance(spelling, str):
            raise QuantityError(f"the unit {shown(spelling)}", f"a text such as {unit.symbol}")
        unit = unit_named(spelling.strip(), kind)
    basis = raw.get("basis")
    if basis is not None and basis not in BASES:
        raise QuantityError(f"the basis {shown(basis)}", "one of " + ", ".join(BASES))
    each = raw.get("each", False)
    if not isinstance(each, bool):
        raise QuantityError(f"each {shown(each)}", "true or false")
    readings = _readings(raw.get("readings"), kind, unit)
    if raw.get("value") is not None:
        typed = _read_scalar(raw["value"], kind)
        unit = typed.unit or unit
        number, value = typed.number, to_base(typed.number, unit)
    elif readings:
        value = math.fsum(readings) / len(readings)
        number = value / to_base(1.0, unit)
    else:
        raise QuantityError("no value", "value, or readings to take the mean of")
    for figure in (value, *readings):
        _check_range(figure, unit, low, high)
    default = "mock-up" if dimension == "deck_clearance" else "measured"
    stood = basis or (default if readings else "assumed")
    u, dof, doubt = _doubt(raw, unit, readings=readings, dimension=dimension, basis=stood, unstated=unstated)
    if _is_no_dimension(dimension, value):
        u, dof, doubt = 0.0, math.inf, "none"
    return Quantity(
        value=value,
        u=u,
        dof=dof,
        unit=unit,
        number=number,
        kind=kind,
        basis=stood,
        basis_stated=basis is not None,
        doubt=doubt,
        each=each,
        as_typed=dict(raw),
        readings=readings,
    )


def _readings(raw: Any, kind: Kind, unit: Unit) -> tuple[float, ...]:
    if raw is None:
        return ()
    if not isinstance(raw, list) or not raw:
        raise QuantityError(f"readings {shown(raw)}", "a list of one or more readings")
    if len(raw) > MOST_READINGS:
        raise QuantityError(f"{len(raw)} readings", f"at most {MOST_READINGS}")
    return tuple(_in_unit(item, kind, unit, "the reading") for item in raw)


def _doubt(
    raw: Mapping[str, Any],
    unit: Unit,
    readings: tuple[float, ...],
    dimension: str,
    basis: str,
    unstated: Unstated,
) -> tuple[float, float, Doubt]:
    stated = {}
    for key in ("u", "plus_minus", "resolution", "gauge_u"):
        if raw.get(key) is not None:
            stated[key] = _in_unit(raw[key], unit.kind, unit, key)
            if stated[key] < 0:
                raise QuantityError(f"{key} {shown(raw[key])}", f"{key} of nought or more")
    if "u" in stated:
        return stated["u"], math.inf, "stated"
    if readings:
        u, dof, complete = doubt_of_readings(
            readings,
            stated.get("resolution", 0.0),
            stated.get("gauge_u", 0.0),
            repeatability(dimension) if unstated == "house" else 0.0,
        )
        if u > 0 or unstated == "zero":
            return u, dof, "readings" if complete else "house" if unstated == "house" else "none"
    elif "plus_minus" in stated:
        return stated["plus_minus"] / math.sqrt(3), math.inf, "tolerance"
    u, doubt = _unstated(dimension, basis, unstated)
    return u, math.inf, doubt


def doubt_of_readings(
    readings: tuple[float, ...], resolution: float, gauge_u: float, usual_spread: float
) -> tuple[float, float, bool]:
    """Return the doubt of the mean of repeated readings.

    Parameters
    ----------
    readings : tuple of float
        In one unit.
    resolution, gauge_u : float
        The gauge's resolution r and own standard uncertainty g, same unit.
    usual_spread : float
        Standard deviation that stands in where there is one reading only; same unit.

    Returns
    -------
    u : float
        Standard uncertainty, same unit.
    dof : float
        Effective degrees of freedom.
    complete : bool
        False where the usual spread stood in for one that was never read.

    Notes
    -----
    u² = s²/n + r²/12 + g², with n − 1 degrees of freedom for s; the gauge's own
    terms are taken as known, so the effective degrees of freedom (Welch and
    Satterthwaite) are u⁴ (n − 1)/(s²/n)².
    See trade.md 1.

    Examples
    --------
    >>> u, dof, complete = doubt_of_readings((51.2, 51.4), 0.2, 0.0, 0.15)
    >>> round(u, 6), complete
    (0.11547, True)
    """
    n = len(readings)
    gauge = resolution * resolution / 12 + gauge_u * gauge_u
    if n == 1:
        return math.sqrt(usual_spread * usual_spread + gauge), math.inf, False
    mean = math.fsum(readings) / n
    spread = math.fsum((r - mean) ** 2 for r in readings) / (n - 1) / n
    u2 = spread + gauge
    dof = u2 * u2 * (n - 1) / (spread * spread) if spread * spread > 0 else math.inf
    return math.sqrt(u2), dof, True


def parts_of_doubt(quantity: Quantity) -> tuple[tuple[float, Distribution, float], ...]:
    """Return what the doubt of a figure is made of: each part's u, its shape, its degrees of freedom (trade.md 1).

    Parameters
    ----------
    quantity : Quantity
        As it was typed; what readings of the logbook gave has terms instead.

    Returns
    -------
    tuple
        In the base unit. Of n readings in one list: s/√n with n − 1 degrees of freedom, the gauge's
        resolution rectangular, its own doubt normal; a half-width rectangular; a stated u normal.

    Examples
    --------
    >>> twice = read_quantity({"readings": [1.0, 1.2], "resolution": 0.01}, Kind.LENGTH, dimension="deck_clearance")
    >>> [(round(u, 4), str(shape), dof) for u, shape, dof in parts_of_doubt(twice)]
    [(0.1, 'normal', 1), (0.0029, 'rectangular', inf)]
    """
    n = len(quantity.readings)
    if quantity.doubt != "readings" or n < 2 or not isinstance(quantity.as_typed, Mapping):
        return ((quantity.u, Distribution.of(quantity.rectangular), math.inf),) if quantity.u else ()
    mean = math.fsum(quantity.readings) / n
    scatter = math.sqrt(math.fsum((r - mean) ** 2 for r in quantity.readings) / (n - 1) / n)
    raw, unit = quantity.as_typed, quantity.unit
    given = {
        key: _in_unit(raw[key], unit.kind, unit, key)
        for key in ("resolution", "gauge_u")
        if raw.get(key) is not None
    }
    parts = (
        (scatter, Distribution.NORMAL, n - 1),
        (given.get("resolution", 0.0) / math.sqrt(12), Distribution.RECTANGULAR, math.inf),
        (given.get("gauge_u", 0.0), Distribution.NORMAL, math.inf),
    )
    return tuple(part for part in parts if part[0])
