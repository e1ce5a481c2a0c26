"""The checked logbooks: every value to 1e-9, u, degrees of freedom and bands to 1e-6 relative."""

from __future__ import annotations

import pytest

from support.cases import VECTORS, vector
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.evaluation_file import evaluation_document

NAMES = sorted(path.stem for path in VECTORS.glob("logbook-*.json"))


def test_the_three_logbooks_are_here():
    assert len(NAMES) == 3


@pytest.mark.parametrize("name", NAMES)
def test_every_number_of_a_checked_logbook(name):
    case = vector(name)
    document = evaluation_document(evaluate(read_measured(case["build"])), ())
    checked = 0
    for what in ("cylinders", "pairs"):
        for found, expected in zip(document["now"][what], case["expect"]["now"][what], strict=True):
            for key, wanted in expected.items():
                if isinstance(wanted, dict):
                    for result, value in wanted.items():
                        assert found[key][result] == pytest.approx(value, rel=1e-6, abs=1e-12), (key, result)
                        checked += 1
                elif isinstance(wanted, float):
                    assert found[key] == pytest.approx(wanted, rel=1e-9), key
                else:
                    assert found[key] == wanted
    # Four results with four figures each in four holes, three with three in six pairs, and the values.
    assert checked == 4 * 4 * 4 + 6 * 3 * 3
