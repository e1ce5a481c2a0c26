"""A logbook as a table: one reading a row, figures as typed with their unit in the cell.

A column's unit may stand in its header (``value [thou]``); a cell's own unit goes before it, and a bare
number is in the figure's default unit. A table is taken whole or not at all.
"""

# long: one format, read and written beside each other
from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.measuring.facts import FoundBy, found_by
from zygometra.core.measuring.logbook import READABLE, Gauge, Logbook, Reading
from zygometra.core.moments import moment
from zygometra.core.spoken import as_written
from zygometra.core.typed import check_text, plain_number, whole_number
from zygometra.core.units import BASE, Kind, read_typed

from .logbook_faults import reading_entry
from .tables import MOST_ROWS, NoTable, TableRow, as_meant, inert, take_apart

MOST_BYTES = 16_000_000
_MOST_FAULTS = 200
_UNIT = re.compile(r"(?P<name>[^\[]+?)\s*\[(?P<unit>[^\]]+)\]")

COLUMNS = (
    "id",
    "figure",
    "bank",
    "cylinder",
    "value",
    "other side",
    "shots",
    "shot size",
    "shot size u",
    "shot random",
    "part",
    "part u",
    "gauge",
    "zero",
    "on",
    "pad height",
    "rim below",
    "bore",
    "ring volume",
    "axis",
    "depth",
    "clock",
    "temperature",
    "gauge temperature",
    "conditions",
    "simulated",
    "says",
    "by",
    "at",
    "void because",
)
# Columns that take a figure with a unit; those of the reading itself have that of their figure.
_OF_FIGURE = ("value", "other side")
_KINDS = {
    "shot size": Kind.VOLUME,
    "shot size u": Kind.VOLUME,
    "shot random": Kind.VOLUME,
    "part": Kind.VOLUME,
    "part u": Kind.VOLUME,
    "pad height": Kind.LENGTH,
    "rim below": Kind.LENGTH,
    "bore": Kind.LENGTH,
    "ring volume": Kind.VOLUME,
    "depth": Kind.LENGTH,
}
_FLAGS = ("plate", "oiled", "shells", "level_stood")


class Taken(NamedTuple):
    """What a table of readings holds, and what was voided with its reason."""

    readings: list[Reading]
    voided: list[dict[str, str]]


def write_logbook_csv(logbook: Logbook) -> str:
    """Return a logbook as a table.

    Parameters
    ----------
    logbook : Logbook
        Any.

    Returns
    -------
    str
        CSV, UTF-8, one header; cells that a spreadsheet would run are marked as words.
    """
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(COLUMNS)
    for one in logbook.readings:
        void = logbook.void.get(one.id)
        cells = {**_cells(one), "void because": void.why if void else ""}
        # A figure begins with its sign; words begin with whatever somebody typed.
        rows.writerow([cells[name] if name in _OF_FIGURE else inert(cells[name]) for name in COLUMNS])
    return out.getvalue()


def _cells(reading: Reading) -> dict[str, str]:
    raw = reading.typed
    shots = raw.get("shots") or {}
    tipped = raw.get("tipped") or ()
    value = tipped[0] if tipped else raw.get("value")
    cells = {
        "id": raw["id"],
        "figure": raw["figure"],
        "bank": raw.get("bank"),
        "cylinder": raw.get("cylinder"),
        "value": _typed(value, reading),
        "other side": _typed(tipped[1], reading) if tipped else None,
        "shots": shots.get("count"),
        "shot size": _plain(shots.get("size")),
        "shot size u": _doubt(shots.get("size")),
        "shot random": _plain(shots.get("random")),
        "part": _plain(shots.get("part")),
        "part u": _doubt(shots.get("part")),
        "pad height": _plain(raw.get("pad_height"), "mm"),
        "rim below": _plain(raw.get("rim_below"), "mm"),
        "bore": _plain(raw.get("bore"), "mm"),
        "ring volume": _plain(raw.get("ring_volume")),
        "depth": _plain(raw.get("depth"), "mm"),
        "gauge temperature": raw.get("gauge_temperature"),
        "conditions": "; ".join(f"{k}={_word(v)}" for k, v in (raw.get("conditions") or {}).items()),
    }
    cells["simulated"] = "yes" if raw.get("simulated") else None
    for name in ("gauge", "zero", "on", "axis", "clock", "temperature", "says", "by", "at"):
        cells[name] = raw.get(name)
    return {name: "" if value is None else str(value) for name, value in cells.items()}


def _yes_or_no(text: str) -> bool:
    if (word := text.strip().lower()) not in ("yes", "no"):
        raise QuantityError(shown(text), "yes or no")
    return word == "yes"


def _word(value: Any) -> str:
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)


def _typed(raw: Any, reading: Reading) -> str | None:
    if raw is None:
        return None
    return _plain(raw, BASE[READABLE[reading.figure].kind].symbol)


def _plain(raw: Any, unit: str = "cc") -> str | None:
    """A figure as typed, with the unit that it has."""
    if raw is None:
        return None
    if isinstance(raw, Mapping):
        return f"{raw.get('value')} {raw.get('unit') or unit}"
    return str(raw) if isinstance(raw, str) else f"{raw!r} {unit}"


def _doubt(raw: Any) -> str | None:
    if not isinstance(raw, Mapping) or raw.get("u") is None:
        return None
    return raw["u"] if isinstance(raw["u"], str) else f"{raw['u']!r} {raw.get('unit') or 'cc'}"


def read_logbook_csv(
    data: bytes | str, gauges: Mapping[str, Gauge], banks: list[str], holes: list[int]
) -> Taken:
    """Read a table of readings.

    Parameters
    ----------
    data : bytes or str
        CSV with a header.
    gauges : Mapping
        Those that are known.
    banks : list of str
        The build's banks.
    holes : list of int
        Its holes.

    Returns
    -------
    Taken
        Every reading checked against the build.

    Raises
    ------
    BuildFaults
        With every fault by its line, 200 at most; nothing is taken then.
    """
    if len(data) > MOST_BYTES:
        raise BuildFaults([Fault("the table", f"{len(data):,} bytes".replace(",", " "), "at most 16 MB")])
    try:
        table = take_apart(data)
    except NoTable as error:
        raise BuildFaults([Fault("the table", error.found, error.wanted)]) from None
    columns = list(_columns(table.headers))
    faults = [fault for fault in columns if isinstance(fault, Fault)]
    if not faults and len(table.rows) > MOST_ROWS:
        faults.append(Fault("the table", f"more than {MOST_ROWS} rows", "fewer"))
    if faults:
        raise BuildFaults(faults)
    known = [column for column in columns if not isinstance(column, Fault)]
    taken, seen = Taken([], []), dict[str, int]()
    for row in table.rows:
        entry = _entry(row, known, taken=taken, faults=faults, seen=seen)
        if len(faults) >= _MOST_FAULTS:
            break
        if entry is None:
            continue
        try:
            taken.readings.append(reading_entry("r", entry, gauges=gauges, names=banks, numbers=holes))
        except BuildFaults as error:
            place = f"line {row.line}"
            faults += [
                Fault(place + f.path.removeprefix("r").replace(".", ", ", 1), f.found, f.wanted)
                for f in error.faults
            ]
    if not faults and not taken.readings:
        faults.append(Fault("the table", "no reading", "a header and a row for each reading"))
    if faults:
        raise BuildFaults(faults[:_MOST_FAULTS])
    return taken


def read_behind(
    _telling: object, data: bytes, gauges: Mapping[str, Gauge], banks: list[str], holes: list[int]
) -> tuple[Taken | None, tuple[FoundBy, ...], list[Fault]]:
    """Read a table of readings in a process of its own; see :func:`read_logbook_csv`.

    Returns
    -------
    taken, found, faults
        What it holds, and what each reading is found by; or its faults.
    """
    try:
        taken = read_logbook_csv(data, gauges, banks, holes)
    except BuildFaults as error:
        return None, (), error.faults
    return taken, tuple(found_by(one) for one in taken.readings), []


def _columns(headers: list[str]) -> Iterator[tuple[str, str] | Fault]:
    """Each column's name and the unit in its header; what is wrong with one."""
    seen: set[str] = set()
    for header in headers:
        split = _UNIT.fullmatch(header.strip())
        name = (split["name"] if split else header).strip().lower().replace("_", " ")
        unit = split["unit"].strip() if split else ""
        if name not in COLUMNS:
            yield Fault("line 1", f"the column {shown(header)}", "columns from " + ", ".join(COLUMNS))
        elif name in seen:
            yield Fault("line 1", f"the column {name} twice", "each column once")
        else:
            yield name, unit
        seen.add(name)
    for needed in ("figure",):
        if needed not in seen:
            yield Fault("line 1", f"no column {needed}", "a column figure, and one of value or shots")


def _entry(
    row: TableRow, columns: list[tuple[str, str]], taken: Taken, faults: list[Fault], seen: dict[str, int]
) -> dict[str, Any] | None:
    """One row as an entry of a build file; None where it says what is wrong with it."""
    cells: dict[str, tuple[str, str]] = {}
    for i, cell in enumerate(row.cells):
        if i >= len(columns):
            faults.append(Fault(f"line {row.line}", f"{len(row.cells)} cells", f"at most {len(columns)}"))
            return None
        if text := cell.strip():
            cells[columns[i][0]] = (text if columns[i][0] in _OF_FIGURE else as_meant(text), columns[i][1])
    at = _Row(row.line, cells, faults)
    before = len(faults)
    entry = at.entry()
    if entry["id"] in seen:
        at.wrong(
            "id", f"{shown(entry['id'])}, which stands in line {seen[entry['id']]} too", "an id of its own"
        )
    seen[entry["id"]] = row.line
    if len(faults) > before:
        return None
    if why := at.words("void because", 400):
        taken.voided.append({"reading": entry["id"], "why": why})
    return entry


class _Row:
    """One row of the table while it is read; what is wrong goes to the faults, by line and column."""

    def __init__(self, line: int, cells: dict[str, tuple[str, str]], faults: list[Fault]) -> None:
        self.line, self.cells, self.faults = line, cells, faults

    def wrong(self, column: str, found: str, wanted: str) -> None:
        self.faults.append(Fault(f"line {self.line}, {column}", found, wanted))

    def read(self, column: str, how: Callable[[str], Any]) -> Any:
        """A cell read; None where it is empty or wrong."""
        text = self.cells.get(column, ("", ""))[0]
        if not text:
            return None
        try:
            return how(text)
        except QuantityError as error:
            self.wrong(column, str(error.found), str(error.wanted))
            return None

    def words(self, column: str, most: int = 80) -> str | None:
        found: str | None = self.read(
            column, lambda text: check_text(text, f"text of up to {most} characters", most=most)
        )
        return found

    def figure(self, column: str, kind: Kind) -> str | None:
        """A figure as a file writes it: the cell's own unit, else that of the header, else the default."""

        def how(text: str) -> str:
            typed = as_written(text, sided=column in _OF_FIGURE)
            if read_typed(typed, kind).unit is not None:
                return typed
            return f"{typed} {self.cells[column][1] or BASE[kind].symbol}"

        found: str | None = self.read(column, how)
        if found is not None:
            self.read(column, lambda _: read_typed(found, kind))
        return found

    def entry(self) -> dict[str, Any]:
        """The row as an entry of a build file."""
        figure = self.words("figure") or ""
        field = READABLE.get(figure)
        if field is None:
            self.wrong("figure", shown(figure) if figure else "nothing", "one of " + ", ".join(READABLE))
        entry: dict[str, Any] = {"id": self.words("id") or f"line {self.line}", "figure": figure}
        for name in ("bank", "gauge", "zero", "on", "axis", "by"):
            entry[name] = self.words(name)
        entry["says"] = self.words("says", 400)
        if self.read("simulated", _yes_or_no):
            entry["simulated"] = True
        holes = "a cylinder number, 1 to 99"
        entry["cylinder"] = self.read("cylinder", lambda text: whole_number(text, holes, low=1, high=99))
        if field is not None:
            entry |= self._value(field.kind)
        for name, low, high, wanted in (
            ("clock", 0.0, 360.0, "degrees from 0 to 360"),
            ("temperature", -60.0, 200.0, "degrees Celsius, such as 21.5"),
            ("gauge temperature", -60.0, 200.0, "degrees Celsius, such as 21.5"),
        ):
            entry[name.replace(" ", "_")] = self.read(name, _plain_within(wanted, low, high))
        for name in ("depth", "pad height", "rim below", "bore", "ring volume"):
            entry[name.replace(" ", "_")] = self.figure(name, _KINDS[name])
        entry["conditions"] = self.read("conditions", _conditions)
        entry["at"] = self.read("at", _moment)
        return {key: value for key, value in entry.items() if value not in (None, "", {})}

    def _value(self, kind: Kind) -> dict[str, Any]:
        count = self.read(
            "shots", lambda text: whole_number(text, "how many whole shots", low=0, high=10_000)
        )
        if "shots" in self.cells:
            shots: dict[str, Any] = {"count": count or 0}
            for column, doubt, key in (("shot size", "shot size u", "size"), ("part", "part u", "part")):
                value, u = self.figure(column, Kind.VOLUME), self.figure(doubt, Kind.VOLUME)
                if value is not None:
                    shots[key] = value if u is None else {"value": value, "u": u}
            if (random := self.figure("shot random", Kind.VOLUME)) is not None:
                shots["random"] = random
            if "size" not in shots:
                self.wrong("shot size", "nothing", "the volume of one shot, such as 2.5 cc")
            return {"shots": shots}
        value = self.figure("value", kind)
        if "other side" in self.cells:
            return {"tipped": [value, self.figure("other side", kind)]}
        if value is None and "value" not in self.cells:
            self.wrong("value", "nothing", "a figure, or counted shots")
        return {"value": value}


def _moment(text: str) -> str:
    moment(text)
    return text


def _plain_within(wanted: str, low: float, high: float) -> Callable[[str], float]:
    return lambda text: plain_number(text, wanted, low=low, high=high)


def _conditions(text: str) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for part in text.split(";"):
        name, mark, word = part.strip().partition("=")
        name, word = name.strip(), word.strip()
        if not mark or not word or name not in (*_FLAGS, "caps", "block", "rod", "piston", "fastener"):
            raise QuantityError(shown(part.strip()), "conditions such as caps=snug; plate=no; block=upright")
        if name in _FLAGS and word in ("yes", "no"):
            found[name] = word == "yes"
        elif name == "block" and word not in ("upright", "inverted"):
            raise QuantityError(f"block {shown(word)}", "upright or inverted")
        else:
            found[name] = check_text(word, "a few words of up to 80 characters", most=80)
    return found
