"""Levers: a total where they act, and a plan rewritten only there."""

from __future__ import annotations

import pytest

from support.cases import demo, vector
from zygometra.core.build.document import operation_document, read_document
from zygometra.core.build.levers import limit_of, set_lever, setting
from zygometra.core.build.model import Gasket, Operation
from zygometra.core.house_rules import rules_for
from zygometra.core.quantity import read_quantity
from zygometra.core.units import Kind


@pytest.fixture
def vee():
    return read_document(vector("quillon-vee-two-banks")["build"])


def mm(text):
    return read_quantity(text, Kind.LENGTH, dimension="deck_cut", unstated="zero")


def totals(build, planned, op):
    return {n: round(setting(planned, op, b.name, n).total, 9) for b in build.banks for n in b.cylinders}


def test_a_lever_on_one_bank_leaves_the_other(vee):
    planned = set_lever(vee, vee.planned, "head_cut", mm("0.40 mm"), bank="right")
    assert set(totals(vee, planned, "head_cut").values()) == {0.25, 0.40}
    assert totals(vee, planned, "head_cut")[1] == 0.25
    assert totals(vee, planned, "deck_cut") == totals(vee, vee.planned, "deck_cut")


def test_nought_takes_the_operation_out(vee):
    planned = set_lever(vee, vee.planned, "head_cut", mm("0 mm"))
    assert set(totals(vee, planned, "head_cut").values()) == {0.0}
    assert [op.op for op in planned] == ["deck_cut", "gasket"]


def test_a_lever_on_all_banks_replaces_what_each_had(vee):
    planned = set_lever(vee, vee.planned, "deck_cut", mm("0.10 mm"))
    assert set(totals(vee, planned, "deck_cut").values()) == {0.10}
    assert sum(op.op == "deck_cut" for op in planned) == 1


def test_several_cuts_of_a_bank_become_one_total(vee):
    planned = (*vee.planned, Operation("deck_cut", "left", None, mm("0.05 mm")))
    assert setting(planned, "deck_cut", "left", 1).operations == (0, 3)
    again = set_lever(vee, planned, "deck_cut", mm("0.2 mm"), bank="left")
    assert totals(vee, again, "deck_cut")[1] == 0.2


def test_a_chamber_is_opened_in_one_hole_only(vee):
    cc = read_quantity("0.6 cc", Kind.VOLUME, dimension="open_chamber", unstated="zero")
    everywhere = set_lever(vee, (), "open_chamber", cc)
    one = read_quantity("1.0 cc", Kind.VOLUME, dimension="open_chamber", unstated="zero")
    planned = set_lever(vee, everywhere, "open_chamber", one, cylinder=3)
    assert totals(vee, planned, "open_chamber") == {**dict.fromkeys(range(1, 9), 0.6), 3: 1.0}


def test_a_gasket_is_fitted_and_taken_back(vee):
    thin = Gasket("thin", mm("0.9 mm"), None)
    planned = set_lever(vee, vee.planned, "gasket", thin, bank="left")
    assert [op.gasket.name for op in planned if op.op == "gasket" and op.acts_on("left", 1)] == ["thin"]
    back = set_lever(vee, planned, "gasket", None, bank="left")
    assert [op.bank for op in back if op.op == "gasket"] == ["right"]


def test_amounts_stay_as_typed(vee):
    planned = set_lever(vee, vee.planned, "deck_cut", mm("17 thou"), bank="left")
    assert operation_document(planned[-1]) == {"op": "deck_cut", "bank": "left", "amount": "17 thou"}


def test_the_builds_own_limit_wins_over_the_house():
    build = read_document(demo("pilot-launch"))
    rules = rules_for(build.school)
    assert limit_of(build, "deck_cut", rules) == (0.5, "build")
    assert limit_of(read_document(demo("ferry-tender")), "deck_cut", rules) == (0.75, "house")
