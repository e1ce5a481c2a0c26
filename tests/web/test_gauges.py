"""The register of gauges, and the stand-ins that send."""

from __future__ import annotations

import json

import pytest

from support.page import seen
from zygometra.core.measuring.logbook import READABLE
from zygometra.gauges.simulated import KIND, KINDS
from zygometra.store import facts
from zygometra.store import gauges as register
from zygometra.store.history import DEMO_SHOP
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

    register.note(
        session, "s", gauge="depth-2", kind="registered", body={"x-simulated": "depth"}, actor=someone("Ada")
    )
    build = bring("harbour-tug", says=DEMO_SHOP)
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
    low, high = ([float(v.removesuffix(" mm")) for v in one[i::2]] for i in (0, 1))
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
        register.note(session, key, gauge="depth-1", kind=kind, body=body, actor=someone("Ada"))
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


# -- what is heard ---------------------------------------------------------------

HEARD = {
    (kind.key, figure, way)
    for kind in KINDS
    for figure in kind.figures
    for way in (("plain", "shots") if kind.shots else ("plain",))
}


@pytest.mark.parametrize("unit", ["mm", "thou", "in"])
@pytest.mark.parametrize("sender", sorted(HEARD), ids=" ".join)
def test_units_heard_are_units_kept(shop, session, bring, monkeypatch, sender, unit):
    """A page settled in any unit keeps what a gauge sent in the gauge's own: 0.23 mm stays 0.23 mm."""
    kind, figure, way = sender
    from support.people import someone

    register.note(
        session, "s", gauge="sender", kind="registered", body={"x-simulated": kind}, actor=someone("Ada")
    )
    build = bring("harbour-tug", "measuring", says=DEMO_SHOP)
    session.commit()
    monkeypatch.setattr(routes, "SENDS_EVERY", 0.0)
    place = "h2" if READABLE[figure].per_cylinder else "e"
    named = f"build={build}&figure={figure}&way={way}&place={place}"
    stream = shop.client.get(f"/streams/gauges/sender?{named}", buffered=False)
    sent = []
    for event in stream.response:
        sent.append(json.loads(event.decode().split("data: ")[1])["value"])
        if len(sent) == 2:
            break
    stream.close()
    form = {"key": "heard", "figure": figure, "place": place, "unit": unit, "gauge": "sender", "way": way}
    form |= {"value": sent[0], "heard": "yes", "sure": "1", "on": "rim", "axis": "pin"}
    if figure not in ("deck_clearance",):
        del form["on"], form["axis"]
    if way == "shots":
        form |= {"side": sent[1], "size": "2.5 cc"}
    answer = shop.post(f"/builds/{build}/measure/read", form, htmx=True)
    assert answer.headers.get("X-Kept") == "heard", answer.get_data(as_text=True)
    (kept,) = (one for one in facts.of_build(session, build).readings if one.id == "heard")
    assert kept.simulated
    if way == "shots":
        assert kept.value == pytest.approx(int(sent[0]) * 2.5 + float(sent[1].removesuffix(" cc")))
    else:
        number, _, sent_unit = sent[0].partition(" ")
        assert sent_unit == KIND[kind].unit
        assert kept.typed["value"] == sent[0]
        assert kept.value == pytest.approx(float(number))


def test_a_stand_in_serves_no_engine_but_those_of_the_demo(shop, session, bring):
    from support.people import someone

    register.note(
        session, "s", gauge="depth-2", kind="registered", body={"x-simulated": "depth"}, actor=someone("Ada")
    )
    demo_build, own = bring("harbour-tug", says=DEMO_SHOP), bring("harbour-tug")
    read = "measure/read?figure=deck_clearance&gauge=depth-2&unit=mm"
    assert "Let depth-2 send" in shop.text(f"/builds/{demo_build}/{read}")
    assert "Let depth-2 send" not in shop.text(f"/builds/{own}/{read}")
    stream = "/streams/gauges/depth-2?figure=deck_clearance&place=h1&build="
    assert shop.get(f"{stream}{own}").status_code == 404
    copied = shop.post("/builds/new", {"copy_of": str(demo_build), "copy_name": "My own"})
    copy = copied.headers["Location"].split("/")[2]
    assert copy not in (str(demo_build), str(own))
    assert shop.get(f"{stream}{copy}").status_code == 404
