"""Whatever is sent, every address answers in words: no route ends in a fault of ours."""

from __future__ import annotations

import io
import json
from urllib.parse import quote

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from support.page import seen
from support.shelves import KEY

NASTY = [
    "",
    "0",
    "-1",
    "1e309",
    "nan",
    "²",
    "99999999999999999999",
    "'; DROP TABLE build;--",
    "<script>alert(1)</script>",
    "{{ 7*7 }}",
    "../../etc/passwd",
    "[[[],1]]",
    "[" * 3000,
    "ü漢\u202e",
    "%00",
    "a" * 5000,
]
TEXTS = st.one_of(st.sampled_from(NASTY), st.text(max_size=30), st.integers(-(10**20), 10**20).map(str))
# What a route's address is filled with, by the name of the part: the build and parts that are there.
GOOD = {
    "build_id": "1",
    "kind": "rod",
    "code": "rod-0",
    "name": "css/all.css",
    "mark": "x",
    "key": "photo-1",
    "bank": "A",
    "op": "deck_cut",
    "pieces_op": "crown_cut",
    "drawn_as": "svg",
    "token": "x",
}
FIELDS = {
    "stack.what_if": [
        "hole",
        "plan",
        "nudge",
        "deck_cut",
        "gasket",
        "scope",
        "solve",
        "lever",
        "result",
        "wanted",
    ],
    "stack.page": ["hole", "plan"],
    "stack.show_working": ["hole", "plan", "result", "state"],
    "figures.form": ["at", "back"],
    "sheet.page": ["reference"],
    "sheet.pdf": ["reference"],
    "floor.page": ["q", "stage"],
    "shelf.page": ["kind", "q", "state", "page"],
    "mix.page": [
        "block",
        "quench-min",
        "compression_ratio-max",
        "at",
        "pins",
        "across",
        "up",
        "use-rod",
        "machining",
    ],
    "mix.answer": ["block", "at", "pins", "quench-aim", "priority"],
    "mix.exact_count": ["block", "quench-min"],
    "mix.why_not_this": ["block", "kind", "code"],
    "mix.show_basket": ["block", "at"],
    "mix.basket_csv": ["block", "at"],
    "mix.choose_build": ["block", "at"],
    "shop.who": ["next"],
    "measure.page": [],
    "measure.place": ["place"],
    "measure.read": ["figure", "place", "gauge", "unit", "way", "zero", "on", "axis", "then", "temperature"],
    "mockup.page": [],
    "mockup.tag_page": [],
    "decks.page": ["bank"],
    "decks.sent": [],
    "heads.page": ["bank", "held", "mode", "volume", "within", "low", "high", "swap"],
    "work.page": [],
    "cutlog.face": ["sheet"],
    "cutlog.before": ["depth"],
    "cutlog.before_piece": ["cylinder", "depth", "number"],
    "gauges.page": [],
    "gauges.stream": ["build", "figure", "place"],
}
POSTED = {
    "stack.keep": ["plan", "version", "hole"],
    "figures.save": ["at", "version", "value", "readings", "u", "plus_minus", "basis", "spread", "back"],
    "aim.save": [
        "version",
        "name",
        "quench.min",
        "compression_ratio.aim",
        "limit.deck_cut",
        "gasket.0.thickness",
        "octane",
        "scale",
        "head_material",
    ],
    "record.undo": ["version", "back"],
    "record.redo": ["version", "back"],
    "record.choose": ["leaves", "version", "says"],
    "record.stage": ["stage", "version", "back"],
    "floor.new": ["name", "layout", "holes", "angle", "copy_of", "copy_name"],
    "shop.settings": ["system", "quench", "theme"],
    "shop.house_rules": ["quench_floor.steel", "ratio_spread"],
    "shelf.part": ["version", "name", "state", "d-length", "price", "on_shelf", "reason"],
    "shelf.back": ["change", "version"],
    "shelf.take_in": ["kind", "text", "name", "good_rows", "reason", "token", "version"],
    "floor.import_file": ["token"],
    "shelf.rules": ["rules", "usual"],
    "measure.take": [
        "key",
        "at",
        "figure",
        "place",
        "value",
        "side",
        "unit",
        "way",
        "gauge",
        "zero",
        "temperature",
        "size",
        "depth",
        "sure",
    ],
    "measure.zero": ["key", "do", "zero", "after", "place", "unit", "gauge"],
    "measure.void": ["reading", "why", "back"],
    "measure.found": ["key", "what", "place", "where", "consequence"],
    "cutlog.set_up": [
        "key",
        "machine",
        "shop",
        "moved",
        "reference",
        "aim",
        "spring",
        "limit",
        "sweep.0",
        "sweep.3",
        "along",
        "rigid",
        "sure",
    ],
    "cutlog.made": ["key", "number", "depth", "kind", "feed", "speed", "says", "zone.intake 1", "sure", "at"],
    "cutlog.piece": ["key", "cylinder", "number", "depth", "stopped", "finished.0", "finished.1", "sure"],
    "cutlog.read": ["key", "figure", "cylinder", "value", "gauge", "sure"],
    "agreement.agree": ["key", "party", "name", "way", "seen"],
    "agreement.ask": ["key", "text", "ask", "option.0", "cost.0", "days.0", "rests.0", "fallback", "until"],
    "agreement.answer": ["key", "question", "option", "who", "says"],
    "verify.sign": ["key", "seen", "reason"],
    "verify.remember": ["key", "cut"],
    "work.accept": ["key", "gate", "cut", "back", "reason"],
    "work.done": ["key", "step", "place", "on", "says"],
    "sheet.release": ["key", "cut", "about", "reason"],
    "plan.keep": ["version", "planned"],
    "plan.assembled": ["version", "assembled"],
    "plan.save_levers": [
        "version",
        "use.deck_cut",
        "levers.deck_cut.max",
        "use.bowl",
        "levers.bowl.step",
        "levers.bowl.needs",
        "levers.gasket_needs",
        "set_up.0.name",
        "set_up.0.cost",
        "planning.least_yield",
    ],
    "plan.save_parts": ["version", "parts[0].price", "parts[0].needs", "off.0", "take.piston.P"],
    "mockup.settle": ["version", "sets", "between", "span"],
    "mockup.plan": ["version"],
    "decks.settle": ["version", "gasket_kind", "set_up", "target", "allowance", "height", "span_along"],
    "decks.survey": ["key", "bank", "gauge", "says", "x.0", "y.0", "z.0.0", "z.0.1", "z.1.0"],
    "decks.probe": ["key", "file"],
    "decks.simulate": ["key", "bank"],
    "decks.plan": ["version"],
    "heads.settle": ["version", "gear", "so_far"],
    "heads.survey": ["key", "bank", "held", "gauge", "x.0", "y.0", "z.0.0", "z.2.4"],
    "heads.plan": ["version", "mode", "volume", "within", "low", "high", "swap"],
    "measure.photo": ["key", "fact", "file"],
    "measure.take_table": ["file", "token"],
    "gauges.save": ["name", "kind", "resolution", "u", "feel", "read_with", "material"],
    "gauges.note": ["key", "what", "on", "why", "off"],
    "mix.take": ["block", "at", "into", "name"],
    "mix.order": ["block", "at", "reason", "sign"],
}


# What fails is told as it was drawn: making it smaller would ask every page again and again.
DRAWN = settings(
    max_examples=2,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
)


def routes(app, method):
    """Every address for a method but the assets', with its parts filled in."""
    for rule in app.url_map.iter_rules():
        if method in rule.methods and not rule.endpoint.startswith("assets"):
            with app.test_request_context("/"):
                values = {name: GOOD[name] for name in rule.arguments}
                built = rule.build(values)
            yield rule.endpoint, built[1]


@pytest.fixture
def filled(app, shop, bring, stocked):
    """A shop with a build and a shelf."""
    bring("pilot-launch")
    return shop


def test_every_address_is_drawn_somewhere(app):
    gets = {endpoint for endpoint, _ in routes(app, "GET")}
    posts = {endpoint for endpoint, _ in routes(app, "POST")}
    assert len(gets) > 25
    assert len(posts) > 12
    assert set(FIELDS) <= gets
    assert set(POSTED) <= posts


def test_every_page_answers_as_it_is(app, filled):
    for endpoint, address in routes(app, "GET"):
        response = filled.get(address)
        assert response.status_code in (200, 302, 404), (endpoint, response.status_code)


@DRAWN
@given(st.data())
def test_no_query_brings_a_page_down(app, filled, data):
    for endpoint, address in routes(app, "GET"):
        query = {name: data.draw(TEXTS, label=f"{endpoint} {name}") for name in FIELDS.get(endpoint, ())}
        headers = data.draw(st.sampled_from([{}, {"HX-Request": "true"}]))
        response = filled.client.get(address, query_string=query, headers=headers)
        assert response.status_code < 500, (endpoint, query)


@DRAWN
@given(st.data())
def test_no_form_brings_a_page_down(app, filled, data):
    for endpoint, address in routes(app, "POST"):
        if endpoint == "shop.leave_bench":
            continue  # Whoever left cannot send the next form; sessions have their own tests.
        names = POSTED.get(endpoint, ["version", "reason", "person", "next"])
        form = {name: data.draw(TEXTS, label=f"{endpoint} {name}") for name in names}
        response = filled.post(address, form)
        assert response.status_code < 500, (endpoint, form)
        if response.status_code == 302:
            assert response.location.startswith("/"), (endpoint, response.location)


@pytest.mark.parametrize(
    "address",
    ["/builds/{}/stack", "/builds/1/{}", "/shelf/{}/x", "/shelf/rod/{}", "/shelf/tables/{}.csv", "/{}"],
)
def test_no_part_of_an_address_brings_a_page_down(filled, address):
    for nasty in NASTY:
        assert filled.get(address.format(quote(nasty, safe=""))).status_code < 500, nasty


def test_what_was_typed_never_becomes_markup(filled):
    for address in ("/?q=", "/shelf?kind=rod&q=", "/mix?block=B1&use-rod=", "/mix?block="):
        for nasty in NASTY:
            response = filled.get(address + quote(nasty, safe=""))
            assert response.status_code in (200, 404), (address, nasty)
            assert "<script>alert(1)" not in response.get_data(as_text=True)
            assert not seen(response).all(tag="iframe")


@pytest.mark.parametrize(
    ("content", "name"),
    [
        (b"", "empty.json"),
        (b"\x00" * 100, "zeros.json"),
        (b"\xff\xd8\xff\xe0", "picture.json"),
        (b"[" * 100_000, "deep.json"),
        (b'{"a":' * 5_000, "deeper.json"),
        (
            json.dumps({"format": "zygometra.build", "version": 1, "name": "x" * 100_000}).encode(),
            "long.json",
        ),
        (
            json.dumps(
                {"format": "zygometra.build", "version": 1, "name": "x", "cylinders": {"1": []}}
            ).encode(),
            "odd.json",
        ),
        (b'{"format":"zygometra.build","version":NaN}', "nan.json"),
        (b"{}", "../../../x.json"),
        (b"{}", "<b>.json"),
    ],
)
def test_a_hostile_file_is_refused_in_words(filled, content, name):
    response = filled.post(
        "/builds/import", {"file": (io.BytesIO(content), name)}, content_type="multipart/form-data"
    )
    assert response.status_code in (413, 422)
    page = seen(response).text
    assert "ound" in page
    assert "Traceback" not in page


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"\x00\x01\x02",
        b"code\n" + b"a,b,c\n" * 50,
        b'code,length\n"unclosed,1 mm\n',
        b"code,length\nR1,1e309 mm\n",
        b"code,length\n=cmd(),148 mm\n",
        b"code,length\nR1,148 mm\nR1,149 mm\n",
        "länge;code\n1;2\n".encode("latin-1"),
        b"code,length\n" + b"x" * 100_000 + b",148 mm\n",
    ],
)
def test_a_hostile_table_is_refused_in_words(filled, content):
    response = filled.post(
        "/shelf/take-in",
        {"kind": "rod", "file": (io.BytesIO(content), "rods.csv")},
        content_type="multipart/form-data",
    )
    assert response.status_code == 422
    assert "Traceback" not in seen(response).text


def test_a_recipe_that_names_parts_in_the_wrong_order_is_none(filled):
    wrong = "~".join(reversed(KEY.split("~")))
    for address in (f"/mix/basket?block=B1&at={wrong}", f"/mix/basket.csv?block=B1&at={wrong}"):
        assert filled.get(address).status_code == 404
