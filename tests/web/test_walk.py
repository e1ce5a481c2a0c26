"""A walk over every page and file of a build: no "nan", no path, no minus nought, no more digits than anybody has."""

from __future__ import annotations

import json
import re

import pytest
from hypothesis import HealthCheck, Phase, assume, given, settings
from hypothesis import strategies as st

from support.half_cut import engines_of_any_kind, logs
from support.strategies import documents, partial_documents
from zygometra.core.errors import BuildFaults
from zygometra.exchange.build_file import check

PAGES = (
    "aim",
    "figures",
    "measure",
    "measure/mock-up",
    "measure/decks",
    "measure/heads",
    "measure/steps",
    "measure/read",
    "stack",
    "working",
    "plans",
    "sheet",
    "cut-log",
    "cut-log/set/crown_cut",
    "cut-log/set/rods",
    "agreement",
    "verify",
    "build-sheet",
    "record",
)
FACES = ("sheet/deck_cut/{}", "sheet/head_cut/{}", "cut-log/deck_cut/{}", "cut-log/head_cut/{}")
# A number that nobody has, a path of a file, a minus before nought.
NO_NUMBER = re.compile(r"\b(?:nan|inf|NaN|Infinity|None)\b|−\s*—")
PATH = re.compile(
    r"\b(?:parts|banks|cylinders|targets|levers|facing|planned|valve_gear|piston|block|head|gasket|engine|stated)\."
    r"[a-z_]{3,}"
)
MINUS_NOUGHT = re.compile(r"(?<![\w.)–-])[−-]0(?:[.,]0+)?(?![\d.,\w-])")
# Beyond a thousandth of a millimetre or a hundredth of a thou nobody sets and nothing is read; beside its limit
# a figure may have the digits that tell the two apart.
DIGITS = {
    "mm": re.compile(r"\d+\.\d{5,} mm\b"),
    "thou": re.compile(r"\d+\.\d{4,} thou\b"),
    "in": re.compile(r"\d+\.\d{7,} in\b"),
    "cc": re.compile(r"\d+\.\d{4,} cc\b"),
}


def wrong_in(text, typed=""):
    """What of a page's text nobody should be shown; a figure may stand as it was typed."""
    found = [*NO_NUMBER.findall(text), *PATH.findall(text)]
    found += [text[max(one.start() - 30, 0) : one.end() + 10] for one in MINUS_NOUGHT.finditer(text)]
    for pattern in DIGITS.values():
        found += [one for one in pattern.findall(text) if one.partition(" ")[0] not in typed]
    return found


def walk(shop, build, document):
    """Look at every page of a build in both units."""
    banks = [bank["name"] for bank in document["engine"]["banks"]]
    pages = [*PAGES, *(face.format(name) for face in FACES for name in banks)]
    wrong, typed = [], json.dumps(document)
    for system in ("mm", "inch"):
        shop.prefer(system=system)
        for page in pages:
            answer = shop.get(f"/builds/{build}/{page}")
            if answer.status_code in (302, 404):
                continue
            assert answer.status_code == 200, (page, answer.status_code)
            shown = shop.text(f"/builds/{build}/{page}")
            wrong += [(system, page, one) for one in wrong_in(shown, typed)]
    for name in ("build.json", "evaluation.json"):
        answer = shop.get(f"/builds/{build}/{name}")
        if answer.status_code == 200:
            # A strict reader takes it: no NaN, no infinity.
            json.loads(answer.get_data(), parse_constant=lambda word, name=name: wrong.append((name, word)))
    table = shop.get(f"/builds/{build}/measure/logbook.csv").get_data(as_text=True)
    # A table of readings is for a program: its numbers are whole, and its columns names.
    wrong += [("logbook.csv", one) for one in NO_NUMBER.findall(table)]
    return sorted(set(wrong))


@pytest.mark.parametrize(
    "name",
    [
        "timber-hauler",
        "canal-barge",
        "granary-hoist",
        "hill-climb",
        "pilot-launch",
    ],
)
def test_no_page_of_the_demo_shows_what_nobody_should_see(shop, bring, name):
    from support.cases import demo

    assert walk(shop, bring(name, "measuring"), demo(name)) == []


@settings(
    max_examples=3,
    deadline=None,
    phases=[Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(
    document=st.one_of(
        documents(), partial_documents(), engines_of_any_kind(), logs().map(lambda two: two[0])
    )
)
def test_no_page_of_a_drawn_build_shows_what_nobody_should_see(shop, bring, document):
    # As somebody would type it.
    document = json.loads(json.dumps(document), parse_float=lambda text: round(float(text), 2))
    try:
        check(json.loads(json.dumps(document)))
    except BuildFaults:
        assume(False)  # noqa: FBT003 - rounded it is none
    assert walk(shop, bring(document), document) == []


def little(piston, **more):
    """A build of which little is told."""
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "little told",
        "engine": {"layout": "inline", "banks": [{"name": "A", "cylinders": [1, 2]}]},
        "parts": {
            "block": {"deck_height": "210 mm", "bore": "90 mm"},
            "crank": {"stroke": "80 mm"},
            "rod": {"length": "135 mm"},
            "piston": {"compression_height": "34.5 mm", **piston},
            "gasket": {"thickness": "1.2 mm"},
            "head": {"chamber_volume": "45 cc", "opening_area": 4200},
        },
        **more,
    }


def faced(depth):
    return [{"id": f"c{n}", "op": "crown_cut", "cylinder": n, "number": 1, "depth": depth} for n in (1, 2)]


DISHED = {"crown_volume": "16 cc", "above_rim": 0}
DOMED = {"crown_volume": "-4 cc", "above_rim": "1.5 mm", "above_rim_area": 3000}
CUT = [{"op": "crown_cut", "amount": "0.8 mm"}]
ON_TOP = [
    {
        "id": f"r{n}{on}",
        "figure": "deck_clearance",
        "cylinder": n,
        "value": value,
        "on": on,
        "at": f"2026-05-0{n}T09:00:00Z",
    }
    for n in (1, 2)
    for on, value in (("dome", "-1.0 mm"), ("pad", "0.3 mm"))
]
CROWN_LEVER = {"crown_cut": {"max": "1 mm"}, "deck_cut": {"max": "0.3 mm"}}
LITTLE = {
    "untold, planned": little(DISHED, planned=CUT),
    "untold, begun": little(DISHED, planned=CUT, passes=faced(0.3)),
    "untold, done": little(DISHED, planned=CUT, passes=faced(0.8)),
    "untold, asked of the planner": little(
        DISHED, levers=CROWN_LEVER, targets={"compression_ratio": {"min": 7, "max": 7.6}}
    ),
    "opening told": little(DISHED | {"dish_area": 3000}, planned=CUT, passes=faced(0.3)),
    "domed, read on top": little(DOMED, planned=CUT, readings=ON_TOP),
    "domed, begun": little(DOMED, planned=CUT, readings=ON_TOP, passes=faced(0.3)),
    "no bore": {
        **little(DISHED),
        "parts": {
            "block": {"swept_volume": "500 cc"},
            "piston": {"crown_volume": "4 cc"},
            "gasket": {"volume": "8 cc", "thickness": "1 mm"},
            "head": {"chamber_volume": "45 cc"},
        },
        "cylinders": {"1": {"deck_clearance": 0}, "2": {"deck_clearance": "0.1 mm"}},
    },
    "a fuel": little(DISHED, fuel={"octane": 91, "scale": "AKI"}),
    "a bare octane": little(DISHED, fuel={"octane": 91}),
}


@pytest.mark.parametrize("name", sorted(LITTLE))
def test_no_page_of_a_build_of_which_little_is_told_shows_what_nobody_should_see(shop, bring, name):
    document = json.loads(json.dumps(LITTLE[name]))
    assert walk(shop, bring(document), document) == []


def test_the_walk_finds_what_it_looks_for():
    for text in (
        "47.00000 mm",
        "0.0000 thou proud",
        "−0.00 mm",
        "−0 thou",
        "see parts.block.bore",
        "nan cc",
        "− —",
        "not stated: what there is (piston.crown_thickness)",
        "8.1234567 in",
    ):
        assert wrong_in(text), text
    for text in (
        "0.001 mm",
        "12.25 thou",
        "level with the deck",
        "−0.05 cc",
        "1.5 to 3.0 µm",
        "head. The deck",
    ):
        assert wrong_in(text) == [], text
