"""Every number of the checked cases, to 1e-9 relative; and once more by plain arithmetic."""

from __future__ import annotations

import math

import pytest

from support.cases import VECTORS, vector
from support.plain import plain_evaluation
from zygometra.core.build.document import read_document
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.evaluation_file import evaluation_document

NAMES = sorted(path.stem for path in VECTORS.glob("*.json") if not path.stem.startswith("logbook-"))


def compare(found, expected, path="$"):
    """Walk what is expected; zero stands for anything below 1e-11 (rounding of a difference)."""
    if isinstance(expected, dict):
        for key, value in expected.items():
            compare(found[key], value, f"{path}.{key}")
    elif isinstance(expected, list):
        assert len(found) == len(expected), path
        for i, (a, b) in enumerate(zip(found, expected, strict=True)):
            compare(a, b, f"{path}[{i}]")
    elif isinstance(expected, float):
        assert math.isclose(found, expected, rel_tol=1e-9, abs_tol=1e-11), f"{path}: {found} ≠ {expected}"
    else:
        assert found == expected, path


@pytest.mark.parametrize("name", NAMES)
def test_every_number_of_a_checked_case(name):
    case = vector(name)
    build = read_document(case["build"])
    evaluation = evaluate(build)
    document = evaluation_document(evaluation, findings(build, evaluation, rules_for("")))
    compare(document, case["expect"])


def test_the_seven_cases_are_all_here():
    assert len(NAMES) == 7


@pytest.mark.parametrize("name", NAMES)
def test_the_plain_derivation_agrees(name):
    build = read_document(vector(name)["build"])
    evaluation, plain = evaluate(build), plain_evaluation(build)
    for state in ("now", "planned"):
        for hole, row in zip(getattr(evaluation, state).holes, plain[state], strict=True):
            assert hole.outcome.compression_ratio == pytest.approx(row["ratio"], rel=1e-12)
            assert hole.outcome.deck_clearance == pytest.approx(row["clearance"], abs=1e-11)
            if row["effective"] is None:
                assert hole.outcome.effective is None
            else:
                assert hole.outcome.effective == pytest.approx(row["effective"], rel=1e-12)
