"""A table as spreadsheets write it: which marks part its cells, which its decimals, in which letters.

Semicolon, comma or tab; a ``sep=`` line; UTF-8 with or without its mark, UTF-16 with it,
or Windows-1252; empty columns at the end. What was recognised is said.
"""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass

MOST_ROWS = 60_000
MOST_COLUMNS = 200
# Marks between cells that one row may hold before it is looked at: commas within words among them.
_MOST_MARKS = 5000
MARKS = {";": "semicolon", ",": "comma", "\t": "tab"}
_SEP = re.compile(r"\s*\"?sep=(?P<mark>[;,\t])\"?\s*", re.IGNORECASE)
_DECIMAL_COMMA = re.compile(r"[+\-−]?\d+,\d+(?:\s*[^\d\s]+)?")
_LONGEST_HEADER = 500
_HEADER_UNIT = re.compile(
    r"(?P<name>[^\[(,]+?)\s*(?:\((?P<round>[^)]*)\)|,\s*(?P<after>[^,]+))\s*(?P<rest>.*)"
)


class NoTable(Exception):
    """The bytes are no table: what was found, and what is wanted."""

    def __init__(self, found: str, wanted: str) -> None:
        super().__init__(f"{found}; {wanted}")
        self.found, self.wanted = found, wanted


@dataclass(frozen=True, slots=True)
class TableRow:
    """One row: its line as an editor counts it, and its cells."""

    line: int
    cells: list[str]


@dataclass(frozen=True, slots=True)
class Table:
    """A table taken apart: headers, rows, and how it was read in words."""

    headers: list[str]
    rows: list[TableRow]
    read_as: str


def letters_of(data: bytes) -> tuple[str, str]:
    """Return the text of some bytes and the name of its letters.

    Parameters
    ----------
    data : bytes
        Of a file.

    Returns
    -------
    text, letters : str
        The mark at the beginning is left out.

    Raises
    ------
    NoTable
        If they are no text.
    """
    for mark, coding, name in (
        (codecs.BOM_UTF8, "utf-8-sig", "UTF-8"),
        (codecs.BOM_UTF16_LE, "utf-16", "UTF-16"),
        (codecs.BOM_UTF16_BE, "utf-16", "UTF-16"),
        (b"", "utf-8", "UTF-8"),
        (b"", "cp1252", "Windows-1252"),
    ):
        if data.startswith(mark):
            try:
                return data.decode(coding), name
            except UnicodeDecodeError:
                # What says that it is something must be it.
                if mark:
                    break
    raise NoTable("bytes that are not text", "a CSV text in UTF-8")


def take_apart(data: bytes | str) -> Table:
    """Take a table apart.

    Parameters
    ----------
    data : bytes or str
        A CSV, its columns in the first line, or in the second after a ``sep=`` line.

    Returns
    -------
    Table
        Rows of empty cells left out.

    Raises
    ------
    NoTable
        If it is no table, with what was found and what is wanted.
    """
    words, letters = letters_of(data) if isinstance(data, bytes) else (data, "")
    if "\x00" in words:
        raise NoTable("a nought byte", "a CSV text in UTF-8")
    before = 0
    first, _, rest = words.partition("\n")
    if (told := _SEP.fullmatch(first)) is not None:
        mark, words, before = told["mark"], rest, 1
        first = words.partition("\n")[0]
    else:
        mark = max(MARKS, key=lambda candidate: (first.count(candidate), candidate == ","))
    lines = _Lines(words, mark)
    reader = csv.reader(lines, delimiter=mark)
    try:
        headers = _without_empty_end(next(reader, []))
        if len(headers) > MOST_COLUMNS:
            raise NoTable(f"{len(headers)} columns", f"at most {MOST_COLUMNS}")
        rows = []
        lines.marks = 0
        for row in reader:
            lines.marks = 0
            if any(cell.strip() for cell in row):
                rows.append(TableRow(reader.line_num + before, row))
            # One more than anybody takes: what comes after it is not looked at.
            if len(rows) > MOST_ROWS:
                break
    except csv.Error as error:
        slip = f"a slip in the CSV in line {reader.line_num + before}: {error}"
        raise NoTable(slip, "one row a line, quotes closed") from None
    rows = [TableRow(row.line, _without_empty_end(row.cells, len(headers))) for row in rows]
    said = [MARKS[mark]]
    if mark != "," and any(_DECIMAL_COMMA.fullmatch(cell.strip()) for cell in _some_cells(rows)):
        said.append("decimal comma")
    if letters not in ("", "UTF-8"):
        said.append(letters)
    return Table([header_as_ours(header) for header in headers], rows, ", ".join(said))


class _Lines:
    """The lines of a table, counted before they are taken apart: a row of more cells than any has is not unpacked."""

    def __init__(self, words: str, mark: str) -> None:
        self._lines, self._mark = io.StringIO(words, newline=""), mark
        self.marks = 0

    def __iter__(self) -> Iterator[str]:
        return self

    def __next__(self) -> str:
        line = next(self._lines)
        self.marks += line.count(self._mark)
        if self.marks > _MOST_MARKS:
            raise NoTable("a row of thousands of cells", f"at most {MOST_COLUMNS} columns")
        return line


def _some_cells(rows: list[TableRow]) -> Iterator[str]:
    for row in rows[:200]:
        yield from row.cells


def _without_empty_end(cells: list[str], least: int = 0) -> list[str]:
    """The cells without the empty ones at the end, that spreadsheets leave where something once stood."""
    end = len(cells)
    while end > least and not cells[end - 1].strip():
        end -= 1
    return cells[:end]


def header_as_ours(header: str) -> str:
    """Return a header with its unit in brackets, where it stands in round ones or after a comma.

    Parameters
    ----------
    header : str
        As a person wrote it.

    Examples
    --------
    >>> header_as_ours("stroke (mm)"), header_as_ours("stroke, in"), header_as_ours("stroke [mm] basis")
    ('stroke [mm]', 'stroke [in]', 'stroke [mm] basis')
    """
    # Blanks in a row are one: what parts a name from its unit may be as wide as it likes.
    header = " ".join(header.split())
    found = _HEADER_UNIT.fullmatch(header) if len(header) <= _LONGEST_HEADER else None
    if found is None:
        return header
    unit = (found["round"] or found["after"] or "").strip()
    return f"{found['name'].strip()} [{unit}] {found['rest']}".strip()


# What a spreadsheet would take for the beginning of a formula; before it, marks that say it is none.
_RUNS = re.compile(r"'*[=+\-@]")


def inert(words: str) -> str:
    """Return words as a cell that no spreadsheet runs: with a mark before what would begin a formula.

    Parameters
    ----------
    words : str
        As somebody typed them.

    Examples
    --------
    >>> inert("=1+1"), inert("'=1+1"), inert("harbour rod")
    ("'=1+1", "''=1+1", 'harbour rod')
    """
    return f"'{words}" if _RUNS.match(words) else words


def as_meant(cell: str) -> str:
    """Return the words of a cell without the mark that :func:`inert` put before them.

    Parameters
    ----------
    cell : str
        As it was read.

    Examples
    --------
    >>> as_meant("'=1+1"), as_meant("'tis")
    ('=1+1', "'tis")
    """
    return cell[1:] if cell.startswith("'") and _RUNS.match(cell) else cell
