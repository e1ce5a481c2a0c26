"""A page hears of newer states; and what the log has of who did what."""

from __future__ import annotations

import json

import pytest
from sqlalchemy.exc import IntegrityError

from support.page import seen
from zygometra.serve.log import OneLine
from zygometra.store import builds
from zygometra.web import newer


def asked(shop, build, version, stage="on paper"):
    return shop.get(f"/builds/{build}/newer?version={version}&stage={stage}")


def test_nothing_newer_is_no_answer(shop, pilot):
    assert asked(shop, pilot, 1).status_code == 204


def test_a_newer_version_is_told_with_who_and_what(app, shop, pilot):
    tove = type(shop)(app, "Tove")
    tove.change(pilot, "parts.block.bore", "1", value="92.5 mm")
    said = seen(asked(shop, pilot, 1)).text
    assert "Tove saved version 2 while you look at version 1" in said
    assert "bore" in said
    assert asked(shop, pilot, 2).status_code == 204


def test_a_move_to_another_stage_is_told(app, shop, pilot):
    tove = type(shop)(app, "Tove")
    tove.post(f"/builds/{pilot}/stage", {"stage": "measuring", "seen": "on paper", "version": 1})
    assert "Tove moved this build from on paper to measuring" in seen(asked(shop, pilot, 1)).text


@pytest.mark.parametrize("query", ["", "version=x&stage=", "version=99999999999999999999", "stage=x"])
def test_a_question_that_is_damaged_has_an_answer(shop, pilot, query):
    assert shop.get(f"/builds/{pilot}/newer?{query}").status_code == 200
    assert shop.get(f"/builds/9999/newer?{query}").status_code == 404
    assert shop.get(f"/streams/builds/9999?{query}").status_code == 404


def test_a_stream_tells_once_of_every_newer_state(app, shop, pilot, session, monkeypatch):
    waits = iter([lambda: shop.change(pilot, "parts.block.bore", "1", value="92.5 mm")])
    monkeypatch.setattr(newer, "LASTS", 2.0)
    monkeypatch.setattr(newer.time, "sleep", lambda _: next(waits, lambda: None)())
    engine = app.extensions["reading engine"]
    words = newer._told(engine, pilot, newer.Seen(1, "on paper"))
    assert next(words) == ": as it was\n\n"
    assert next(words) == "event: newer\ndata: 2\n\n"
    assert next(words) == ": as it was\n\n"
    assert builds.load(session, pilot).version == 2
    words.close()


def test_a_page_names_what_it_shows(shop, pilot):
    page = shop.page(f"/builds/{pilot}/stack")
    watched = next(e for e in page if e.attrs.get("id") == "newer")
    assert watched.attrs["data-stream"].startswith(f"/streams/builds/{pilot}?")
    assert "version=1" in watched.attrs["data-ask"]


# -- what is logged -------------------------------------------------------------

SECRET = "Skerry ' 4711\nforged"


def test_the_log_says_who_changed_what_and_nothing_that_was_typed(shop, pilot, caplog):
    caplog.set_level("INFO", "zygometra")
    shop.change(pilot, "parts.block.bore", "1", value="92.5 mm")
    shop.change(pilot, "parts.block.bore", "1", value=SECRET)
    shop.post("/who", {"person": "Ines Skerry"})
    shop.get("/shelf/rod/Skerry")
    shop.client.post("/builds/new", data={"name": SECRET})
    lines = [record.getMessage() for record in caplog.records if record.name == "zygometra"]
    with shop.client.session_transaction() as cookie:
        mine = cookie["person_id"][:8]
    assert f"POST figures.save build_id={pilot} status=302" in lines[0]
    assert f"POST figures.save build_id={pilot} status=422" in lines[1]
    assert lines[2].startswith("POST shop.who status=302")
    assert lines[3] == f"GET shelf.part status=404 by={mine}"
    assert lines[4] == f"POST floor.new status=400 by={mine}"
    for typed in ("Skerry", "4711", "92.5", "Ines"):
        assert typed not in json.dumps(lines)


def test_reading_leaves_no_line(shop, pilot, caplog):
    caplog.set_level("INFO", "zygometra")
    shop.text(f"/builds/{pilot}/stack")
    assert not [r for r in caplog.records if r.name == "zygometra"]


def test_a_fault_and_a_refusal_of_the_database_are_logged_without_values(
    app, shop, stocked, caplog, monkeypatch
):
    def refuse(*_, **__):
        raise IntegrityError("INSERT INTO part", {"name": SECRET}, Exception(f"Key (name)=({SECRET})"))

    monkeypatch.setattr("zygometra.web.shelf.routes.store.save_part", refuse)
    form = {"code": "R-7", "name": "Skerry", "version": "0", "state": "idea"}
    assert shop.post("/shelf/rod/new", form).status_code == 500
    monkeypatch.setattr("zygometra.web.shelf.routes.store.listed", lambda *_, **__: 1 / 0)
    assert shop.get("/shelf?kind=rod&q=4711").status_code == 500
    lines = [OneLine().format(record) for record in caplog.records if record.name.startswith("zygometra")]
    assert any("the database refused: Exception in shelf.new" in line for line in lines)
    assert any("fault in shelf.page ZeroDivisionError at" in line for line in lines)
    assert not [line for line in lines if "Skerry" in line or "4711" in line]
