"""Every way of saving a build: the version that the form carried decides, and nobody's work is lost."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor

import pytest

from support.cases import demo
from support.page import seen
from support.people import by
from support.shelves import KEY
from zygometra.core.build.document import with_leaf
from zygometra.core.stages import STAGE_NAMES
from zygometra.store import builds, history

BORE = ("parts", "block", "bore")
LEAVES = json.dumps([[list(BORE), "93 mm"]])


def save_figure(shop, build, version):
    return shop.change(build, "parts.block.bore", version, value="93 mm")


def save_plan(shop, build, version):
    plan = [{"op": "deck_cut", "amount": "0.11 mm"}]
    return shop.post(f"/builds/{build}/plan", {"plan": json.dumps(plan), "version": version})


def save_aim(shop, build, version):
    return shop.post(f"/builds/{build}/aim", shop.aim_form(build, duty="towing") | {"version": version})


def save_choice(shop, build, version):
    form = {"leaves": LEAVES, "version": version, "says": "finished bore"}
    return shop.post(f"/builds/{build}/choose", form)


def take_recipe(shop, build, version):
    return shop.post("/mix/take", {"block": "B1", "at": KEY, "into": f"{build}@{version}"})


def back_a_step(shop, build, version):
    return shop.post(f"/builds/{build}/undo", {"version": version, "back": f"/builds/{build}/record"})


def forward_a_step(shop, build, version):
    return shop.post(f"/builds/{build}/redo", {"version": version, "back": f"/builds/{build}/record"})


def move_stage(shop, build, version):
    form = {"stage": "cut", "seen": "on paper", "version": version, "back": f"/builds/{build}/record"}
    return shop.post(f"/builds/{build}/stage", form)


SAVES = [save_figure, save_plan, save_aim, save_choice, take_recipe]
STEPS = [back_a_step, forward_a_step, move_stage]
NO_VERSION = ["", "0", "-1", "x", "²", "1e0", "99999999999999999999"]


@pytest.fixture
def pilot(bring, stocked):
    return bring("pilot-launch")


@pytest.fixture
def theirs(session, pilot):
    """What Tove saved in between: the deck height."""
    document = with_leaf(demo("pilot-launch"), ("parts", "block", "deck_height"), "225.1 mm")
    builds.save(session, pilot, document, expected_version=1, entry=by("Tove", "decked elsewhere"))
    session.commit()
    return document


@pytest.mark.parametrize("way", SAVES)
def test_a_save_over_the_version_that_was_seen_is_kept(shop, pilot, stored, way):
    response = way(shop, pilot, "1")
    assert response.status_code == 302
    assert stored(pilot).version == 2
    assert stored(pilot).document != demo("pilot-launch")


@pytest.mark.parametrize("way", SAVES)
def test_the_later_saver_sees_both_and_nothing_is_written(shop, pilot, theirs, stored, way):
    response = way(shop, pilot, "1")
    page = seen(response)
    assert response.status_code == 409
    for words in ("Tove", "decked elsewhere", "Save mine over theirs", "Keep theirs"):
        assert words in page.text
    assert stored(pilot).document == theirs
    assert stored(pilot).version == 2


@pytest.mark.parametrize("way", SAVES)
def test_after_a_conflict_mine_can_be_chosen_and_theirs_stays_elsewhere(shop, pilot, theirs, stored, way):
    page = seen(way(shop, pilot, "1"))
    form = page.one("form", action=f"/builds/{pilot}/choose").sent()
    assert form["version"] == "2"
    assert shop.post(f"/builds/{pilot}/choose", form).status_code == 302
    kept = stored(pilot)
    assert kept.version == 3
    assert kept.document != theirs
    if way is not take_recipe:
        # A recipe brings parts of its own; all else leaves the deck as Tove measured it.
        assert kept.document["parts"]["block"]["deck_height"] == "225.1 mm"
    assert "chosen over the other's" in shop.text(f"/builds/{pilot}/record")


@pytest.mark.parametrize("way", SAVES)
@pytest.mark.parametrize("version", NO_VERSION)
def test_a_form_without_its_version_saves_nothing(shop, pilot, stored, way, version):
    assert way(shop, pilot, version).status_code == 409
    assert stored(pilot).version == 1


@pytest.mark.parametrize("way", SAVES)
def test_a_version_that_is_yet_to_come_saves_nothing(shop, pilot, stored, way):
    assert way(shop, pilot, "7").status_code == 409
    assert stored(pilot).document == demo("pilot-launch")


@pytest.mark.parametrize("way", STEPS)
def test_a_step_from_an_old_page_is_told_and_not_taken(shop, pilot, theirs, stored, way):
    response = way(shop, pilot, "1")
    assert response.status_code == 302
    assert "Tove saved this build in between" in shop.text(response.location)
    kept = stored(pilot)
    assert (kept.document, kept.version, kept.stage) == (theirs, 2, "on paper")


@pytest.mark.parametrize("way", STEPS)
@pytest.mark.parametrize("version", NO_VERSION)
def test_a_step_without_a_version_is_not_taken(shop, pilot, stored, way, version):
    way(shop, pilot, version)
    assert stored(pilot).version == 1
    assert stored(pilot).stage == "on paper"


@pytest.mark.parametrize("way", SAVES)
def test_of_six_at_once_one_is_kept_and_all_are_answered(app, shop, pilot, stored, way):
    people = [type(shop)(app, name) for name in ("Ada", "Bo", "Cai", "Dot", "Eli", "Fay")]
    with ThreadPoolExecutor(len(people)) as pool:
        answers = list(pool.map(lambda person: way(person, pilot, "1"), people))
    assert stored(pilot).version == 2
    assert sorted(a.status_code for a in answers) == [302] + [409] * 5


def test_of_six_that_move_a_build_to_different_stages_one_moves_it(app, shop, pilot, stored, session):
    stages = STAGE_NAMES[1:]
    people = [type(shop)(app, f"Person {stage}") for stage in stages]
    back = f"/builds/{pilot}/record"

    def move(person, stage):
        form = {"stage": stage, "seen": "on paper", "version": "1", "back": back}
        return person.post(f"/builds/{pilot}/stage", form)

    with ThreadPoolExecutor(len(people)) as pool:
        answers = list(pool.map(move, people, stages))
    assert {a.status_code for a in answers} == {302}
    assert sum("moved this build (on paper → " in person.text(back) for person in people) == len(stages) - 1
    assert [change.kind for change in history.history(session, pilot)].count("stage") == 1
    assert stored(pilot).stage in stages


def test_of_six_new_builds_taken_at_once_each_is_kept(app, shop, stocked, session):
    people = [type(shop)(app, name) for name in ("Ada", "Bo", "Cai", "Dot", "Eli", "Fay")]
    form = {"block": "B1", "at": KEY, "into": "new", "name": "Spare"}
    with ThreadPoolExecutor(len(people)) as pool:
        answers = list(pool.map(lambda person: person.post("/mix/take", form), people))
    assert {a.status_code for a in answers} == {302}
    session.rollback()
    assert len({a.location for a in answers}) == len(builds.listed(session)) == 6


@pytest.mark.parametrize("way", [*SAVES, *STEPS])
def test_a_build_that_is_not_there_is_a_page_of_its_own(shop, pilot, way):
    response = shop.post("/builds/99/aim", {"version": "1"}) if way is save_aim else way(shop, 99, "1")
    assert response.status_code == 404
    assert "There is nothing here" in seen(response).text


@pytest.mark.parametrize("way", [*SAVES, *STEPS])
def test_the_record_names_who_did_it(app, shop, pilot, session, way):
    if way is forward_a_step:
        shop.change(pilot, "parts.block.bore", "1", value="92.5 mm")
        back_a_step(shop, pilot, "2")
        way(shop, pilot, "3")
    elif way is back_a_step:
        shop.change(pilot, "parts.block.bore", "1", value="92.5 mm")
        way(shop, pilot, "2")
    else:
        way(shop, pilot, "1")
    session.rollback()
    newest = history.history(session, pilot)[0]
    assert newest.actor == "Ada"
    assert newest.kind in ("edit", "undo", "redo", "stage")
    assert newest.says


def test_what_was_saved_is_what_both_see_next(app, shop, pilot):
    tove = type(shop)(app, "Tove")
    assert "2.3622" not in tove.text(f"/builds/{pilot}/stack")
    save_figure(shop, pilot, "1")
    for person in (shop, tove):
        assert "93 mm" in person.text(f"/builds/{pilot}/stack")
        assert "version 2" in person.text(f"/builds/{pilot}/record")


def test_a_fault_is_told_before_a_conflict(shop, pilot, theirs, stored):
    response = shop.change(pilot, "parts.block.bore", "1", value="wide")
    assert response.status_code == 422
    assert "such as 0.76 mm" in seen(response).text
    assert stored(pilot).document == theirs


@pytest.mark.parametrize(
    "into", ["", "x", "1", "@", "@1", "1@", "1@x", "-1@1", "1@1@1", "999999999999999999999@1"]
)
def test_a_recipe_goes_only_into_a_build_that_was_seen(shop, pilot, stored, into):
    response = shop.post("/mix/take", {"block": "B1", "at": KEY, "into": into})
    assert response.status_code in (404, 409, 422)
    assert stored(pilot).version == 1


def test_the_page_that_asks_carries_the_version_of_each_build(shop, pilot):
    page = shop.page(f"/mix/take?block=B1&at={KEY}")
    values = [e.attrs.get("value") for e in page if e.tag in ("option", "input")]
    assert f"{pilot}@1" in values
    save_plan(shop, pilot, "1")
    page = shop.page(f"/mix/take?block=B1&at={KEY}")
    assert f"{pilot}@2" in [e.attrs.get("value") for e in page if e.tag in ("option", "input")]
