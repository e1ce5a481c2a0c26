"""The frame of an engine changed under what was noted: it lies aside, is told, and comes back with undo."""

from __future__ import annotations

import json

import pytest

from zygometra.store import facts

STATIONS = (
    "stack",
    "figures",
    "aim",
    "measure",
    "measure/mock-up",
    "measure/decks",
    "measure/heads",
    "measure/steps",
    "measure/read",
    "plans?full=1",
    "sheet",
    "cut-log",
    "agreement",
    "verify",
    "build-sheet",
    "record",
    "build.json",
    "evaluation.json",
    "measure/logbook.csv",
    "sheet.pdf",
    "agreement.pdf",
    "cut-log/deck_cut/A",
    "cut-log/set/crown_cut",
    "figure?at=parts.block.bore",
)
FRAMES = {
    "a hole gone": [{"name": "A", "cylinders": [1, 2, 3]}],
    "a bank renamed": [{"name": "left", "cylinders": [1, 2, 3, 4]}],
    "renumbered": [{"name": "A", "cylinders": [5, 6, 7, 8]}],
    "two banks": [{"name": "B", "cylinders": [1, 2]}, {"name": "C", "cylinders": [3, 4]}],
}


# long: one story: a frame changed, looked at from every station, and changed back
@pytest.mark.parametrize("frame", FRAMES)
@pytest.mark.parametrize("demo", ["canal-barge", "harbour-tug", "granary-hoist"])
def test_what_was_noted_lies_aside_and_comes_back(shop, bring, session, frame, demo):
    build = bring(demo)
    before = shop.get(f"/builds/{build}/evaluation.json").get_data()
    leaves = json.dumps([[["engine", "banks"], FRAMES[frame]], [["planned"], None]])
    changed = shop.post(
        f"/builds/{build}/choose", {"leaves": leaves, "version": "1", "says": "another frame"}
    )
    assert changed.status_code == 302
    assert (
        shop.page(f"/builds/{build}/stack").one("form", action=f"/builds/{build}/undo").sent()["version"]
        == "2"
    )
    for station in STATIONS:
        assert shop.get(f"/builds/{build}/{station}").status_code in (200, 302, 404), station
    holes = {number for bank in FRAMES[frame] for number in bank["cylinders"]}
    banks = {bank["name"] for bank in FRAMES[frame]}
    bodies = [fact.record.typed for fact in facts.since(session, build) if fact.kind != "void"]
    astray = [
        b
        for b in bodies
        if b.get("cylinder", min(holes)) not in holes or b.get("bank", min(banks)) not in banks
    ]
    assert ("come back with the frame" in shop.text(f"/builds/{build}/measure")) == bool(astray)
    assert astray or frame in ("a bank renamed", "two banks")
    # What goes out as a file is a build that can be taken in.
    out = json.loads(shop.get(f"/builds/{build}/build.json").get_data())
    assert {one["cylinder"] for one in out.get("readings", ()) if "cylinder" in one} <= holes
    count = facts.newest(session, build)
    sent = {
        "figure": "deck_clearance",
        "cylinder": "5",
        "value": "0.3",
        "unit": "mm",
        "axis": "pin",
        "sure": "1",
    }
    taken = shop.post(f"/builds/{build}/measure/read", {**sent, "key": "r-5"})
    assert taken.status_code == (302 if 5 in holes else 422)
    if 5 in holes:
        shop.post(f"/builds/{build}/measure/void", {"reading": "r-5", "why": "only tried"})
    version = (
        shop.page(f"/builds/{build}/stack").one("form", action=f"/builds/{build}/undo").sent()["version"]
    )
    assert shop.post(f"/builds/{build}/undo", {"version": version}).status_code == 302
    session.rollback()
    assert facts.newest(session, build) == count + 2 * (5 in holes)
    assert shop.get(f"/builds/{build}/evaluation.json").get_data() == before
