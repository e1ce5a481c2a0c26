"""The survey file: every option of it is answered in plain numbers, or refused by its place."""

from __future__ import annotations

import io
import json
import math
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zygometra.cli import main
from zygometra.core.errors import BuildFaults
from zygometra.exchange.survey_file import read_survey, surveyed_document

lengths = st.sampled_from([0, 12.5, "40 mm", "1.5 in", "90 thou", "2500 um", "-3,5 mm"])
heights = st.one_of(
    st.integers(200_000, 200_200).map(lambda um: um / 1000),
    st.sampled_from(
        [
            "7.874 in",
            {"value": 200.01, "u": 0.004},
            {"value": 200.0, "plus_minus": "5 um"},
            {"readings": [200, 200.01]},
        ]
    ),
)
slopes = st.fixed_dictionaries({}, optional={"along": st.floats(-2, 2), "across": st.floats(-2, 2)})
small = st.sampled_from([0, 0.02, "1 thou", {"value": 0.03, "u": 0.01}])
SURVEY = st.fixed_dictionaries(
    {
        "format": st.just("zygometra.survey"),
        "version": st.just(1),
        "face": st.sampled_from(["deck", "head"]),
        "points": st.lists(
            st.fixed_dictionaries({"x": lengths, "y": lengths}, optional={"z": heights}),
            min_size=1,
            max_size=9,
        ),
    },
    optional={
        "name": st.just("left"),
        "unstated_doubt": st.sampled_from(["house", "zero"]),
        "corners": st.dictionaries(
            st.sampled_from(["a", "b", "c", "d", "x-note"]),
            st.lists(lengths, min_size=2, max_size=2),
            max_size=4,
        ),
        "cylinders": st.lists(
            st.fixed_dictionaries({"number": st.integers(1, 4), "x": lengths, "y": lengths}), max_size=3
        ),
        "drawing_height": heights,
        "support_span": st.fixed_dictionaries(
            {}, optional={"along": st.just(480), "across": st.just("7 in")}
        ),
        "set_up": st.sampled_from(["crank centreline", "pan rail"]),
        "rail_slope": slopes,
        "target": st.one_of(
            st.fixed_dictionaries({"clean": st.fixed_dictionaries({}, optional={"allowance": small})}),
            st.fixed_dictionaries({"height": heights}),
            st.just({}),
        ),
        "limit": st.fixed_dictionaries({"least_height": heights}),
        "flatness_limit": small,
        "flatness_150_limit": small,
        "passes": st.lists(
            st.fixed_dictionaries(
                {"depth": small}, optional={"touched": st.lists(st.integers(0, 9), max_size=3)}
            ),
            max_size=2,
        ),
        "x-own": st.just({"anything": True}),
    },
)


def finite(node: Any) -> bool:
    if isinstance(node, dict):
        return all(map(finite, node.values()))
    if isinstance(node, list):
        return all(map(finite, node))
    return not isinstance(node, float) or math.isfinite(node)


@given(SURVEY)
@settings(max_examples=150, deadline=None)
def test_every_survey_is_answered_in_plain_numbers_or_refused_by_its_place(document: dict[str, Any]) -> None:
    faults, found = [], {}
    try:
        found = surveyed_document(read_survey(json.dumps(document)))
    except BuildFaults as error:
        faults = error.faults
    assert all(fault.path and fault.found and fault.wanted for fault in faults)
    assert bool(faults) != bool(found)
    if faults:
        return
    assert finite(found)
    assert found["forecast"] is None or any(one["depth"] for one in document.get("passes") or ())
    if found["plane"] is None:
        assert any("z" not in point for point in document["points"])
        assert {found[key] for key in ("flatness_mm", "held_by", "verdict", "cut", "certificate_mm")} == {
            None
        }
        return
    assert len(found["plane"]["residuals_mm"]) == len(document["points"])
    assert found["cut"]["most_mm"] >= found["cut"]["least_mm"]
    assert (
        found["flatness_mm"]
        <= max(found["plane"]["residuals_mm"]) - min(found["plane"]["residuals_mm"]) + 1e-9
    )
    assert set(found["held_by"]) <= set(range(len(document["points"])))
    stops = {one["code"] for one in found["findings"] if one["severity"] == "stop"}
    assert (found["cut"]["least_mm"] < -1e-9) == ("face-not-reached" in stops)


def plain(**change: Any) -> dict[str, Any]:
    points = [{"x": x, "y": y, "z": 200.0 + x * y / 1e6} for x in (0, 400) for y in (-60, 60)]
    return {
        "format": "zygometra.survey",
        "version": 1,
        "face": "deck",
        "points": points,
        "set_up": "pan rail",
    } | change


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"version": 2}, "version: found 2"),
        ({"face": "crown"}, "face: found 'crown'; wanted deck or head"),
        ({"points": []}, "points: found 0 entries"),
        ({"points": plain()["points"][:2]}, "points: found 2 of them; wanted at least three"),
        ({"points": [{"x": i, "y": 5, "z": 1} for i in range(4)]}, "points: found points in one line"),
        (
            {"points": [*plain()["points"], {"x": 1, "y": 1}]},
            r"points\[4\].z: found nothing; wanted a height",
        ),
        ({"points": [*plain()["points"], {"x": 1, "y": 1, "z": "wet"}]}, r"points\[4\].z: found"),
        ({"points": [*plain()["points"], {"x": True, "y": 1, "z": 1}]}, r"points\[4\].x"),
        (
            {"cylinders": [{"number": 1, "x": 0, "y": 0}] * 2},
            r"cylinders\[1\].number: found cylinder 1 twice",
        ),
        ({"corners": {"a": [1]}}, "corners.a"),
        ({"target": {"clean": {}, "height": 199}}, "target: found clean and height"),
        ({"target": {"clean": {"allowance": -0.1}}}, "target.clean.allowance"),
        ({"rail_slope": {"along": "steep"}}, "rail_slope.along"),
        ({"set_up": "by eye"}, "set_up: found 'by eye'"),
        ({"passes": [{"depth": 0.05, "touched": [4]}]}, r"passes\[0\].touched\[0\]: found 4"),
        ({"flatness": 1}, "flatness: found the unknown key"),
        ({"flatness_limit": "2 cc"}, "flatness_limit: found cc"),
    ],
)
def test_a_fault_is_told_by_its_place(change: dict[str, Any], says: str) -> None:
    with pytest.raises(BuildFaults, match=says):
        read_survey(json.dumps(plain(**change)))


def test_a_skim_log_without_heights_has_nothing_but_its_forecast() -> None:
    points = [{"x": x, "y": 0} for x in (0, 100)]
    passes: list[dict[str, Any]] = [{"depth": 0.03, "touched": [0]}]
    found = surveyed_document(read_survey(json.dumps(plain(points=points, passes=passes))))
    assert {key for key, value in found.items() if value is None} >= {"plane", "cut", "verdict"}
    assert (
        0.03
        <= found["forecast"]["low_mm"]
        <= found["forecast"]["clean_at_mm"]
        <= found["forecast"]["high_mm"]
    )
    assert found["forecast"]["passes_left"] >= 1
    passes.append({"depth": "0.02 mm", "touched": [1]})
    clean = surveyed_document(read_survey(json.dumps(plain(points=points, passes=passes))))["forecast"]
    assert clean == {
        "clean_at_mm": pytest.approx(0.05),
        "low_mm": pytest.approx(0.05),
        "high_mm": pytest.approx(0.05),
        "passes_left": 0,
    }


def test_by_the_pan_rail_what_the_rail_is_off_stays_and_an_unread_one_is_warned_of() -> None:
    known = surveyed_document(read_survey(json.dumps(plain(rail_slope={"along": 0.1, "across": -0.2}))))
    assert known["cut"]["left_slope"] == {"along": pytest.approx(0.1), "across": pytest.approx(-0.2)}
    unknown = surveyed_document(read_survey(json.dumps(plain())))
    assert unknown["cut"]["left_slope"] == {"along": None, "across": None}
    assert ("warn", "rail-slope-unknown") in {(f["severity"], f["code"]) for f in unknown["findings"]}


def test_the_command_answers_a_file_standard_input_and_many_lines(
    tmp_path: Any, capsys: Any, monkeypatch: Any
) -> None:
    file = tmp_path / "deck.json"
    file.write_text(json.dumps(plain()))
    assert main(["survey", str(file)]) == 0
    once = json.loads(capsys.readouterr().out)
    assert once["format"] == "zygometra.surveyed"
    lines = [json.dumps(plain()), "not a survey", json.dumps(plain(face="crown"))]
    file.write_text("\n".join(lines))
    assert main(["survey", "--lines", str(file)]) == 0
    answers = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert answers[0] == once
    assert [bool(answer.get("faults")) for answer in answers] == [False, True, True]

    class Pipe:
        buffer = io.BytesIO(json.dumps(plain(points=[])).encode())

    monkeypatch.setattr("sys.stdin", Pipe)
    assert main(["survey", "-"]) == 2
    told = capsys.readouterr()
    assert told.out == ""
    assert told.err == "points: found 0 entries; wanted at least 1\n"


def test_the_page_of_the_probes_file_names_every_entry() -> None:
    import re
    from pathlib import Path

    from zygometra.exchange.probe_file import _ENTRIES

    page = (Path(__file__).parents[2] / "docs/probe-file.md").read_text()
    told = set(re.findall(r"^\| `(\w+)` \|", page, re.M))
    assert told | {"end"} == set(_ENTRIES)
