"""The shelf as columns: one array a dimension, so that tens of thousands of parts answer at once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import QuantityError
from .parts import IN_HAND, KIND, KINDS, Part

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
Rows = dict[str, NDArray[Any]]


def alike(columns: Sequence[NDArray[Any]]) -> tuple[Ints, Ints]:
    """Tell which rows of some columns are the same throughout; what is not known is the same as itself.

    Parameters
    ----------
    columns : sequence of array
        All of one length.

    Returns
    -------
    first : array of int
        Of each group the first row; groups in the order of their values, the first
        column's first.
    of_row : array of int
        The group of each row.
    """
    code = np.zeros(len(columns[0]), np.int64)
    groups = 1
    for column in columns:
        values, place = np.unique(column, return_inverse=True)
        if groups * len(values) > 2**62:
            _, code = np.unique(code, return_inverse=True)
            groups = int(code.max()) + 1
        code, groups = code * len(values) + place.reshape(-1), groups * max(len(values), 1)
    _, first, of_row = np.unique(code, return_index=True, return_inverse=True)
    return first, of_row.reshape(-1)


class Stock(NamedTuple):
    """Columns of what one costs in hundredths, how many can be taken from the shelf, days until more can be had.

    Price and days are −1 where not known.
    """

    price: Ints
    in_hand: Ints
    lead_days: Ints


class Table:
    """All parts of one kind, a column a property; row numbers are places in it.

    Parameters
    ----------
    kind : str
        The kind's key.
    codes : list of str
        The shop's numbers.
    values : Mapping
        Columns of figures in base units; NaN where not known.
    words : Mapping
        Columns of words.
    stock : Stock
        What one costs, how many are there, how soon more can be had.
    """

    def __init__(
        self,
        kind: str,
        codes: list[str],
        values: Mapping[str, Floats],
        words: Mapping[str, list[str]],
        stock: Stock,
    ) -> None:
        self.kind, self.codes = kind, codes
        self.values, self.words = values, words
        self.price, self.in_hand, self.lead_days = stock
        self._signatures: dict[tuple[str, ...], Signature] = {}
        self._numbered: dict[str, Floats] = {}

    def __len__(self) -> int:
        return len(self.codes)

    @cached_property
    def place(self) -> dict[str, int]:
        """Row numbers by code; numbers without a unit."""
        return {code: row for row, code in enumerate(self.codes)}

    def column(self, name: str, numbers: Mapping[str, float]) -> Floats:
        """Return a column of figures, or of words as numbers; NaN where not known, in the base unit.

        Parameters
        ----------
        name : str
            Dimension or word.
        numbers : Mapping
            The number of each word.

        Returns
        -------
        array of float
            One a part.
        """
        if name in self.values:
            return self.values[name]
        if name not in self._numbered:
            words = self.words.get(name)
            self._numbered[name] = (
                np.full(len(self), np.nan)
                if words is None
                else np.array([numbers[w] if w else np.nan for w in words])
            )
        return self._numbered[name]

    def signature(self, names: tuple[str, ...], numbers: Mapping[str, float]) -> Signature:
        """Return which parts are alike in some properties: found once, kept.

        Parameters
        ----------
        names : tuple of str
            Dimensions and words that are asked about.
        numbers : Mapping
            A number for each word; no unit.
        """
        if not names:
            return Signature(np.zeros((1, 0)), np.zeros(len(self), np.int64))
        if names not in self._signatures:
            columns = [self.column(name, numbers) for name in names]
            first, of_part = alike(columns)
            self._signatures[names] = Signature(
                np.stack([column[first] for column in columns], axis=1), of_part
            )
        return self._signatures[names]


@dataclass(frozen=True, slots=True)
class Signature:
    """The distinct values of some columns, and which of them each part has."""

    distinct: Floats
    of_part: Ints


@dataclass
class Shelf:
    """All tables; ``numbers`` gives each word its number across them.

    They are given at once: several questions may be laid out on one shelf at the same
    time, and two words must never get the same number.
    """

    tables: Mapping[str, Table]
    numbers: Mapping[str, float] = field(init=False)

    def __post_init__(self) -> None:
        words = {w for table in self.tables.values() for column in table.words.values() for w in column}
        self.numbers = {word: float(number) for number, word in enumerate(sorted(words - {""}))}

    def __len__(self) -> int:
        return sum(len(table) for table in self.tables.values())


def shelf_of(parts: Iterable[Part]) -> Shelf:
    """Return the columns of some parts.

    Parameters
    ----------
    parts : iterable of Part
        With figures that were checked when they were taken in.

    Returns
    -------
    Shelf
        In their order, kind by kind.
    """
    rows: dict[str, list[tuple[Part, dict[str, float]]]] = {kind.key: [] for kind in KINDS}
    for part in parts:
        values = {}
        for name in part.figures:
            quantity = part.quantity(name)
            if quantity is not None:
                values[name] = quantity.value
        rows[part.kind].append((part, values))
    return Shelf(
        {
            kind: table_of(
                kind,
                [
                    Row(
                        code=p.code,
                        figures=values,
                        words=dict(p.texts),
                        price=p.price,
                        state=p.state,
                        on_shelf=p.on_shelf,
                        lead_days=p.lead_days,
                    )
                    for p, values in found
                ],
            )
            for kind, found in rows.items()
        }
    )


# Code, figures in base units, words, price, state, number on the shelf, lead days.
class Row(NamedTuple):
    """One part as a table of its kind takes it: figures in base units, price in hundredths."""

    code: str
    figures: Mapping[str, float]
    words: Mapping[str, str]
    price: int | None
    state: str
    on_shelf: int
    lead_days: int | None


def table_of(kind: str, rows: list[Row]) -> Table:
    """Return the columns of rows of one kind; figures in base units.

    Parameters
    ----------
    kind : str
        The kind's key.
    rows : list
        One for each part.

    Returns
    -------
    Table
        In the order of the rows.
    """
    nan = float("nan")
    of_kind = KIND[kind]
    return Table(
        kind=kind,
        codes=[row.code for row in rows],
        values={
            d.name: np.array([row.figures.get(d.name, nan) for row in rows], float)
            for d in of_kind.dimensions
        },
        words={t.name: [row.words.get(t.name, "") for row in rows] for t in of_kind.texts},
        stock=Stock(
            np.array([-1 if row.price is None else row.price for row in rows], np.int64),
            np.array([row.on_shelf if row.state in IN_HAND else 0 for row in rows], np.int64),
            np.array([-1 if row.lead_days is None else row.lead_days for row in rows], np.int64),
        ),
    )


class Block:
    """The block that a question is about.

    Raises
    ------
    QuantityError
        If the shelf has no such block, or it lacks a figure without which nothing can
        be judged.
    """

    def __init__(self, shelf: Shelf, code: str) -> None:
        table = shelf.tables["block"]
        row = table.place.get(code)
        if row is None:
            raise QuantityError(f"the block {code!r}", "the code of a block on the shelf")
        self.code, self.row = code, row
        self.values = {name: float(column[row]) for name, column in table.values.items()}
        self.words = {name: words[row] for name, words in table.words.items()}
        self.numbers = {name: float(table.column(name, shelf.numbers)[row]) for name in self.words}
        missing = [n for n in KIND["block"].needed if np.isnan(self.values.get(n, self.numbers.get(n, 0.0)))]
        if missing:
            names = ", ".join(name.replace("_", " ") for name in missing)
            raise QuantityError(f"the block {code} without {names}", "a block with those figures")
        self.cylinders, self.banks = int(self.values["cylinders"]), int(self.values["banks"])

    def number(self, name: str) -> float:
        """Return a figure, or a word as its number; NaN where not known, in its base unit.

        Parameters
        ----------
        name : str
            The name, as files have it.
        """
        return self.values[name] if name in self.values else self.numbers[name]

    def look(self, name: str) -> float | str | None:
        """Return a figure or a word; None where not known, in its base unit.

        Parameters
        ----------
        name : str
            The name, as files have it.
        """
        if name in self.words:
            return self.words[name] or None
        value = self.values[name]
        return None if np.isnan(value) else value
