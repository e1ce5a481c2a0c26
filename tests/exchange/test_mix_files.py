"""Tables of parts, and the question and answer of the command line."""

from __future__ import annotations

import csv
import io
import json
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.cli import main
from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.mix.parts import KINDS, Part
from zygometra.demo.shelf import demo_shelf
from zygometra.exchange.mix_file import edge_of, question_of
from zygometra.exchange.shelf_csv import file_name, read_table, write_table

QUESTION = {
    "format": "zygometra.mix-question",
    "version": 1,
    "block": "BL-001",
    "best": 3,
    "windows": {
        "quench": {"min": "0.95 mm", "aim": 1.1, "max": "52 thou"},
        "compression_ratio": {"min": 9, "max": 10.5},
    },
}


def faults(text, kind="rod"):
    read = read_table(text, kind)
    return [(f.line, f.column, f.found, f.wanted) for f in read.faults]


@pytest.mark.parametrize("kind", [kind.key for kind in KINDS])
def test_a_table_written_is_read_back_to_the_letter(kind):
    parts = [p for p in demo_shelf(400, 3) if p.kind == kind]
    read = read_table(write_table(parts, kind), kind)
    assert read.faults == ()
    values = [[(n, p.quantity(n).value, p.quantity(n).u) for n in p.figures] for p in parts]
    assert [[(n, p.quantity(n).value, p.quantity(n).u) for n in p.figures] for p in read.parts] == values
    assert [
        (p.code, p.name, p.price, p.state, p.on_shelf, p.lead_days, dict(p.texts)) for p in read.parts
    ] == [(p.code, p.name, p.price, p.state, p.on_shelf, p.lead_days, dict(p.texts)) for p in parts]
    assert write_table(read.parts, kind) == write_table(parts, kind)


def test_units_in_the_header_or_in_the_cell():
    read = read_table(
        'code,length [in],length ±,pin_bore [mm]\nR1,6.1,1 thou,22\nR2,"154,94 mm",,22\n', "rod"
    )
    assert read.faults == ()
    first, second = read.parts
    assert first.quantity("length").value == pytest.approx(154.94)
    assert first.quantity("length").u == pytest.approx(0.0254 / 3**0.5)
    assert second.quantity("length").value == pytest.approx(154.94)


def test_a_basis_for_the_row_and_readings_of_a_figure():
    read = read_table(
        "code;basis;length;length readings;length basis\n"
        'R1;catalogue;148 mm;;\nR2;catalogue;;"148.01 mm; 148.03 mm";measured\n',
        "rod",
    )
    assert read.faults == ()
    assert read.parts[0].quantity("length").basis == "catalogue"
    second = read.parts[1].quantity("length")
    assert second.basis == "measured"
    assert second.value == pytest.approx(148.02)


def test_every_fault_has_its_line_and_column_and_good_rows_stay_good():
    text = (
        "code,length,price,state\nR1,148 mm,10,idea\nR2,148 furlongs,10,idea\nR3,148 mm,-4,idea\n"
        "R1,150 mm,1,idea\n,150 mm,1,lost\nR6,1e9 mm,1,idea\n"
    )
    read = read_table(text, "rod")
    assert [p.code for p in read.parts] == ["R1"]
    assert [(f.line, f.column) for f in read.faults] == [
        (3, "length"),
        (4, "price"),
        (5, "code"),
        (6, "code"),
        (6, "state"),
        (7, "length"),
    ]
    assert read.rows == 6


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("", "an empty file"),
        ("code,colour\nR1,red\n", "the column 'colour'"),
        ("length\n148 mm\n", "no column code"),
        ("code,length,length\nR1,1,2\n", "the column twice"),
        ("code,length [kg]\nR1,2\n", "the unit 'kg'"),
        ("code,length\nR1,148,9\n", "3 cells"),
        (b"\xff\xfe\x00code", "bytes that are not text"),
        ("code\n<script>\n", "'<script>'"),
        ("code,length\nR1,148\x00\n", "a nought byte"),
        ("code,name [mm]\nR1,2\n", "a unit on the column 'name [mm]'"),
        ("code,length colour\nR1,2\n", "the column 'length colour'"),
        ("code,length basis,length\nR1,guessed,148 mm\n", "'guessed'"),
        ("code,length each,length\nR1,perhaps,148 mm\n", "'perhaps'"),
        ("code,name\nR1," + "n" * 200 + "\n", "'nnn"),
        ("code,on shelf\nR1,2.5\n", "'2.5'"),
        ("code,lead days\nR1,soon\n", "'soon'"),
        ("code,price\nR1,free\n", "'free'"),
        ("x" * 24_000_001, "24 000 001 bytes"),
    ],
)
def test_a_table_that_is_none_says_why(text, found):
    assert found in faults(text)[0][2]


def test_a_quote_that_is_never_closed_takes_no_row_with_it():
    read = read_table('code,name\nR1,"never closed\nR2,fine\n' + "x" * 200_000 + "\n", "rod")
    assert read.parts == ()
    assert "a slip in the CSV" in read.faults[0].found
    assert read.faults[0].wanted == "one row a line, quotes closed"


def test_empty_lines_and_a_spreadsheets_mark_and_line_ends_do_no_harm():
    read = read_table("\ufeffcode,length\r\n\r\nR1,148 mm\r\n,,\r\nR2,150 mm\r\n".encode(), "rod")
    assert read.faults == ()
    assert [p.code for p in read.parts] == ["R1", "R2"]


def test_a_whole_number_of_cylinders_is_wanted():
    line = "code,deck_height,bore,cylinders\nB1,225 mm,92 mm,{}\n"
    assert read_table(line.format("4"), "block").faults == ()
    (fault,) = read_table(line.format("4.5"), "block").faults
    assert (fault.column, fault.found, fault.wanted) == ("cylinders", "4.5", "a whole number")


def run(capsys, *words):
    status = main(list(words))
    out, err = capsys.readouterr()
    return status, out, err


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("shelf")
    assert main(["demo-shelf", "--parts", "300", "--seed", "5", "--to", str(made)]) == 0
    return made


def ask(tmp_path, capsys, folder, **changes):
    file = tmp_path / "question.json"
    file.write_text(json.dumps({**QUESTION, **changes}))
    return run(capsys, "mix", str(file), "--shelf", str(folder))


def test_the_same_seed_gives_the_same_shelf(folder, tmp_path, capsys):
    run(capsys, "demo-shelf", "--parts", "300", "--seed", "5", "--to", str(tmp_path))
    assert {f.name: f.read_text() for f in tmp_path.iterdir()} == {
        f.name: f.read_text() for f in folder.iterdir()
    }
    assert demo_shelf(300, 6) != demo_shelf(300, 5)


def test_mix_prints_the_best_and_their_number(tmp_path, capsys, folder):
    status, out, _ = ask(tmp_path, capsys, folder)
    assert status == 0
    answer = json.loads(out)
    assert answer["count"]["exact"] is True
    assert answer["count"]["recipes"] >= len(answer["recipes"]) > 0
    costs = [r["cost"] for r in answer["recipes"]]
    assert costs == sorted(costs)
    for recipe in answer["recipes"]:
        assert 0.95 - 1e-9 <= recipe["quench_mm"] <= 52 * 0.0254 + 1e-9
        assert 9 <= recipe["compression_ratio"] <= 10.5
    assert answer["none_because"] is None


def test_mix_explains_emptiness(tmp_path, capsys, folder):
    status, out, _ = ask(
        tmp_path, capsys, folder, windows={"compression_ratio": {"min": 30}, "quench": {"max": 1.4}}
    )
    assert status == 0
    why = json.loads(out)["none_because"]
    assert why["without_window"][0]["window"] == "compression_ratio"
    assert why["nearest_miss"]["misses"]["compression_ratio"] < 0
    assert {p["kind"] for p in why["parts"]} == {"crank", "rod", "piston", "gasket", "head"}


@pytest.mark.parametrize(
    ("changes", "line"),
    [
        ({"block": "BL-999"}, "block: found the block 'BL-999'"),
        ({"windows": {"quench": {"min": "1 mile"}}}, "windows.quench.min: found the unit 'mile'"),
        ({"windows": {"quench": {"min": 2, "max": 1}}}, "windows.quench: found edges out of order"),
        ({"windows": {"colour": {}}}, "windows.colour: found the key 'colour'"),
        ({"priority": "prettiest"}, "priority: found 'prettiest'"),
        ({"best": 0}, "best: found 0"),
        ({"rpm": True}, "rpm: found true"),
        ({"version": 2}, "version: found 2"),
        ({"speed": 3}, "speed: found the key 'speed'"),
        ({"use": {"wheel": "x"}}, "use: found several entries in { }"),
    ],
)
def test_a_faulty_question_ends_with_status_2_and_a_line_a_fault(tmp_path, capsys, folder, changes, line):
    status, out, err = ask(tmp_path, capsys, folder, **changes)
    assert (status, out) == (2, "")
    assert line in err


def test_a_faulty_table_ends_with_status_2_and_its_place(tmp_path, capsys, folder):
    (tmp_path / "rods.csv").write_text("code,length\nR1,149 mm\nR2,no\n")
    status, out, err = ask(tmp_path, capsys, tmp_path)
    assert (status, out) == (2, "")
    assert err.startswith("rods.csv, line 3, column length: found 'no'")


def test_a_shop_gives_its_own_rules(tmp_path, capsys, folder):
    rules = tmp_path / "rules.json"
    rules.write_text(
        json.dumps(
            {
                "machinings": [],
                "rules": [
                    {
                        "key": "none",
                        "interface": "nothing is good enough",
                        "measure": {"crank.stroke": 1},
                        "bands": [{"from": 9999}],
                    }
                ],
            }
        )
    )
    file = tmp_path / "question.json"
    file.write_text(json.dumps(QUESTION))
    status, out, _ = run(capsys, "mix", str(file), "--shelf", str(folder), "--rules", str(rules))
    assert status == 0
    answer = json.loads(out)
    assert answer["recipes"] == []
    crank = answer["none_because"]["parts"][0]
    assert crank["left"] == 0
    assert crank["refused"]["none"] + crank["missing"].get("crank.stroke", 0) == crank["on_shelf"]


def test_x_keys_of_a_question_are_left_alone():
    question, counted = question_of({**QUESTION, "x-note": "for Dunmere", "count": "none"})
    assert (question.block, counted) == ("BL-001", "none")
    with pytest.raises(BuildFaults, match="format"):
        question_of({"version": 1, "block": "B"})


def test_edges_bear_units_where_they_can():
    assert edge_of("displacement", "2.3 l") == 2300
    with pytest.raises(QuantityError, match="a number for the rod ratio"):
        edge_of("rod_ratio", "long")


def test_a_file_name_for_every_kind():
    assert {file_name(kind.key) for kind in KINDS} >= {"ring-sets.csv", "blocks.csv"}
    assert Part("rod", "R").in_hand == 0


WORDS = st.text(
    st.characters(min_codepoint=32, max_codepoint=0x2FF, exclude_categories=("Cc", "Zs", "Zl", "Zp")),
    max_size=20,
)


@given(WORDS, WORDS, WORDS)
def test_no_cell_of_an_export_is_run_by_a_spreadsheet_and_all_come_back(name, supplier, crown):
    written = write_table(
        [
            Part(
                kind="piston",
                code="P",
                name=name,
                figures={},
                texts={"crown": crown} if crown else {},
                supplier=supplier,
            )
        ],
        "piston",
    )
    for cell in next(csv.reader(io.StringIO(written.partition("\n")[2]))):
        assert not re.match(r"[=+\-@\t\r]", cell)
    (back,) = read_table(written, "piston").parts
    assert (back.name, back.supplier, back.texts.get("crown", "")) == (name, supplier, crown)


@pytest.mark.parametrize("formula", ["=1+1", "@SUM(A1)", "+cmd|' /C calc'!A0", "-2+3", "'=1", "''+x"])
def test_a_formula_stays_the_words_it_is(formula):
    (back,) = read_table(write_table([Part("rod", "R", formula)], "rod"), "rod").parts
    assert back.name == formula
