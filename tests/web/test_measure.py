"""The measure bench: readings taken once, asked about, voided; zeros, found things, gates, photographs, tables."""

# long: one bench, from a reading to its table

from __future__ import annotations

import html
import io
import json

import pytest
from sqlalchemy import text

from support.page import seen
from zygometra.core.measuring.logbook import Reading
from zygometra.store import builds, facts, gauges, moves
from zygometra.store.facts import New

DEPTH = {"kind": "depth indicator", "resolution": "0.01 mm", "u": "0.003 mm", "repeatability": "0.004 mm"}


@pytest.fixture
def tug(bring, session):
    """An engine half measured, in a shop with a depth indicator."""
    from support.people import someone

    gauges.note(session, "g", gauge="depth-2", kind="registered", body=DEPTH, actor=someone("Ada"))
    return bring("harbour-tug", "measuring")


def reading(key="k1", value="0.31", **more):
    """What the reading page sends."""
    settled = {"figure": "deck_clearance", "unit": "mm", "way": "plain", "gauge": "depth-2", "on": "rim"}
    if more.get("figure", "deck_clearance") == "deck_clearance":
        settled["axis"] = "pin"
    conditions = {"caps": "torqued", "oiled": "yes", "block": "upright"}
    return {"key": key, "value": value, "place": "h1", "then": "round"} | settled | conditions | more


def take(shop, build, *, htmx=True, **form):
    return shop.post(f"/builds/{build}/measure/read", form, htmx=htmx)


def taken(session, build):
    session.rollback()
    return facts.of_build(session, build)


# -- taking ---------------------------------------------------------------------


def test_a_reading_typed_at_the_engine_is_read_once(shop, tug, monkeypatch):
    """From what a phone sends to the figure on the page: its record is made once, and goes from hand to hand."""
    shop.text(f"/builds/{tug}/measure")
    seen_by, read = [], Reading.read.__func__

    def counted(cls, raw, *more, **derived):
        seen_by.append(raw["id"])
        return read(cls, raw, *more, **derived)

    monkeypatch.setattr(Reading, "read", classmethod(counted))
    assert take(shop, tug, **reading("once", "0.31")).status_code == 200
    assert "0.31 mm down" in shop.text(f"/builds/{tug}/measure")
    assert shop.get(f"/builds/{tug}/stack").status_code == 200
    assert seen_by == ["once"]


def test_a_reading_is_acknowledged_once_it_is_kept_and_makes_no_version(shop, tug, session):
    before = len(taken(session, tug).readings)
    response = take(shop, tug, **reading())
    assert response.status_code == 200
    assert response.headers["X-Kept"] == "k1"
    assert "0.31 mm down" in seen(response).text
    kept = taken(session, tug).readings
    assert len(kept) == before + 1
    assert kept[-1].typed["value"] == "0.31 mm"
    assert (kept[-1].by, kept[-1].gauge) == ("Ada", "depth-2")
    assert builds.load(session, tug).version == 1


def test_the_same_reading_sent_again_is_known_and_taken_once(app, shop, tug, session):
    before = len(taken(session, tug).readings)
    other = type(shop)(app, "Tove")
    for somebody in (shop, shop, other):
        assert take(somebody, tug, **reading("twice")).headers["X-Kept"] == "twice"
    assert len(taken(session, tug).readings) == before + 1
    refused = take(shop, tug, **reading("twice", "0.33"))
    assert refused.status_code == 422
    assert "which another entry has" in seen(refused).text


def test_tipped_both_ways_reads_back_mean_rock_and_least_gap(shop, tug):
    form = reading(value="21", side="27", unit="thou", way="tipped")
    assert "24 thou · rock 3 · least gap 21" in seen(take(shop, tug, **form)).text


def test_counted_shots_and_a_part(shop, tug, session):
    form = reading(
        figure="chamber_volume",
        value="21",
        side="1.4",
        way="shots",
        size="2.5",
        size_u="0.01",
        unit="cc",
        place="h3",
        gauge="",
    )
    assert "53.90 cc (21 shots and a part)" in seen(take(shop, tug, **form)).text
    shots = taken(session, tug).readings[-1].shots
    assert (shots.count, shots.size_u, shots.volume) == (21, 0.01, 53.9)


def test_without_scripts_it_goes_on_to_the_next_hole_with_all_that_was_settled(shop, tug):
    response = take(shop, tug, htmx=False, **reading(place="h4", temperature="21.5"))
    assert response.status_code == 302
    for part in ("place=h1", "gauge=depth-2", "temperature=21.5", "caps=torqued", "unit=mm"):
        assert part in response.location
    page = shop.page(response.location)
    assert "Hole 1" in page.text


@pytest.mark.parametrize(
    ("form", "says"),
    [
        (reading(unit=""), "Found 0.31 without a unit; wanted 0.31 mm or 0.31 thou"),
        (reading(value=""), "Found nothing; wanted a figure"),
        (reading(value="x"), "wanted"),
        (reading(place="h9"), "Found cylinder 9; wanted one of 1, 2, 3, 4."),
        (reading(value="3.1"), "3.1 mm, where 0.34 mm down would be like the others"),
        (reading(value="0.31", unit="in"), "would be like the others"),
        (reading(zero="z-dull"), "The zero z-dull has come back off its mark"),
        (reading(key="<b>"), "Found the key"),
        (reading(temperature="hot"), "wanted degrees Celsius"),
        (reading(figure="horsepower"), "Found the figure"),
        (reading(value="900"), "wanted −50 to 200 mm"),
        (reading(figure="chamber_volume", way="shots", value="20"), "Found no size of a shot"),
        (reading(on="roof"), "Found on 'roof'"),
        (
            reading(figure="chamber_volume", value="53", unit="cc"),
            "a gauge of length; wanted a gauge of volume",
        ),
    ],
)
def test_a_reading_that_cannot_be_is_one_sentence_and_the_figure_stays(shop, tug, session, form, says):
    before = len(taken(session, tug).readings)
    response = take(shop, tug, **form)
    assert response.status_code == 422
    assert says in seen(response).text.replace("-50", "−50")
    whole = take(shop, tug, htmx=False, **form)
    assert whole.status_code == 422
    if form["value"]:
        assert f'value="{form["value"]}"' in whole.get_data(as_text=True)
    assert len(taken(session, tug).readings) == before


def test_what_is_odd_is_taken_where_somebody_is_sure(shop, tug, session):
    odd = take(shop, tug, **reading(value="3.1"))
    assert "It is right: keep it" in seen(odd).text
    assert take(shop, tug, **reading(value="3.1", sure="1")).headers["X-Kept"] == "k1"
    assert taken(session, tug).readings[-1].value == pytest.approx(3.1)
    # The same again within three seconds is asked about; the same sent again is not.
    again = take(shop, tug, **reading(key="k2", value="3.1"))
    assert "pressed twice" in seen(again).text


def test_a_closed_build_takes_none_and_says_so(shop, tug, session):
    from support.people import by

    moves.set_stage(session, tug, "signed off", seen="measuring", expected_version=1, entry=by("Tove", ""))
    session.commit()
    response = take(shop, tug, **reading())
    assert response.status_code == 409
    assert "signed off: it takes nothing more" in seen(response).text
    assert "X-Kept" not in response.headers


def test_a_reading_says_when_it_was_typed_and_never_later_than_now(shop, tug, session):
    take(shop, tug, **reading("a", at="2026-05-05T09:12:00+02:00"))
    take(shop, tug, **reading("b", "0.32", at="2999-01-01T00:00:00Z"))
    first, second = taken(session, tug).readings[-2:]
    assert first.at.startswith("2026-05-05T07:12:00")
    assert second.at < "2100"


def test_the_reading_page_goes_on_as_the_last_reading_left_it(shop, tug):
    page = shop.page(f"/builds/{tug}/measure/read?figure=deck_clearance")
    sent = next(f.sent() for f in page.all("form") if "value" in f.sent())
    assert (sent["gauge"], sent["zero"], sent["caps"], sent["block"]) == (
        "depth-2",
        "z-morning",
        "torqued",
        "upright",
    )
    assert sent["way"] == "tipped"


def test_two_people_read_different_holes_and_neither_is_in_the_others_way(app, shop, tug, session):
    other = type(shop)(app, "Tove")
    before = len(taken(session, tug).readings)
    for i, (somebody, hole) in enumerate(((shop, 1), (other, 2), (shop, 3), (other, 4))):
        assert take(somebody, tug, **reading(f"k{i}", place=f"h{hole}")).status_code == 200
    assert len(taken(session, tug).readings) == before + 4


# -- the logbook's page -----------------------------------------------------------


def test_the_logbook_shows_what_was_read_what_is_due_and_what_is_void(shop, tug):
    page = shop.page(f"/builds/{tug}/measure")
    assert "chamber volume, hole 1:" in page.text
    assert "finished bore in holes 3, 4" in page.text
    assert "the stand stood on a burr" in page.text
    assert "its zero had moved by more than one resolution" in page.text
    assert "Read next" in page.text


def test_a_contradiction_is_named_with_the_reading_that_decides(shop, bring):
    build = bring("snow-plough", "measuring")
    page = shop.page(f"/builds/{build}/measure")
    assert "The pistons of holes 1 and 3 stand in one another's place" in page.text
    path = shop.page(f"/builds/{build}/stack")
    assert "readings in doubt" in path.text


def test_every_figure_leads_to_the_readings_under_it(shop, tug):
    at = "cylinders.1.deck_clearance"
    page = shop.page(f"/builds/{tug}/measure/at?place={at}")
    assert "95 % band" in page.text
    assert "scatter of its readings" in page.text
    assert "gauge depth-2" in page.text
    form = shop.page(f"/builds/{tug}/figure?at={at}")
    assert any(a.attrs.get("href", "").endswith(f"place={at}") for a in form.all(tag="a"))
    working = shop.html(f"/builds/{tug}/working?result=deck_clearance&hole=1")
    assert f"/builds/{tug}/measure/at?place={at}" in working
    sheet = shop.html(f"/builds/{tug}/sheet")
    assert f"/builds/{tug}/measure/at?place=cylinders.1" in sheet
    assert shop.get(f"/builds/{tug}/measure/at?place=cylinders.99.bore").status_code == 404


def test_typing_a_figure_leaves_the_readings_in_use(shop, tug):
    response = shop.change(tug, "cylinders.1.deck_clearance", value="0.9 mm")
    assert response.status_code == 302
    assert "0.300 mm down" in shop.text(f"/builds/{tug}/measure").replace("0.30 mm", "0.300 mm")
    form = shop.page(f"/builds/{tug}/figure?at=cylinders.1.deck_clearance")
    assert "In use:" in form.text
    assert next(f.sent() for f in form.all("form") if "plus_minus" in f.sent())["value"] == "0.9 mm"


def test_a_reading_is_voided_with_a_reason_and_stays_to_be_seen(shop, tug, session):
    take(shop, tug, **reading("v"))
    short = shop.post(f"/builds/{tug}/measure/void", {"reading": "v", "why": "x"})
    assert short.status_code == 422
    done = shop.post(f"/builds/{tug}/measure/void", {"reading": "v", "why": "the stem stuck"})
    assert done.status_code == 302
    assert "the stem stuck (Ada)" in shop.text(f"/builds/{tug}/measure")
    assert "v" in taken(session, tug).logbook({}, None).void
    # Again, by somebody else: it is void already, and the first reason stands.
    again = shop.post(f"/builds/{tug}/measure/void", {"reading": "v", "why": "another reason"})
    assert again.status_code == 302
    assert "the stem stuck" in shop.text(f"/builds/{tug}/measure")
    assert (
        shop.post(f"/builds/{tug}/measure/void", {"reading": "no such", "why": "because"}).status_code == 404
    )


def test_a_zero_is_set_and_checked_and_one_that_moved_takes_its_readings_with_it(shop, tug, session):
    setup = reading(place="h2")
    done = shop.post(f"/builds/{tug}/measure/zero", {**setup, "key": "z1", "do": "new"})
    zero = done.location.split("zero=")[1].split("&")[0]
    for i, hole in enumerate((1, 2, 3, 4)):
        take(shop, tug, **reading(f"q{i}", place=f"h{hole}", zero=zero))
    stands = shop.post(
        f"/builds/{tug}/measure/zero", {**setup, "key": "z2", "do": "check", "zero": zero, "after": "0.01"}
    )
    assert f"zero={zero}" in stands.location
    moved = shop.post(
        f"/builds/{tug}/measure/zero", {**setup, "key": "z3", "do": "check", "zero": zero, "after": "0.04"}
    )
    assert "zero=" not in moved.location.replace(f"zero={zero}", "zero=") or "zero=&" in moved.location + "&"
    assert "came back off its mark" in shop.text(moved.location)
    assert "4 readings taken against it do not count" in shop.text(f"/builds/{tug}/stack")
    for bad in ({"after": ""}, {"after": "x"}, {"zero": ""}):
        form = {**setup, "key": "z4", "do": "check", "zero": zero, "after": "0"} | bad
        assert shop.post(f"/builds/{tug}/measure/zero", form).status_code == 422


@pytest.mark.parametrize(
    ("before", "sent", "says"),
    [
        # Proud among proud ones: said nowhere, it is asked about.
        (["0.30 mm proud", "0.32 mm proud"], {"value": "0.31"}, "0.31 mm proud would be like the others"),
        (["12 thou proud"], {"value": "12 thou"}, "12.0 thou proud would be like the others"),
        (
            [],
            {"way": "tipped", "value": "0.9", "side": "-0.3", "axis": ""},
            "a rock of 0.600 mm, which no piston has",
        ),
        ([], {"value": "0.31", "axis": "thrust"}, "off the pin axis may hold the piston's rock"),
        ([], {"value": "0.31", "axis": ""}, "with no axis told may hold the piston's rock"),
    ],
)
def test_what_is_likely_a_slip_is_asked_about_while_it_is_typed(shop, bring, session, before, sent, says):
    build = bring("sawmill-six", "measuring")
    for i, value in enumerate(before):
        kept = take(shop, build, **reading(f"b{i}", value, place=f"h{i + 1}", gauge="", sure="1"))
        assert kept.status_code == 200
    form = reading("new", **{"place": "h4", "gauge": "", **sent})
    answer = take(shop, build, **form)
    assert answer.status_code == 422
    assert says in html.unescape(answer.get_data(as_text=True))
    assert len(taken(session, build).readings) == len(before)
    assert take(shop, build, **form, sure="1").status_code == 200
    assert len(taken(session, build).readings) == len(before) + 1


def test_what_was_found_is_noted_once_with_its_place_and_consequence(shop, tug, session):
    form = {
        "key": "f9",
        "what": "a hairline crack",
        "place": "h2",
        "where": "pad side",
        "consequence": "crack test",
    }
    for _ in range(2):
        assert shop.post(f"/builds/{tug}/measure/found", form).status_code == 302
    page = shop.text(f"/builds/{tug}/measure")
    assert page.count("a hairline crack, hole 2, pad side") == 1
    assert "→ crack test" in page
    refused = shop.post(f"/builds/{tug}/measure/found", {**form, "key": "f10", "what": "x"})
    assert refused.status_code == 422
    assert "pad side" in refused.get_data(as_text=True)


def test_a_gate_is_passed_with_a_reason_and_the_acceptance_lapses_visibly(shop, tug):
    page = shop.page(f"/builds/{tug}/measure/steps")
    form = next(f.sent() for f in page.all("form") if f.attrs.get("action", "").endswith("/measure/accept"))
    assert "gate" not in form, "nothing is ticked before somebody ticked it"
    assert shop.post(f"/builds/{tug}/measure/accept", {**form, "reason": "owner's risk"}).status_code == 422
    form["gate"] = "9|head_cut A"
    assert shop.post(f"/builds/{tug}/measure/accept", {**form, "reason": ""}).status_code == 422
    assert shop.post(f"/builds/{tug}/measure/accept", {**form, "reason": "owner's risk"}).status_code == 302
    signed = shop.text(f"/builds/{tug}/measure/steps")
    assert "accepted by Ada" in signed
    take(shop, tug, **reading("c", "54.0", figure="chamber_volume", place="h3", unit="cc", gauge=""))
    lapsed = shop.text(f"/builds/{tug}/measure/steps")
    assert "head open was accepted by Ada" in lapsed
    assert "changed since: chamber volume, hole 3" in lapsed


# -- files --------------------------------------------------------------------------


def test_a_build_file_takes_its_logbook_along(shop, tug, session):
    take(shop, tug, **reading("out"))
    document = json.loads(shop.get(f"/builds/{tug}/build.json").get_data())
    assert document["readings"][-1]["id"] == "out"
    assert "depth-2" in document["gauges"]
    upload = {"file": (io.BytesIO(json.dumps(document).encode()), "tug.json")}
    shop.post("/builds/import", upload, content_type="multipart/form-data")
    again = session.execute(text("SELECT max(id) FROM build")).scalar_one()
    whole = json.loads(shop.get(f"/builds/{again}/build.json").get_data())
    assert whole == document


def test_undo_moves_the_document_and_leaves_the_readings(shop, tug, session):
    shop.change(tug, "parts.block.bore", value="94.1 mm")
    take(shop, tug, **reading("stays"))
    shop.post(f"/builds/{tug}/undo", {"version": 2, "back": "/"})
    assert builds.load(session, tug).document["parts"]["block"]["bore"]["value"] == 94.0
    assert taken(session, tug).readings[-1].id == "stays"


def test_another_phones_readings_are_told_to_whoever_looks(shop, tug):
    page = shop.page(f"/builds/{tug}/measure")
    ask = next(e for e in page if e.attrs.get("id") == "newer").attrs["data-ask"]
    assert shop.get(ask).status_code == 204
    take(shop, tug, **reading("new"))
    assert "1 entry came into the logbook" in seen(shop.get(ask)).text


def test_a_gauge_whose_check_fails_later_is_seen_by_a_kept_build(shop, tug, session):
    from support.people import someone

    assert "failed its check" not in shop.text(f"/builds/{tug}/stack")
    gauges.note(
        session,
        "x",
        gauge="depth-2",
        kind="check",
        body={"on": "2026-11-20", "good": False},
        actor=someone("Ada"),
    )
    session.commit()
    assert "The gauge depth-2 failed its check" in shop.text(f"/builds/{tug}/stack")


def test_facts_from_elsewhere_are_seen_at_once(shop, tug, session):
    from support.people import someone

    shop.text(f"/builds/{tug}/measure")
    body = {"id": "far", "figure": "chamber_volume", "cylinder": 4, "value": "54.4 cc"}
    facts.append(session, tug, [New("far", Reading.read(body))], actor=someone("Tove"))
    session.commit()
    assert "chamber volume, hole 4:" in shop.text(f"/builds/{tug}/measure")
