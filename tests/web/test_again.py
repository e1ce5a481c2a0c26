"""Whatever is sent again is answered as at first and kept once; keys of one kind meet none of another."""

from __future__ import annotations

import io
import json

import pytest

from support.cases import demo
from support.page import seen
from zygometra.store import facts


@pytest.fixture
def count(session):
    """How many facts a build has."""

    def counted(build):
        session.rollback()
        return facts.newest(session, build)

    return counted


def twice(shop, count, build, address, sent):
    """Send a form twice; both answers must be alike, and the second keep nothing more."""
    answers = []
    for _ in range(2):
        answer = shop.post(address, dict(sent))
        assert answer.status_code == 302, seen(answer).text[:300]
        answers.append((answer.location, count(build)))
    assert answers[0] == answers[1]
    return answers[0][1]


READING = {
    "figure": "deck_clearance",
    "cylinder": "2",
    "value": "0.29",
    "unit": "mm",
    "axis": "pin",
    "sure": "1",
}
FORMS = {
    "a reading": ("measure/read", READING),
    "a zero": ("measure/zero", {"do": "new", "place": "h1"}),
    "a found thing": ("measure/found", {"what": "a hard spot", "place": "bA"}),
    "a step": ("measure/steps", {"step": "mains|done", "place": "e"}),
    "a pass": ("cut-log/deck_cut/A/pass", {"depth": "0.02 mm", "number": "4"}),
    "a set-up": (
        "cut-log/deck_cut/A/set-up",
        {"machine": "Mill 9", "reference": "crank-saddles", "aim": "height"},
    ),
    "a piece": (
        "cut-log/set/crown_cut/pass",
        {"cylinder": "2", "depth": "0.05 mm", "number.2": "1", "sure": "yes"},
    ),
    "a question": ("agreement/ask", {"text": "Which gasket is it to be?", "ask": "the customer"}),
}


@pytest.mark.parametrize("kind", FORMS)
def test_a_form_sent_again_is_answered_as_at_first(shop, barge, count, kind):
    at, sent = FORMS[kind]
    if kind == "a step":
        form = shop.page(f"/builds/{barge}/measure/steps").one(
            "form", action=f"/builds/{barge}/measure/steps"
        )
        sent = {**sent, "step": form.one("combobox", "Step").value or "|"}
    if kind == "a set-up":
        page = shop.page(f"/builds/{barge}/cut-log/deck_cut/A")
        sent = {**page.one("form", action=f"/builds/{barge}/{at}").sent(), "machine": "Mill 9"}
    if kind == "a piece":
        for gate in range(2):
            open_gates(shop, barge, "cut-log/set/crown_cut", f"g{gate}")
    twice(shop, count, build=barge, address=f"/builds/{barge}/{at}", sent={**sent, "key": "k-1"})


def open_gates(shop, build, station, key):
    """Accept what stands before a first pass."""
    forms = shop.page(f"/builds/{build}/{station}").all("form", action=f"/builds/{build}/measure/accept")
    for form in forms:
        gates = [box.attrs["value"] for box in form.all("checkbox") if box.attrs.get("name") == "gate"]
        sent = {**form.sent(), "key": key, "reason": "the owner wants it so", "gate": gates}
        shop.post(f"/builds/{build}/measure/accept", sent)


def test_an_acceptance_sent_again_is_kept_once_though_the_build_moved_on(shop, barge, count):
    page = shop.page(f"/builds/{barge}/measure/steps")
    form = page.one("form", action=f"/builds/{barge}/measure/accept")
    gate = next(box.attrs["value"] for box in form.all("checkbox") if box.attrs.get("name") == "gate")
    sent = {**form.sent(), "gate": gate, "reason": "the owner wants it so", "key": "a-1"}
    first = twice(shop, count, build=barge, address=f"/builds/{barge}/measure/accept", sent=sent)
    reading = {
        "figure": "deck_clearance",
        "cylinder": "2",
        "value": "0.31",
        "unit": "mm",
        "axis": "pin",
        "sure": "1",
    }
    shop.post(f"/builds/{barge}/measure/read", {**reading, "key": "r-1"})
    twice(shop, count, build=barge, address=f"/builds/{barge}/measure/accept", sent=sent)
    assert count(barge) == first + 1


def test_an_agreement_sent_again_is_kept_once_though_the_build_moved_on(shop, barge, count):
    form = shop.page(f"/builds/{barge}/agreement").one("form", action=f"/builds/{barge}/agreement/agree")
    sent = {**form.sent(), "name": "Ina Quayle", "key": "g-1"}
    first = twice(shop, count, build=barge, address=f"/builds/{barge}/agreement/agree", sent=sent)
    shop.change(
        barge,
        "parts.block.bore",
        version=shop.form(f"/builds/{barge}/figures", None)["version"] if False else "1",
        value="91.1 mm",
    )
    twice(shop, count, build=barge, address=f"/builds/{barge}/agreement/agree", sent=sent)
    assert count(barge) == first
    # Another name under that key is no repetition.
    assert shop.post(f"/builds/{barge}/agreement/agree", {**sent, "name": "Somebody Else"}).status_code in (
        409,
        422,
    )


def test_a_pass_sent_again_after_it_was_voided_is_answered_as_at_first(shop, barge, count):
    address = f"/builds/{barge}/cut-log/deck_cut/A/pass"
    sent = {"depth": "0.02 mm", "number": "4", "key": "p-1"}
    assert shop.post(address, sent).status_code == 302
    assert (
        shop.post(f"/builds/{barge}/measure/void", {"reading": "p-1", "why": "typed twice"}).status_code
        == 302
    )
    before = count(barge)
    assert shop.post(address, sent).status_code == 302
    assert count(barge) == before


def test_pieces_of_a_set_from_two_hands_are_one_cut(shop, barge, count):
    """Both pages were made for the piece's first cut: the second is told of, and does not count."""
    open_gates(shop, barge, "cut-log/set/crown_cut", "g")
    at = f"/builds/{barge}/cut-log/set/crown_cut"
    forms = [shop.page(at).one("form", action=f"{at}/pass").sent() for _ in range(2)]
    for i, form in enumerate(forms):
        sent = {**form, "cylinder": "1", "depth": "0.05 mm", "sure": "yes", "key": f"c-{i}"}
        assert shop.post(f"{at}/pass", sent).status_code == 302
    row = next(row for row in shop.page(at).all("table")[0].rows() if row[0].startswith("hole 1"))
    assert row[1] == "0.050 mm"


# -- keys of one kind and another -------------------------------------------------------


def test_a_reading_named_like_a_void_keeps_nothing_from_being_voided(shop, barge, count):
    address = f"/builds/{barge}/cut-log/deck_cut/A/pass"
    assert shop.post(address, {"depth": "0.02 mm", "number": "4", "key": "p-1"}).status_code == 302
    for key in ("void p-1", "zero z1", "gauge depth-2"):
        reading = {"figure": "deck_clearance", "cylinder": "2", "value": "0.31", "unit": "mm", "axis": "pin"}
        sent = {**reading, "key": key, "sure": "1"}
        assert shop.post(f"/builds/{barge}/measure/read", sent).status_code == 302
    before = count(barge)
    assert (
        shop.post(f"/builds/{barge}/measure/void", {"reading": "p-1", "why": "typed twice"}).status_code
        == 302
    )
    assert count(barge) == before + 1
    assert "0.180 mm" in shop.text(f"/builds/{barge}/cut-log/deck_cut/A")


def test_what_has_an_id_shares_it_with_nothing_else(shop, barge, count):
    assert (
        shop.post(
            f"/builds/{barge}/measure/found", {"what": "a crack", "place": "bA", "key": "x-1"}
        ).status_code
        == 302
    )
    reading = {
        "figure": "deck_clearance",
        "cylinder": "2",
        "value": "0.31",
        "unit": "mm",
        "axis": "pin",
        "sure": "1",
    }
    answer = shop.post(f"/builds/{barge}/measure/read", {**reading, "key": "x-1"})
    assert answer.status_code == 422
    assert "another entry has" in seen(answer).text


@pytest.mark.parametrize(
    ("more", "status"),
    [
        ({"readings": ["void r1", "r1"], "voided": ["r1"]}, 302),
        ({"readings": ["zero a", "gauge b", "void zero a"], "zeros": ["a"], "gauges": ["b"]}, 302),
        ({"readings": ["r1"], "voided": ["r1", "r1"]}, 422),
        ({"readings": ["r1", "r1"]}, 422),
    ],
)
def test_keys_that_meet_in_a_file_are_taken_or_told(shop, more, status):
    document = dict(demo("ferry-tender"))
    if names := more.get("readings"):
        document["readings"] = [
            {"id": name, "figure": "deck_clearance", "cylinder": 1, "value": "0.3 mm"} for name in names
        ]
    document["voided"] = [
        {"reading": name, "why": f"reason {i}"} for i, name in enumerate(more.get("voided", ()))
    ]
    document["zeros"] = {name: {"before": 0} for name in more.get("zeros", ())}
    document["gauges"] = {
        name: {"kind": "indicator", "resolution": "0.01 mm"} for name in more.get("gauges", ())
    }
    document = {key: value for key, value in document.items() if value}
    file = (io.BytesIO(json.dumps(document).encode()), "x.json")
    answer = shop.post("/builds/import", {"file": file}, content_type="multipart/form-data")
    assert answer.status_code == status, seen(answer).text[:500]
    if status == 302:
        assert shop.get(answer.location).status_code == 200
