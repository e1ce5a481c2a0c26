"""Logbooks in files: faults by place, tables both ways, and the commands that answer them."""

from __future__ import annotations

import contextlib
import copy
import json
import subprocess
import sys

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from support.cases import demo, vector
from support.engines import engine
from zygometra.core.errors import BuildFaults
from zygometra.core.measuring.read_in import read_measured
from zygometra.exchange.build_file import check
from zygometra.exchange.logbook_csv import COLUMNS, read_logbook_csv, write_logbook_csv

GOOD = {"id": "r1", "figure": "bore", "cylinder": 1, "value": "92.01 mm"}


def faults(readings=(), **more):
    document = {**demo("pilot-launch"), "readings": list(readings), **more}
    with pytest.raises(BuildFaults) as raised:
        check(document)
    return [str(fault) for fault in raised.value.faults]


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"figure": "horsepower"}, "readings[0].figure: found 'horsepower'"),
        ({"cylinder": 9}, "readings[0].cylinder: found cylinder 9; wanted one of 1, 2, 3, 4"),
        ({"value": None}, "readings[0].value: found nothing; wanted one of value, tipped, shots"),
        ({"tipped": [1, 2]}, "wanted one of value, tipped, shots"),
        ({"value": "92 cc"}, "readings[0].value: found cc, which measures volume"),
        ({"value": 1e9}, "readings[0].value"),
        ({"cylinder": None, "bank": "A"}, "finished bore of a bank"),
        ({"bank": "Q"}, "readings[0].bank: found the bank 'Q'"),
        ({"at": "noon"}, "readings[0].at: found the time 'noon'"),
        ({"temperature": "hot"}, "readings[0].temperature"),
        ({"weather": "fine"}, "readings[0].weather: found the unknown key"),
        ({"conditions": {"block": "sideways"}}, "readings[0].conditions.block"),
        ({"shots": {"count": -1, "size": 2.5}, "value": None}, "readings[0].shots.count"),
        ({"on": "roof"}, "readings[0].on"),
        ({"id": ""}, "readings[0].id"),
    ],
)
def test_a_faulty_reading_is_told_by_its_place(changed, says):
    told = faults([{key: value for key, value in {**GOOD, **changed}.items() if value is not None}])
    assert any(says in one for one in told), told


def test_faults_between_entries():
    assert any("readings[1].id: found 'r1' twice" in one for one in faults([GOOD, GOOD]))
    told = faults([GOOD], voided=[{"reading": "r9", "why": "slip"}])
    assert told == [
        "voided[0].reading: found 'r9'; wanted the id of one of the readings, or of something else that was noted"
    ]
    assert any("gauges.d" in one for one in faults(gauges={"d": {"resolution": "0.01 mm", "u": "1 cc"}}))
    bore = {**GOOD, "gauge": "b"}
    assert any(
        "a gauge of volume; wanted a gauge of length" in one
        for one in faults([bore], gauges={"b": {"u": "0.1 cc"}})
    )
    tipped = {"id": "r1", "figure": "bore", "cylinder": 1, "tipped": [92, 92]}
    assert any("a tipped pair of bore" in one for one in faults([tipped]))


def test_notes_of_ones_own_are_kept_beside_a_reading():
    check(
        {**demo("pilot-launch"), "readings": [{**GOOD, "x-hand": "left"}], "gauges": {"x-note": {}, "d": {}}}
    )


# -- tables -----------------------------------------------------------------------


@st.composite
def logbooks(draw):
    """The logbook of a drawn engine, every column used somewhere."""
    made = engine(draw(st.integers(0, 10**6)))
    readings = []
    for _ in range(draw(st.integers(1, 12))):
        figure = draw(st.sampled_from(["deck_clearance", "bore", "length", "chamber_volume"]))
        hole = draw(st.sampled_from(made.holes))
        one = made.reading(figure, hole, tipped=figure == "deck_clearance" and draw(st.booleans()))
        if figure == "bore":
            one |= {
                "depth": draw(st.sampled_from([20, "60 mm", "1 in"])),
                "clock": draw(st.sampled_from([0, 90.5])),
            }
        if draw(st.booleans()):
            one["conditions"] = {
                "caps": draw(st.sampled_from(["snug", "torqued"])),
                "plate": draw(st.booleans()),
            }
        if draw(st.booleans()):
            one |= {
                "by": draw(st.sampled_from(["Ada", "=1+1", "@x, y", 'say "so"'])),
                "at": "2026-05-05T09:12:00Z",
            }
        if draw(st.booleans()):
            one["says"] = draw(
                st.text(st.characters(codec="utf-8", categories=["L", "N", "P"]), min_size=1, max_size=20)
            )
        readings.append(one)
    return {**made.document, "readings": readings}


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(logbooks())
def test_a_table_that_went_out_comes_in_as_it_was(document):
    book = read_measured(document).logbook
    taken = read_logbook_csv(write_logbook_csv(book), book.gauges, ["A"], [1, 2, 3, 4])
    for one, other in zip(taken.readings, book.readings, strict=True):
        assert one.value == pytest.approx(other.value, rel=1e-12)
        for name in (
            "id",
            "place",
            "gauge",
            "zero",
            "on",
            "spot",
            "conditions",
            "by",
            "at",
            "temperature",
            "way",
        ):
            assert getattr(one, name) == getattr(other, name), name
        assert (one.shots is None) == (other.shots is None)
        assert one.typed.get("says") == (other.typed.get("says") or "").strip() or not other.typed.get("says")


def read(text, banks=("A",), holes=(1, 2, 3, 4)):
    return read_logbook_csv(text, {}, list(banks), list(holes))


@pytest.mark.parametrize(
    ("table", "value"),
    [
        ("figure;cylinder;value\nbore;1;92,01\n", "92,01 mm"),
        ("figure,cylinder,value [in]\nbore,1,3.6220\n", "3.6220 in"),
        ("figure,cylinder,value [in]\nbore,1,92.01 mm\n", "92.01 mm"),
        ("sep=;\nfigure;cylinder;value (thou)\ndeck_clearance;1;12\n", "12 thou"),
        ("figure\tcylinder\tvalue\ndeck_clearance\t1\t-0.12 mm\n", "-0.12 mm"),
    ],
)
def test_the_unit_is_the_cells_else_the_headers_else_the_default(table, value):
    assert read(table).readings[0].typed["value"] == value


@pytest.mark.parametrize(
    ("table", "says"),
    [
        ("", "no column figure"),
        ("figure,cylinder\n", "no reading"),
        ("figure,colour\nbore,red\n", "line 1: found the column 'colour'"),
        ("figure,figure\nbore,bore\n", "the column figure twice"),
        ("figure,cylinder,value\nbore,1\n", "line 2, value: found nothing"),
        ("figure,cylinder,value\nbore,1,92\nbore,x,92\n", "line 3, cylinder"),
        ("figure,cylinder,value\nbore,1,92,9,9\n", "line 2: found 5 cells"),
        (
            "id,figure,cylinder,value\na,bore,1,92\na,bore,2,92\n",
            "line 3, id: found 'a', which stands in line 2 too",
        ),
        ("figure,cylinder,shots\nchamber_volume,1,20\n", "line 2, shot size"),
        ("figure,cylinder,value,axis\nbore,1,92,sideways\n", "line 2, axis"),
        ("figure,cylinder,value,conditions\nbore,1,92,plate\n", "line 2, conditions"),
        ("figure,cylinder,value,at\nbore,1,92,noon\n", "line 2, at"),
        ("\x00\x01", "nought byte"),
    ],
)
def test_a_damaged_table_is_told_by_line(table, says):
    with pytest.raises(BuildFaults) as raised:
        read(table)
    assert any(says in str(fault) for fault in raised.value.faults), raised.value


CELLS = st.lists(st.sampled_from([*COLUMNS, "bore", "1", "92", "", '"']))


@given(st.text(max_size=300) | st.lists(CELLS, max_size=6).map(lambda rows: "\n".join(map(",".join, rows))))
def test_no_table_is_a_fault_of_ours(table):
    with contextlib.suppress(BuildFaults):
        read(table)


# -- commands -----------------------------------------------------------------------


def ask(*words, text=""):
    return subprocess.run(
        [sys.executable, "-m", "zygometra.cli", *words],
        input=text,
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )


@pytest.mark.parametrize("command", ["evaluate", "next", "causes"])
def test_lines_are_answered_in_order_and_a_bad_one_by_its_faults(command):
    good = json.dumps(vector("logbook-tipped-pairs-two-zeros")["build"])
    done = ask(command, "--lines", "-", text=f"{good}\n{{}}\nnonsense\n{good}\n")
    assert done.returncode == 0
    first, second, third, fourth = map(json.loads, done.stdout.splitlines())
    assert first == fourth
    assert first["format"] == {"evaluate": "zygometra.evaluation"}.get(command, f"zygometra.{command}")
    assert second["faults"][0] == {"path": "format", "found": "nothing", "wanted": "this key"}
    assert "slip in the JSON" in third["faults"][0]["found"]


def test_next_and_causes_print_what_the_contract_says(tmp_path):
    file = tmp_path / "plough.json"
    file.write_text(json.dumps(demo("snow-plough")))
    advice = json.loads(ask("next", str(file)).stdout)
    assert set(advice["readings"][0]) >= {"figure", "share", "u_now", "u_after", "minutes"}
    (cause,) = json.loads(ask("causes", str(file)).stdout)["causes"]
    assert (cause["kind"], cause["about"], cause["cylinders"]) == ("swap", "compression_height", [1, 3])
    assert set(cause["decided_by"]) == {"figure", "cylinder"}
    assert 0 < cause["explains"] <= 1
    broken = copy.deepcopy(demo("snow-plough"))
    broken["readings"][0]["cylinder"] = 77
    file.write_text(json.dumps(broken))
    refused = ask("causes", str(file))
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "readings[0].cylinder" in refused.stderr
