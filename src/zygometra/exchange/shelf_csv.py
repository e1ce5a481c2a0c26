"""The shelf as CSV: one table a kind, a row a part, units in the header or in the cell.

Columns are named as the dimensions are, ``stroke`` or ``stroke [mm]``; what belongs to
one figure stands in columns of its own, ``stroke basis``, ``stroke ±``, ``stroke u``,
``stroke readings``. Every fault has its line and column; nothing is taken in unless the
person says to take the good rows.
"""

# long: one format, read and written beside each other
from __future__ import annotations

import csv
import io
import math
import re
import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.mix.parts import (
    KIND,
    KINDS,
    MOST_PIECES,
    STATES,
    Part,
    PartKind,
    check_code,
    read_dimension,
)
from zygometra.core.typed import MOST_NAME, MOST_WORD, check_text, plain_number, whole_number
from zygometra.core.units import MOST_TYPED, unit_named
from zygometra.core.usual_figures import BASES

from .tables import MOST_ROWS, NoTable, TableRow, as_meant, inert, take_apart

MOST_BYTES = 24_000_000
MOST_FAULTS = 1000
PLAIN = ("code", "name", "supplier", "price", "state", "on shelf", "lead days", "basis")
_ASPECTS = {
    "basis": "basis",
    "±": "plus_minus",
    "u": "u",
    "readings": "readings",
    "resolution": "resolution",
    "gauge u": "gauge_u",
    "each": "each",
}
_WRITTEN = {inside: header for header, inside in _ASPECTS.items()}
_LONGEST_HEADER = 200
_HEADER = re.compile(
    r"(?P<name>.*?)\s*(?:\[(?P<unit>[^\]]*)\])?\s*(?P<aspect>basis|±|u|readings|resolution|gauge u|each)?"
)


@dataclass(frozen=True, slots=True)
class RowFault:
    """One fault of a table: line and column as a spreadsheet counts them, what was found, what is wanted."""

    line: int
    column: str
    found: str
    wanted: str

    def __str__(self) -> str:
        where = f"line {self.line}" + (f", column {self.column}" if self.column else "")
        return f"{where}: found {self.found}; wanted {self.wanted}"


@dataclass(frozen=True, slots=True)
class TableRead:
    """What a table holds: its kind, its good rows, its faults, how many rows were read, and how.

    It is not ``whole`` where reading stopped before its end: its rows are then no part of a shelf.
    """

    kind: str
    parts: tuple[Part, ...]
    faults: tuple[RowFault, ...]
    rows: int
    read_as: str = ""
    whole: bool = True


class _Column:
    """One column of a table: which dimension, word or plain property, in which unit."""

    def __init__(self, header: str, kind: PartKind) -> None:
        if len(header) > _LONGEST_HEADER:
            raise QuantityError(
                f"a column of {len(header)} characters", f"one of {', '.join(columns_of(kind.key))}"
            )
        match = _HEADER.fullmatch(header.strip())
        parts = match.groupdict() if match else {"name": header, "unit": None, "aspect": None}
        name = (parts["name"] or "").strip().lower()
        if not name and parts["aspect"] == "basis":
            name, parts["aspect"] = "basis", None
        self.header, self.unit, self.aspect = header.strip(), parts["unit"], parts["aspect"]
        self.name = name if name in PLAIN else name.replace(" ", "_")
        self.dimension, self.text = kind.dimension(self.name), kind.text(self.name)
        if self.name not in PLAIN and self.dimension is None and self.text is None:
            raise QuantityError(f"the column {shown(header)}", f"one of {', '.join(columns_of(kind.key))}")
        if self.unit is not None:
            if self.dimension is None:
                raise QuantityError(f"a unit on the column {shown(header)}", "units on dimensions only")
            unit_named(self.unit.strip(), self.dimension.kind)


def columns_of(kind: str) -> list[str]:
    """Return the columns a table of a kind may have, aspects of figures aside."""
    of_kind = KIND[kind]
    return [*PLAIN, *(t.name for t in of_kind.texts), *(d.name for d in of_kind.dimensions)]


def read_table(text: str | bytes, kind: str, *, seconds: float = math.inf) -> TableRead:
    """Read one table.

    Parameters
    ----------
    text : str or bytes
        CSV as spreadsheets write it (:mod:`.tables`), the first line holds the columns.
    kind : str
        Which kind of part its rows are.
    seconds : float
        How long reading its rows may take.

    Returns
    -------
    TableRead
        Good rows and faults; a row with a fault is not among the parts.
    """
    of_kind = KIND[kind]

    def refused(*faults: RowFault) -> TableRead:
        return TableRead(kind, (), faults, 0)

    if len(text) > MOST_BYTES:
        return refused(RowFault(1, "", f"{len(text):,} bytes".replace(",", " "), "at most 24 MB"))
    try:
        table = take_apart(text)
    except NoTable as error:
        return refused(RowFault(1, "", error.found, error.wanted))
    if not table.headers:
        return refused(
            RowFault(1, "", "an empty file", f"a table of {of_kind.plural}, its columns in the first line")
        )
    columns, faults = _columns(table.headers, of_kind)
    if faults:
        return refused(*faults)
    return replace(_rows(table.rows, columns, kind, time.monotonic() + seconds), read_as=table.read_as)


def read_behind(_telling: object, text: str | bytes, kind: str) -> TableRead:
    """Read one table in a process of its own; see :func:`read_table`."""
    return read_table(text, kind)


def _columns(headers: list[str], of_kind: PartKind) -> tuple[list[_Column], list[RowFault]]:
    columns: list[_Column] = []
    faults = []
    for header in headers:
        try:
            column = _Column(header, of_kind)
        except QuantityError as error:
            faults.append(RowFault(1, header.strip()[:60], error.found, error.wanted))
            continue
        if any((c.name, c.aspect) == (column.name, column.aspect) for c in columns):
            faults.append(RowFault(1, column.header, "the column twice", "each column once"))
        columns.append(column)
    if not faults and not any(c.name == "code" for c in columns):
        faults.append(RowFault(1, "", "no column code", "a code for each part, one of a kind"))
    return columns, faults


def _too_much(rows: int, faults: int, ends: float) -> tuple[str, str] | None:
    """Why a table is not read any further: what was found, and what is wanted."""
    if rows > MOST_ROWS:
        return f"more than {MOST_ROWS} rows", "a table of fewer rows"
    if faults > MOST_FAULTS:
        return f"more than {MOST_FAULTS} faults", "those above put right first; the rest was not read"
    if rows % 64 == 0 and time.monotonic() > ends:
        return f"a table of which {rows} rows took too long to read", "a shorter table, or two"
    return None


def _rows(rows: Iterable[TableRow], columns: list[_Column], kind: str, ends: float) -> TableRead:
    parts: list[Part] = []
    faults: list[RowFault] = []
    seen: dict[str, int] = {}
    count = 0
    for line, row in ((row.line, row.cells) for row in rows):
        count += 1
        if (stopped := _too_much(count, len(faults), ends)) is not None:
            faults.append(RowFault(line, "", *stopped))
            return TableRead(kind, tuple(parts), tuple(faults), count, whole=False)
        if len(row) > len(columns):
            faults.append(RowFault(line, "", f"{len(row)} cells", f"{len(columns)}, one for each column"))
            continue
        part: dict[str, Any] = {}
        wrong = _checked(row, columns, kind, part)
        own = [RowFault(line, column.header, error.found, error.wanted) for column, error in wrong]
        code = part.get("code", "")
        if code in seen:
            own.append(
                RowFault(line, "code", f"{shown(code)} again, as in line {seen[code]}", "a code of its own")
            )
        seen.setdefault(code, line)
        if own:
            faults += own
        else:
            parts.append(Part(kind, **part))
    return TableRead(kind, tuple(parts), tuple(faults), count)


def _checked(
    row: list[str], columns: list[_Column], kind: str, part: dict[str, Any]
) -> list[tuple[_Column, QuantityError]]:
    """Fill ``part`` from a row, and return what is wrong with it."""
    figures: dict[str, dict[str, Any]] = {}
    texts: dict[str, str] = {}
    wrong: list[tuple[_Column, QuantityError]] = []
    at = {}
    basis = ""
    for column, cell in zip(columns, row, strict=False):
        cell = cell.strip()
        if not cell and column.name != "code":
            continue
        try:
            if column.name == "basis":
                basis = _choice(cell, BASES, "basis")
            elif column.name in PLAIN:
                name, value = _plain(column.name, cell)
                part[name] = value
            elif column.text is not None:
                texts[column.name] = _word(cell)
            else:
                figures.setdefault(column.name, {})[_ASPECTS.get(column.aspect or "", "value")] = (
                    column,
                    cell,
                )
                at[column.name] = column
        except QuantityError as error:
            wrong.append((column, error))
    typed = {}
    for name, aspects in figures.items():
        try:
            typed[name] = _figure(aspects, basis)
            read_dimension(kind, name, typed[name])
        except QuantityError as error:
            wrong.append((at[name], error))
    if "code" not in part and not any(column.name == "code" for column, _ in wrong):
        column = next(c for c in columns if c.name == "code")
        wrong.append((column, QuantityError("nothing", "a code for the part, one of a kind")))
    part |= {"figures": typed, "texts": texts}
    return wrong


def _figure(aspects: Mapping[str, tuple[_Column, str]], basis: str) -> Any:
    """The typed form of one figure, as in a build file."""
    out: dict[str, Any] = {}
    for inside, (column, cell) in aspects.items():
        if inside == "readings":
            out[inside] = [
                _cell(column, one.strip()) for one in cell.split(";" if ";" in cell else " ") if one.strip()
            ]
        elif inside == "basis":
            out[inside] = _choice(cell, BASES, "basis")
        elif inside == "each":
            out[inside] = _choice(cell, ("yes", "no"), "each") == "yes"
        else:
            out[inside] = _cell(column, cell)
    if set(out) == {"value"} and not basis:
        return out["value"]
    if basis and "basis" not in out:
        out["basis"] = basis
    return out


def _cell(column: _Column, cell: str) -> Any:
    """A cell as typed: a number where it is one, with the column's unit where that has one."""
    if len(cell) <= MOST_TYPED and re.fullmatch(r"[-−+]?(\d+\.?\d*|\.\d+)", cell):
        number = float(cell.replace("−", "-"))
        plain = int(number) if number == int(number) and "." not in cell else number
        return f"{cell} {column.unit.strip()}" if column.unit else plain
    if column.unit and re.fullmatch(r"[-−+]?[\d.,/ -]*\d[\d.,/ -]*", cell):
        return f"{cell} {column.unit.strip()}"
    return cell


def _choice(cell: str, choices: tuple[str, ...], what: str) -> str:
    if cell.lower() not in choices:
        raise QuantityError(shown(cell), f"a {what}: one of {', '.join(choices)}")
    return cell.lower()


def _word(cell: str, most: int = MOST_WORD) -> str:
    return check_text(as_meant(cell), f"a text of up to {most} characters that can be printed", most=most)


def _plain(name: str, cell: str) -> tuple[str, Any]:
    if name == "state":
        return "state", _choice(cell, STATES, "state")
    if name == "price":
        return "price", read_price(cell)
    if name in ("on shelf", "lead days"):
        return name.replace(" ", "_"), whole_number(cell, "a whole number, such as 4", high=MOST_PIECES)
    return name, check_code(cell) if name == "code" else _word(cell, MOST_NAME)


def read_price(text: str) -> int:
    """Return a price in hundredths of the shop's money.

    Parameters
    ----------
    text : str
        Such as ``129.50`` or ``129,5``.

    Returns
    -------
    int
        Hundredths.

    Raises
    ------
    QuantityError
        If it is not an amount of nought to ten million.

    Examples
    --------
    >>> read_price("129,5")
    12950
    """
    wanted = "a price such as 129.50"
    if not re.fullmatch(r"[0-9]{1,8}([.,][0-9]{1,2})?", text.strip()):
        raise QuantityError(shown(text), wanted)
    return round(plain_number(text, wanted, high=1e7) * 100)


# -- writing ---------------------------------------------------------------------------


def write_table(parts: Iterable[Part], kind: str) -> str:
    """Return a table of parts of one kind, figures as they were typed.

    Parameters
    ----------
    parts : iterable of Part
        Of that kind.
    kind : str
        The kind.

    Returns
    -------
    str
        CSV; :func:`read_table` reads the same parts back.
    """
    rows = [_written(part) for part in parts]
    names = [n for n in columns_of(kind) if n != "basis"]
    used = {name for row in rows for name in row}
    ordered = [
        full
        for name in names
        for full in (name, *(f"{name} {aspect}" for aspect in _ASPECTS))
        if full in used or full in ("code", "name")
    ]
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, ordered, lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()


def _written(part: Part) -> dict[str, str]:
    row = {"code": part.code, "name": inert(part.name), "supplier": inert(part.supplier), "state": part.state}
    if part.price is not None:
        row["price"] = f"{part.price / 100:.2f}"
    if part.on_shelf:
        row["on shelf"] = str(part.on_shelf)
    if part.lead_days is not None:
        row["lead days"] = str(part.lead_days)
    row |= {name: inert(word) for name, word in part.texts.items() if word}
    for name, typed in part.figures.items():
        if not isinstance(typed, Mapping):
            row[name] = str(typed)
            continue
        unit = f" {typed['unit']}" if typed.get("unit") else ""
        for inside, value in typed.items():
            if inside == "unit":
                continue
            header = name if inside == "value" else f"{name} {_WRITTEN[inside]}"
            if inside == "readings":
                row[header] = "; ".join(_with_unit(one, unit) for one in value)
            elif inside == "each":
                row[header] = "yes" if value else "no"
            else:
                row[header] = str(value) if inside == "basis" else _with_unit(value, unit)
    return {key: value for key, value in row.items() if value}


def _with_unit(value: Any, unit: str) -> str:
    return f"{value}{unit}" if isinstance(value, (int, float)) else str(value)


# -- a folder of tables -----------------------------------------------------------------


def read_folder(folder: Path) -> list[Part]:
    """Read the tables of a folder: ``blocks.csv``, ``cranks.csv`` and so on; a missing one is empty.

    Parameters
    ----------
    folder : Path
        Where they lie.

    Returns
    -------
    list of Part
        All parts.

    Raises
    ------
    BuildFaults
        With every fault of every table; nothing is taken in part.
    """
    if not folder.is_dir():
        raise BuildFaults([Fault("$", f"no folder {folder}", "a folder of CSV tables")])
    parts: list[Part] = []
    faults: list[Fault] = []
    for kind in KINDS:
        file = folder / file_name(kind.key)
        if not file.exists():
            continue
        with file.open("rb") as opened:
            read = read_table(opened.read(MOST_BYTES + 1), kind.key)
        parts += read.parts
        faults += [
            Fault(
                f"{file.name}, line {f.line}{', column ' + f.column if f.column else ''}", f.found, f.wanted
            )
            for f in read.faults
        ]
    if faults:
        raise BuildFaults(faults)
    if not parts:
        names = ", ".join(file_name(kind.key) for kind in KINDS)
        raise BuildFaults([Fault("$", f"no table in {folder}", f"some of {names}")])
    return parts


def file_name(kind: str) -> str:
    """Return the file of a kind's table, such as ``ring-sets.csv``."""
    return KIND[kind].plural.replace(" ", "-") + ".csv"
