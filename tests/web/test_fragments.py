"""The parts that are written straight: their words are escaped, their links lead to the right place."""

from __future__ import annotations

import re

import pytest
from markupsafe import Markup

from zygometra.core.fields import FIELD
from zygometra.core.findings.said import Finding
from zygometra.core.place import Place
from zygometra.core.quantity import read_field
from zygometra.core.wording import Reader
from zygometra.web.build import fragments
from zygometra.web.forms.figure import doubt_words, figure_of, form_of
from zygometra.web.forms.read import bare_unit_of

NASTY = '<b title="x">\'&'


def finding(where, severity="warn", says="Said."):
    return Finding(
        severity=severity, code="sample", where=Place.parse(where), says=says, why="Why.", do="Do."
    )


@pytest.mark.parametrize(
    ("where", "link"),
    [
        ("cylinders.3", "/builds/7/stack?hole=3"),
        ("cylinders.2,5", "/builds/7/stack?hole=2"),
        ("parts.head.chamber_volume", "/builds/7/figures"),
        ("banks.left", "/builds/7/figures"),
        ("school", "/builds/7/aim"),
        ("engine.displacement", "/builds/7/aim"),
    ],
)
def test_a_finding_leads_to_where_it_is_mended(where, link):
    assert f'href="{link}"' in fragments.findings_list([finding(where)], 7)


def test_a_finding_without_a_place_or_a_build_has_no_link():
    assert "href" not in fragments.findings_list([finding("planned")], 7)
    assert "href" not in fragments.findings_list([finding("cylinders.1")], None)


@pytest.mark.parametrize(("severity", "word"), [("stop", "Stop"), ("warn", "Check"), ("note", "Note")])
def test_each_severity_has_a_word_and_a_shape(severity, word):
    html = fragments.findings_list([finding("planned", severity)], None)
    assert f"</svg>{word}</span>" in html
    others = {fragments.findings_list([finding("planned", s)], None) for s in ("stop", "warn", "note")}
    assert len({re.search(r"<svg.*?</svg>", other).group() for other in others}) == 3


def test_whatever_people_typed_is_only_text():
    rows = [
        fragments.findings_list([finding("planned", says=NASTY)], None),
        fragments.carried(NASTY, 1),
        fragments.keep_slot(1, {"plan": NASTY, "hole": 1}, [NASTY]),
        fragments.echo("deck_cut", NASTY, ""),
        fragments.refusal(NASTY),
        fragments.stations_list(
            [fragments.Stop(key="a", label=NASTY, href="#", letter="a", state="done", says=NASTY)], "a"
        ),
    ]
    for html in rows:
        assert isinstance(html, Markup)
        assert NASTY not in html
        assert "<b " not in html
        assert "&lt;b" in html


def test_a_row_says_where_it_lies_outside_its_window():
    inside = fragments.ReckoningRow(
        number=1, band="<svg></svg>", now="9.50", planned="9.75", mark="", says=""
    )
    outside = fragments.ReckoningRow(
        number=2, band="<svg></svg>", now="9.50", planned="9.10", mark="▼", says="below the window"
    )
    html = fragments.reckoning_rows([inside, outside], "compression_ratio", 1)
    assert html.count("chosen") == 1
    assert 'aria-label="9.75: show the working"' in html
    assert 'aria-label="9.10, below the window: show the working"' in html
    assert html.index("▼") > html.index('data-of="2"')


def test_without_a_plan_a_row_shows_one_figure():
    html = fragments.reckoning_rows(
        [fragments.ReckoningRow(number=1, band="", now="9.50", planned="", mark="", says="")],
        "compression_ratio",
        1,
    )
    assert '<td class="was"></td>' in html
    assert ">9.50</button>" in html


def test_a_refused_lever_hides_the_other_systems_figure():
    assert "7.1 thou" in fragments.echo("deck_cut", "", "7.1 thou")
    assert "7.1 thou" not in fragments.echo("deck_cut", "Found x.", "7.1 thou")
    assert 'hx-swap-oob="true"' in fragments.echo("deck_cut", "", "", out_of_band=True)


@pytest.mark.parametrize(
    ("field", "system", "symbol"),
    [
        ("block.deck_height", "mm", "mm"),
        ("block.deck_height", "inch", "in"),
        ("gasket.thickness", "inch", "thou"),
        ("mock-up.deck_clearance", "inch", "thou"),
        ("head.chamber_volume", "inch", "cc"),
        ("cam.intake_closes", "mm", "deg"),
    ],
)
def test_what_a_bare_number_means(field, system, symbol):
    assert bare_unit_of(FIELD[field], Reader(system)).symbol == symbol


@pytest.mark.parametrize(
    "raw",
    [
        "3.4646 in",
        "9-1/4 in",
        {"value": 225.4, "unit": "mm", "basis": "catalogue", "plus_minus": 0.05},
        {
            "readings": [0.21, 0.23],
            "unit": "mm",
            "basis": "mock-up",
            "resolution": 0.01,
            "gauge_u": "0.2 thou",
        },
        {"value": 148, "unit": "mm", "basis": "measured", "u": 0.004, "each": True},
        {"value": 3.625, "x-typed": "3-5/8 in", "unit": "in", "basis": "catalogue"},
    ],
)
def test_a_form_that_is_not_touched_gives_the_figure_back(raw):
    field = (
        FIELD["mock-up.deck_clearance"]
        if isinstance(raw, dict) and "readings" in raw
        else FIELD["rod.length"]
    )
    form = form_of(read_field(raw, field))
    assert figure_of(form, field, Reader()) == raw


def test_doubt_is_said_by_where_it_comes_from():
    field = FIELD["block.deck_height"]
    cases = {
        "u 0.029 mm from its tolerance": {"value": 225.4, "plus_minus": 0.05},
        "u 0.012 mm": {"value": 225.4, "u": 0.012},
        "house default": 225.4,
        "from 3 readings": {"readings": [225.4, 225.41, 225.39]},
    }
    for words, raw in cases.items():
        assert words in doubt_words(read_field(raw, field), Reader())
    assert doubt_words(read_field(225.4, field, "zero"), Reader()) == "none stated"
