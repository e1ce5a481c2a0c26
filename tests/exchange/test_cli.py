"""The command line: what it prints, where it complains, how it exits."""

from __future__ import annotations

import io
import json
import subprocess
import sys

import pytest

from support.cases import DEMO, vector
from zygometra.cli import main


@pytest.fixture
def file(tmp_path):
    def write(document, name="build.json"):
        path = tmp_path / name
        path.write_text(document if isinstance(document, str) else json.dumps(document))
        return str(path)

    return write


def test_evaluate_prints_the_contract(capsys, file):
    case = vector("tarnbeck-mocked-up-and-cut")
    assert main(["evaluate", file(case["build"])]) == 0
    printed = json.loads(capsys.readouterr().out)
    assert (printed["format"], printed["version"]) == ("zygometra.evaluation", 1)
    hole = printed["planned"]["cylinders"][3]
    assert hole["compression_ratio"] == pytest.approx(
        case["expect"]["planned"]["cylinders"][3]["compression_ratio"], rel=1e-9
    )
    assert set(hole["u"]) >= {"deck_clearance_mm", "quench_mm", "clearance_cc", "compression_ratio"}
    assert {"severity", "code", "where", "says"} <= set(printed["findings"][0])


def test_without_a_plan_both_states_are_the_same(capsys, file):
    main(["evaluate", file(vector("tarnbeck-plain")["build"])])
    printed = json.loads(capsys.readouterr().out)
    assert printed["planned"] == printed["now"]


def test_an_impossible_hole_is_null_with_a_stop(capsys, file):
    document = vector("pellam-single-proud")["build"]
    document["parts"]["piston"]["crown_volume"] = "-80 cc"
    assert main(["evaluate", file(document)]) == 0
    printed = json.loads(capsys.readouterr().out)
    hole = printed["now"]["cylinders"][0]
    assert hole["compression_ratio"] is hole["clearance_cc"] is hole["u"]["compression_ratio"] is None
    assert printed["findings"][0]["code"] == "clearance-volume-impossible"


def test_a_faulty_file_is_one_line_a_fault_and_nothing_printed(capsys, file):
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["block"]["bore"] = -3
    document["extra"] = 1
    assert main(["evaluate", file(document)]) == 2
    out, err = capsys.readouterr()
    assert out == ""
    assert sorted(line.split(":")[0] for line in err.splitlines()) == ["extra", "parts.block.bore"]
    assert "found -3 mm; wanted 5 to 1500 mm" in err


@pytest.mark.parametrize(
    ("text", "says"), [("", "empty file"), ('{"format": 1', "breaks off"), ("[]", "a list")]
)
def test_what_is_no_document_exits_with_two(capsys, file, text, says):
    assert main(["evaluate", file(text)]) == 2
    out, err = capsys.readouterr()
    assert out == ""
    assert says in err


def test_a_file_that_is_not_there(capsys, tmp_path):
    assert main(["evaluate", str(tmp_path / "none.json")]) == 2
    assert "no such file or directory" in capsys.readouterr().err


def test_a_cut_past_the_end_of_its_chamber_is_null_and_a_stop(capsys, file):
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["head"]["step_fills"] = [{"depth": 0, "below": 52}, {"depth": 1, "below": 48}]
    document["planned"] = [{"op": "head_cut", "amount": "2 mm"}]
    assert main(["evaluate", file(document)]) == 0
    printed = json.loads(capsys.readouterr().out)
    assert [c["compression_ratio"] for c in printed["planned"]["cylinders"]] == [None] * 4
    assert [c["u"]["clearance_cc"] for c in printed["planned"]["cylinders"]] == [None] * 4
    assert None not in [c["compression_ratio"] for c in printed["now"]["cylinders"]]
    stop = next(f for f in printed["findings"] if f["code"] == "head-cut-past-chamber")
    assert stop["severity"] == "stop"
    assert "its deepest fill, 1.00 mm down" in stop["says"]


def test_standard_input_is_read_with_a_dash(capsys, monkeypatch):
    text = json.dumps(vector("pellam-single-proud")["build"]).encode()
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(text)))
    assert main(["evaluate", "-"]) == 0
    assert json.loads(capsys.readouterr().out)["now"]["cylinders"][0]["number"] == 1


def test_explain_prints_the_derivation(capsys, file):
    path = file(vector("tarnbeck-mocked-up-and-cut")["build"])
    assert main(["explain", path, "--cylinder", "2"]) == 0
    planned = capsys.readouterr().out
    assert "Pilot launch 2.3, hole 2, as planned" in planned
    assert "= 9.74" in planned
    assert main(["explain", path, "--cylinder", "2", "--now", "--inch"]) == 0
    now = capsys.readouterr().out
    assert "as it stands" in now
    assert "= 9.59" in now
    assert "thou" in now


def test_explain_of_a_hole_that_is_not_there(capsys, file):
    assert main(["explain", file(vector("pellam-single-proud")["build"]), "--cylinder", "5"]) == 2
    assert "found 5; wanted one of 1" in capsys.readouterr().err


def test_the_schema_is_json(capsys):
    assert main(["schema"]) == 0
    assert json.loads(capsys.readouterr().out)["title"] == "zygometra.build, version 1"


@pytest.mark.parametrize("file", ["pilot-launch", "mountain-rescue", "quarry-loader"])
def test_a_short_command_imports_nothing_heavy(file):
    """These files have readings, and so few degrees of freedom: their bands need Student's t."""
    heavy = ("scipy", "numpy", "flask", "sqlalchemy", "weasyprint")
    code = (
        "import sys; from zygometra.cli import main; assert main(['evaluate', sys.argv[1]]) == 0;"
        f"print([m for m in {heavy} if m in sys.modules], file=sys.stderr)"
    )
    path = DEMO / f"{file}.json"
    done = subprocess.run([sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=True)
    assert done.stderr.splitlines()[-1] == "[]"
