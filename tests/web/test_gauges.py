"""The register of gauges, and the stand-ins that send."""

from __future__ import annotations

import json

import pytest

from support.page import seen
from zygometra.store import gauges as register
from zygometra.web.gauges import routes

FORM = {
    "name": "depth-9",
    "kind": "depth indicator",
    "resolution": "0.01 mm",
    "u": "0.003 mm",
    "material": "steel",
}


def noted(session, name):
    session.rollback()
    return register.register(session).entries[name]


def test_a_gauge_is_registered_checked_dropped_and_retired(shop, session):
    assert shop.post("/gauges", FORM).status_code == 302
    for key, form in (
        ("a", {"what": "good", "on": "2026-05-04"}),
        ("b", {"what": "dropped", "on": "2026-05-09"}),
        ("c", {"what": "failed", "on": "2026-05-10"}),
    ):
        for _ in range(2):
            assert shop.post("/gauges/depth-9", {"key": key, **form}).status_code == 302
    entry = noted(session, "depth-9")
    assert [one["good"] for one in entry["checks"]] == [True, False]
    assert entry["mishaps"] == [{"on": "2026-05-09", "what": "dropped"}]
    assert "its last check failed" in shop.text("/gauges")
    shop.post("/gauges/depth-9", {"key": "r", "what": "retired", "why": "worn out"})
    assert "retired: worn out" in shop.text("/gauges")


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"name": ""}, "Found nothing; wanted a name"),
        ({"name": "<b>"}, "wanted a name of 1 to 40"),
        ({"resolution": "0.01"}, "without a unit"),
        ({"u": "-1 mm"}, "wanted"),
        ({"u": "0.1 cc"}, "wanted"),
        ({"repeatability": "much"}, "wanted"),
    ],
)
def test_a_faulty_gauge_is_told_beside_its_field_and_what_was_typed_stays(shop, changed, says):
    response = shop.post("/gauges", {**FORM, **changed})
    assert response.status_code == 422
    page = seen(response)
    assert says in page.text
    assert "depth indicator" in page.text


def test_registering_anew_keeps_checks(shop, session):
    shop.post("/gauges", FORM)
    shop.post("/gauges/depth-9", {"key": "a", "what": "good", "on": "2026-05-04"})
    shop.post("/gauges", {**FORM, "u": "0.005 mm"})
    entry = noted(session, "depth-9")
    assert entry["u"] == "0.005 mm"
    assert len(entry["checks"]) == 1


@pytest.mark.parametrize(
    "form", [{"what": "good", "on": ""}, {"what": "good", "on": "2026-99-01"}, {"what": "eaten"}, {}]
)
def test_a_note_that_cannot_be_is_one_sentence(shop, form):
    shop.post("/gauges", FORM)
    assert shop.post("/gauges/depth-9", {"key": "a", **form}).status_code == 422
    assert shop.post("/gauges/nobody", {"key": "a", "what": "good"}).status_code == 404


def test_a_stand_in_sends_the_same_readings_at_the_same_place(shop, session, bring, monkeypatch):
    from support.people import someone

    register.note(session, "s", "depth-2", "registered", {"x-simulated": "depth"}, actor=someone("Ada"))
    build = bring("harbour-tug")
    monkeypatch.setattr(routes, "SENDS_EVERY", 0.0)
    address = f"/streams/gauges/depth-2?build={build}&figure=deck_clearance&place="

    def heard(place):
        stream = shop.client.get(address + place, buffered=False)
        assert stream.content_type.startswith("text/event-stream")
        lines = []
        for event in stream.response:
            lines.append(json.loads(event.decode().split("data: ")[1])["value"])
            if len(lines) == 6:
                break
        stream.close()
        return lines

    one = heard("h1")
    assert one == heard("h1")
    assert one != heard("h3")
    # A piston that rocks: one side high, the other low, about what was read there already.
    low, high = ([float(v) for v in one[i::2]] for i in (0, 1))
    assert max(low) < 0.30 < min(high)
    for bad in (
        "depth-2?figure=bore&place=h1&build=1",
        "nobody?figure=bore",
        "depth-2?figure=deck_clearance&place=h77",
    ):
        assert shop.get(f"/streams/gauges/{bad}&build={build}").status_code == 404


def test_a_gauges_page_shows_what_rests_on_it(shop, session, bring):
    from support.people import someone

    build = bring("snow-plough")
    for key, kind, body in (
        ("r", "registered", {"kind": "depth indicator"}),
        ("g", "check", {"on": "2026-10-01", "good": True}),
        ("f", "check", {"on": "2026-11-20", "good": False}),
    ):
        register.note(session, key, "depth-1", kind, body, actor=someone("Ada"))
    session.commit()
    page = shop.page("/gauges/depth-1")
    assert "12 readings since its last good check" in page.text
    assert any(a.attrs.get("href") == f"/builds/{build}/measure" for a in page.all(tag="a"))


def test_what_checks_showed_is_remembered_and_stands_in_for_a_doubt_nobody_stated(shop, session):
    shop.post("/gauges", {"name": "depth-9", "kind": "depth indicator", "resolution": "0.01 mm"})
    for i, off in enumerate(("0.004 mm", "0,006", "-0.01 mm", "much")):
        sent = {"key": f"c{i}", "what": "good", "on": "2026-05-04", "off": off}
        answer = shop.post("/gauges/depth-9", sent)
        assert answer.status_code == (422 if off == "much" else 302)
    text = shop.text("/gauges/depth-9")
    assert "Tends to show" in text
    assert "3 checks" in text
    assert "this stands in for it" in text
    assert "off by -0.01 mm" in text
