"""Places of a build, typed: of the whole engine, of a bank, of a hole, of an operation of the plan.

In files and rows a place is a text (``parts.block.bore``, ``banks.A.deck_height``,
``cylinders.3.bore``, ``planned.0.gasket.bore``). Whoever wants to know what such a text
says asks here; nobody else takes it apart or puts it together.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

from .errors import QuantityError, shown

# What the keys of a document's banks, holes and operations are called.
_BANKS, _HOLES, _PLAN = "banks", "cylinders", "planned"
_MARK, _NEXT, _IS = "@", ";", "="


class Scope(StrEnum):
    """How far a place reaches."""

    ENGINE = "engine"
    BANK = "bank"
    HOLE = "hole"
    PLAN = "plan"


class Position(NamedTuple):
    """Where on a part: what is read at several spots says at which.

    ``corner`` of a face in words, ``depth`` below it in mm, ``axis`` (``thrust`` or ``pin``),
    ``clock`` round a bore or a journal in degrees, ``journal`` and ``seat`` by their number.
    """

    corner: str | None = None
    depth: float | None = None
    axis: str | None = None
    clock: float | None = None
    journal: int | None = None
    seat: int | None = None

    def __str__(self) -> str:
        known = ((name, value) for name, value in zip(self._fields, self, strict=True) if value is not None)
        return _NEXT.join(
            f"{name}{_IS}{repr(value).removesuffix('.0') if isinstance(value, float) else value}"
            for name, value in known
        )


NOWHERE = Position()
# What each part of a position is read as.
_READ: dict[str, Callable[[str], str | float | int]] = {
    "corner": str,
    "depth": lambda text: _finite(text),
    "axis": str,
    "clock": lambda text: _finite(text),
    "journal": lambda text: _counted(text),
    "seat": lambda text: _counted(text),
}


@dataclass(frozen=True, slots=True)
class Place:
    """One place of a build.

    Parameters
    ----------
    scope : Scope
        How far it reaches.
    field : str
        What stands there, as it is called there: ``parts.block.bore`` for the engine,
        ``gasket.bore`` on a bank, ``rod_length`` in a hole; empty for the whole of it.
    bank : str
        The bank's name.
    holes : tuple of int
        The holes' numbers; a figure has one, a finding may have several.
    operation : int or None
        Which operation of the plan, from 0.
    position : Position
        Where on the part.

    Examples
    --------
    >>> Place.parse("cylinders.3.bore")
    Place(scope=<Scope.HOLE: 'hole'>, field='bore', bank='', holes=(3,), operation=None, \
position=Position(corner=None, depth=None, axis=None, clock=None, journal=None, seat=None))
    >>> str(Place.hole(3, "bore", Position(depth=20.0, axis="thrust")))
    'cylinders.3.bore@depth=20;axis=thrust'
    """

    scope: Scope
    field: str = ""
    bank: str = ""
    holes: tuple[int, ...] = ()
    operation: int | None = None
    position: Position = NOWHERE

    # -- made -----------------------------------------------------------------

    @classmethod
    def engine(cls, field: str, position: Position = NOWHERE) -> Place:
        """Return a place of the whole engine, such as ``parts.block.bore`` or ``school``."""
        return cls(Scope.ENGINE, field, position=position)

    @classmethod
    def on_bank(cls, bank: str, field: str = "", position: Position = NOWHERE) -> Place:
        """Return a place on a bank."""
        return cls(Scope.BANK, field, bank=bank, position=position)

    @classmethod
    def hole(cls, number: int, field: str = "", position: Position = NOWHERE) -> Place:
        """Return a place in a hole; no unit."""
        return cls(Scope.HOLE, field, holes=(number,), position=position)

    @classmethod
    def of_holes(cls, numbers: Iterable[int]) -> Place:
        """Return the place of several holes at once; no unit."""
        return cls(Scope.HOLE, holes=tuple(numbers))

    @classmethod
    def of_plan(cls, operation: int | None = None, field: str = "") -> Place:
        """Return the place of an operation of the plan, counted from 0; without one, of the plan, no unit."""
        return cls(Scope.PLAN, field, operation=operation)

    @classmethod
    def parse(cls, text: str) -> Place:
        """Return the place that a text names.

        Parameters
        ----------
        text : str
            As in files and rows. What names no bank, hole or operation is a place of
            the whole engine, whether a figure stands there or not; a name of a bank that
            holds the mark of a position (@) is read by :meth:`of_keys`.

        Returns
        -------
        Place
            The place.

        Raises
        ------
        QuantityError
            If its position is none that could be.
        """
        return _parsed(text)

    @classmethod
    def of_keys(cls, keys: Iterable[str]) -> Place:
        """Return the place that stands under some keys of a build document."""
        return _of_path(".".join(keys), NOWHERE)

    # -- read -----------------------------------------------------------------

    @property
    def number(self) -> int:
        """The one hole it is in; raises ValueError where there are none or several, no unit."""
        (number,) = self.holes
        return number

    @property
    def keys(self) -> tuple[str, ...]:
        """The keys under which it stands in a build document, without its position."""
        field = tuple(self.field.split(".")) if self.field else ()
        match self.scope:
            case Scope.BANK:
                return (_BANKS, self.bank, *field)
            case Scope.HOLE:
                return (_HOLES, ",".join(map(str, self.holes)), *field)
            case Scope.PLAN:
                return (_PLAN, *(() if self.operation is None else (str(self.operation),)), *field)
        return field

    @property
    def whole(self) -> Place:
        """The same place without its position."""
        return replace(self, position=NOWHERE) if self.position is not NOWHERE else self

    def __str__(self) -> str:
        text = ".".join(self.keys)
        return f"{text}{_MARK}{self.position}" if self.position != NOWHERE else text


@lru_cache(maxsize=4096)
def _parsed(text: str) -> Place:
    path, mark, spot = text.partition(_MARK)
    return _of_path(path, _position(spot, text) if mark else NOWHERE)


@lru_cache(maxsize=4096)
def _of_path(path: str, position: Position) -> Place:
    head, dot, rest = path.partition(".")
    where, _, field = rest.partition(".")
    try:
        if head == _BANKS and where:
            return Place.on_bank(where, field, position)
        if head == _HOLES and where:
            holes = tuple(map(_counted, where.split(",")))
            return Place(Scope.HOLE, field, holes=holes, position=position)
        if head == _PLAN:
            return Place(Scope.PLAN, field, operation=_counted(where) if dot else None, position=position)
    except ValueError:
        # A note of somebody's own (x-…) among the holes, say.
        pass
    return Place.engine(path, position)


def _counted(text: str) -> int:
    if not (text.isascii() and text.isdigit() and len(text) < 6):
        raise ValueError(text)
    return int(text)


def _finite(text: str) -> float:
    number = float(text)
    if not math.isfinite(number):
        raise ValueError(text)
    return number


def _position(spot: str, text: str) -> Position:
    known: dict[str, str | float | int] = {}
    for part in spot.split(_NEXT):
        name, mark, value = part.partition(_IS)
        try:
            if not (mark and value):
                raise ValueError(part)
            known[name] = _READ[name](value)
        except (KeyError, ValueError):
            wanted = f"one of {', '.join(_READ)} with its value, such as depth=20"
            raise QuantityError(f"the position {shown(part)} in {shown(text)}", wanted) from None
    return Position(**known)  # type: ignore[arg-type]


class PartPlace(NamedTuple):
    """A dimension or a word of a kind of part on the shelf, such as ``rod.pin_bore``."""

    kind: str
    name: str

    @classmethod
    def parse(cls, text: str) -> PartPlace:
        """Return what a text such as ``rod.pin_bore`` names; without a point, a kind of no dimension."""
        return _part_place(text)

    @property
    def words(self) -> str:
        """The place in words, such as ``rod pin bore``."""
        return f"{self.kind} {self.name}".replace("_", " ").strip()

    def __str__(self) -> str:
        return f"{self.kind}.{self.name}"


@lru_cache(maxsize=1024)
def _part_place(text: str) -> PartPlace:
    kind, _, name = text.partition(".")
    return PartPlace(kind, name)
