"""Tables as spreadsheets write them: each way of writing one table reads as the same parts."""

from __future__ import annotations

import codecs
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.exchange.shelf_csv import read_table
from zygometra.exchange.tables import MARKS, NoTable, header_as_ours, take_apart

SPREADSHEET = Path(__file__).parent / "spreadsheet"
CELLS = [
    ["code", "name", "stroke [mm]", "pin_diameter", "price"],
    ["CR-1", "Kurbel für Ø 50", "86.25", "50.02 mm", "129.50"],
    ["CR-2", "long", "92", "50", ""],
]


PLAIN = {"decimal": ".", "sep": False, "ends": "\r\n", "empty": 0, "coding": "utf-8", "header": str}


def written(mark=",", **way):
    way = PLAIN | way
    rows = [[way["header"](cell) for cell in CELLS[0]]]
    rows += [
        [cell.replace(".", way["decimal"]) if cell[:1].isdigit() else cell for cell in row]
        for row in CELLS[1:]
    ]
    quoted = [[f'"{cell}"' if mark in cell else cell for cell in row] + [""] * way["empty"] for row in rows]
    text = way["ends"].join(mark.join(row) for row in quoted) + way["ends"]
    return ((f"sep={mark}{way['ends']}" if way["sep"] else "") + text).encode(way["coding"])


def parts_of(data):
    read = read_table(data, "crank")
    assert read.faults == ()
    return [
        (p.code, p.name, p.quantity("stroke").value, p.quantity("pin_diameter").value, p.price)
        for p in read.parts
    ]


EXPECTED = [("CR-1", "Kurbel für Ø 50", 86.25, 50.02, 12950), ("CR-2", "long", 92.0, 50.0, None)]


@given(
    st.sampled_from(sorted(MARKS)),
    st.fixed_dictionaries(
        {
            "decimal": st.sampled_from([".", ","]),
            "sep": st.booleans(),
            "ends": st.sampled_from(["\n", "\r\n"]),
            "empty": st.integers(0, 3),
            "coding": st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "cp1252"]),
            "header": st.sampled_from(
                [str, lambda c: c.replace("[mm]", "(mm)"), lambda c: c.replace(" [mm]", ", mm")]
            ),
        }
    ),
)
def test_every_way_a_spreadsheet_writes_it_reads_the_same(mark, way):
    assert parts_of(written(mark, **way)) == EXPECTED


@pytest.mark.parametrize(
    ("data", "read_as"),
    [
        (written(), "comma"),
        (written(";", decimal=","), "semicolon, decimal comma"),
        (written("\t", decimal=",", coding="cp1252"), "tab, decimal comma, Windows-1252"),
        (written(";", sep=True, coding="utf-16"), "semicolon, UTF-16"),
    ],
)
def test_what_was_recognised_is_said(data, read_as):
    assert read_table(data, "crank").read_as == read_as


def test_lines_are_counted_as_an_editor_counts_them():
    data = written(";", sep=True).replace(b"92", b"ninety")
    assert [fault.line for fault in read_table(data, "crank").faults] == [4]


def test_a_cell_under_no_header_is_still_a_fault():
    data = written().replace(b"50,\r\n", b"50,,oops\r\n")
    assert "6 cells" in str(read_table(data, "crank").faults[0])


@pytest.mark.parametrize(
    "data", [codecs.BOM_UTF16_LE + b"\x00", codecs.BOM_UTF8 + b"\xff", b"code\x81", b"code\x00"]
)
def test_what_is_no_table_says_what_was_found(data):
    with pytest.raises(NoTable) as refused:
        take_apart(data)
    assert refused.value.found
    assert refused.value.wanted


@given(st.text(max_size=40))
def test_any_header_comes_through(header):
    assert isinstance(header_as_ours(header), str)


@pytest.mark.parametrize("name", ["comma", "semi", "tab"])
def test_what_a_real_spreadsheet_wrote_from_our_own_export_comes_back_unchanged(name):
    # Written once by LibreOffice Calc 7.4 from cranks.csv: comma, semicolon in Windows-1252, and tab.
    ours = read_table((SPREADSHEET / "cranks.csv").read_bytes(), "crank")
    theirs = read_table((SPREADSHEET / f"cranks-{name}.csv").read_bytes(), "crank")
    assert theirs.faults == ()
    assert theirs.parts == ours.parts
    assert len(ours.parts) == 8
