"""What every page owes: its guards, its weight, and a page of its own for every fault."""

from __future__ import annotations

import gzip
import re

from sqlalchemy.exc import OperationalError

from support.cases import demo, vector
from support.page import read, seen


def test_a_database_that_is_away_is_said_on_a_page_of_its_own(shop, pilot):
    from sqlalchemy import create_engine

    app = shop.client.application
    nowhere = create_engine(
        "postgresql+psycopg://nobody@127.0.0.1:1/none", connect_args={"connect_timeout": 2}
    )
    kept = dict(app.extensions)
    app.extensions |= {"engine": nowhere, "reading engine": nowhere}
    try:
        for address in ("/", f"/builds/{pilot}/stack", f"/builds/{pilot}/figures"):
            response = shop.get(address)
            assert response.status_code == 503
            assert "The database does not answer" in seen(response).text
        partial = shop.get(f"/builds/{pilot}/stack/what-if", HX_Request="true")
        assert partial.headers["HX-Retarget"] == "#notice"
    finally:
        app.extensions.update(kept)
        nowhere.dispose()


def test_a_database_that_waits_for_another_or_takes_too_long_says_which(shop, pilot, monkeypatch):
    from sqlalchemy import text

    from zygometra.web.floor import routes

    def slow(session, **_):
        session.execute(text("SET statement_timeout = '30ms'"))
        try:
            session.execute(text("SELECT pg_sleep(1)"))
        finally:
            session.execute(text("RESET statement_timeout"))

    monkeypatch.setattr(routes.builds, "listed", slow)
    response = shop.get("/")
    assert response.status_code == 503
    assert "That took too long" in seen(response).text
    monkeypatch.undo()
    assert shop.get("/").status_code == 200


def test_who_waits_for_another_who_is_saving_is_told_so(shop, pilot, engine, monkeypatch):
    from sqlalchemy import text
    from sqlalchemy.orm import Session

    from zygometra.web.build import saving

    kept = saving.builds.save

    def impatient(session, *args, **named):
        session.execute(text("SET LOCAL lock_timeout = '60ms'"))
        return kept(session, *args, **named)

    monkeypatch.setattr(saving.builds, "save", impatient)
    with Session(engine) as holder:
        holder.execute(text("SELECT 1 FROM build WHERE id = :id FOR UPDATE"), {"id": pilot})
        response = shop.change(pilot, "parts.block.bore", value="92.6 mm")
    assert response.status_code == 503
    assert "Somebody else is saving" in seen(response).text
    assert shop.change(pilot, "parts.block.bore", value="92.6 mm").status_code == 302


STATIONS = ("stack", "figures", "aim", "sheet", "record")


def test_every_page_answers_and_guards_itself(shop, bring):
    build = bring("mountain-rescue")
    pages = [
        "/",
        "/builds/new",
        "/settings",
        "/house-rules",
        "/keys",
        "/patterns",
        "/who",
        f"/builds/{build}/working",
        f"/builds/{build}/figure?at=parts.block.bore",
        *(f"/builds/{build}/{s}" for s in STATIONS),
    ]
    for address in pages:
        response = shop.get(address)
        assert response.status_code == 200, address
        policy = response.headers["Content-Security-Policy"]
        assert "unsafe" not in policy
        assert "script-src 'self'" in policy
        assert response.headers["X-Content-Type-Options"] == "nosniff"
        for element in seen(response):
            assert element.tag != "script" or "src" in element.attrs, address
            assert not [a for a in element.attrs if a == "style" or a.startswith("on")], address
            for name in ("src", "href", "action"):
                assert not re.match(r"(https?:)?//", element.attrs.get(name, "")), address


def test_a_form_without_its_token_changes_nothing(shop, bring, stored):
    build = bring("pilot-launch")
    response = shop.client.post(f"/builds/{build}/plan", data={"plan": "[]", "version": 1})
    assert response.status_code == 400
    assert "token" in seen(response).text
    assert stored(build).version == 1


def test_what_is_not_there_says_so(shop):
    for address in (
        "/builds/99/stack",
        "/nowhere",
        "/builds/99/sheet.pdf",
        "/builds/abc",
        "/static/x/../../app.py",
    ):
        response = shop.get(address)
        assert response.status_code == 404, address
        assert "There is nothing here" in seen(response).text


def test_a_fault_of_ours_is_said_without_a_trace_of_code(shop, bring, monkeypatch):
    build = bring("pilot-launch")

    def broken(_bench):
        raise RuntimeError("a secret detail")

    monkeypatch.setattr("zygometra.web.build.page.reckon", broken)
    response = shop.get(f"/builds/{build}/stack")
    assert response.status_code == 500
    assert "The program has a fault" in seen(response).text
    assert "secret detail" not in seen(response).text
    partial = shop.get(f"/builds/{build}/stack/what-if", HX_Request="true")
    assert partial.headers["HX-Retarget"] == "#notice"


def test_only_a_form_may_change_things(shop, bring):
    assert shop.get(f"/builds/{bring('pilot-launch')}/undo").status_code == 405


def test_markup_in_a_name_stays_text_everywhere(shop, bring):
    build = bring(
        {**demo("pilot-launch"), "name": "<img src=x onerror=alert(1)>", "customer": "</script><b>"}
    )
    for address in ("/", *(f"/builds/{build}/{s}" for s in STATIONS), f"/builds/{build}/working"):
        html = shop.html(address)
        assert "<img" not in html
        assert "</script><b>" not in html
        assert "&lt;img src=x" in html


def test_an_engine_that_cannot_be_evaluated_still_has_its_pages(shop, bring):
    document = vector("tarnbeck-plain")["build"]
    # The file's border refuses a rod with which no crank turns; an old row may hold one.
    document["parts"]["rod"]["length"] = "30 mm"
    document["cam"] = {"intake_closes": 50}
    build = bring(document)
    for station in STATIONS:
        assert "cannot follow a crank" in shop.text(f"/builds/{build}/{station}")
    assert shop.get(f"/builds/{build}/sheet.pdf").status_code == 404
    assert shop.get(f"/builds/{build}/evaluation.json").status_code == 404
    assert "cannot follow a crank" in shop.text("/")


def test_the_first_view_of_a_build_is_light(shop, bring):
    page = shop.get(f"/builds/{bring('mountain-rescue')}/stack", Accept_Encoding="gzip")
    total = len(page.data)
    html = gzip.decompress(page.data).decode()
    addresses = {e.attrs.get("href", e.attrs.get("src", "")) for e in read(html)}
    for address in {a for a in addresses if a.startswith("/static/")}:
        asset = shop.get(address, Accept_Encoding="gzip")
        assert asset.status_code == 200
        assert "immutable" in asset.headers["Cache-Control"]
        total += len(asset.data)
    fonts = re.search(r"/static/(\w+)/", html).group(1)
    total += len(shop.get(f"/static/{fonts}/vendor/plex-600.woff2").data)
    assert total < 250_000


def test_a_database_that_goes_while_a_refusal_is_written_is_told_as_what_it_is(shop, bring, monkeypatch):
    build = bring("pilot-launch", "signed off")

    def gone(*_):
        raise OperationalError("select", {}, Exception("server closed the connection"))

    monkeypatch.setattr("zygometra.web.build.saving.last_move", gone)
    response = shop.change(build, "parts.block.bore", "1", value="93 mm")
    assert response.status_code == 503
    assert "The database does not answer" in seen(response).text
