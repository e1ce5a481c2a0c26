"""Who is at the bench: names, cookies, and what is said to one person."""

from __future__ import annotations

import pytest

from support.page import seen


def test_a_message_of_one_request_is_not_shown_twice(shop, bring):
    build_id = bring("pilot-launch")
    shop.post("/builds/new", {"copy_of": build_id, "copy_name": "Twin"})
    assert "This build was copied from" in shop.text("/settings")
    assert "This build was copied from" not in shop.text("/settings")


def test_a_cookie_that_was_tampered_with_is_nobody(app, shop):
    kept = shop.client.get_cookie("zygometra").value
    shop.text("/settings")
    stranger = app.test_client()
    stranger.set_cookie("zygometra", kept[:-2] + ("aa" if kept[-2:] != "aa" else "bb"))
    assert stranger.get("/settings").headers["Location"].startswith("/who")


def test_without_a_name_every_page_asks_for_it_and_comes_back(app, bring):
    build = bring("pilot-launch")
    client = app.test_client()
    response = client.get(f"/builds/{build}/stack?hole=2")
    assert response.status_code == 302
    assert response.location.startswith("/who?next=/builds/")
    form = seen(client.get(response.location)).one("form").sent()
    named = client.post("/who", data={**form, "person": "  Ada  B "})
    assert named.location == f"/builds/{build}/stack?hole=2"
    assert "Ada B" in seen(client.get("/")).text


@pytest.mark.parametrize("name", ["", "   ", "x" * 61, "a\x07b"])
def test_a_name_that_is_none_is_refused_in_words(shop, name):
    assert "wanted" in seen(shop.post("/who", {"person": name})).text


@pytest.mark.parametrize(
    "outside", ["https://example.org/", "//example.org", "/\\example.org", "javascript:x"]
)
def test_nobody_is_sent_outside_after_naming_themselves(shop, outside):
    assert shop.post("/who", {"person": "Ada", "next": outside}).location == "/"


def test_cookies_are_closed_to_scripts_and_other_sites(app):
    client = app.test_client()
    form = seen(client.get("/who")).one("form").sent()
    cookie = client.post("/who", data={**form, "person": "Ada"}).headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Lax" in cookie


def test_a_changed_cookie_is_nobody(app):
    client = app.test_client()
    client.set_cookie("zygometra", "eyJwZXJzb24iOiJNYWxsb3J5In0.forged.forged")
    assert client.get("/").status_code == 302


@pytest.mark.parametrize(
    ("choices", "says"),
    [
        ({"system": "inch"}, "inch first"),
        ({"system": "mm"}, "mm first"),
        ({"system": "furlong"}, "mm first"),
        ({"system": ""}, "mm first"),
    ],
)
def test_the_bar_says_which_unit_comes_first(shop, choices, says):
    shop.prefer(**choices)
    assert says in shop.page("/").one("navigation", "Tools").text


def test_what_one_person_prefers_is_nobody_elses(app, shop, pilot):
    tove = type(shop)(app, "Tove")
    shop.prefer(system="inch", quench="squish")
    assert "Squish" in shop.text(f"/builds/{pilot}/stack")
    assert "Squish" not in tove.text(f"/builds/{pilot}/stack")


def test_a_script_without_a_name_is_sent_to_name_itself(app, bring):
    build = bring("pilot-launch")
    response = app.test_client().get(f"/builds/{build}/stack/what-if", headers={"HX-Request": "true"})
    assert response.status_code == 401
    assert response.headers["HX-Redirect"].startswith("/who?next=/builds/")


def test_a_form_sent_without_a_name_changes_nothing(app, bring, stored):
    build = bring("pilot-launch")
    client = app.test_client()
    token = seen(client.get("/who")).carries("csrf_token")
    form = {"csrf_token": token, "plan": "[]", "version": "1"}
    response = client.post(f"/builds/{build}/plan", data=form)
    assert response.location.startswith("/who?next=/")
    assert stored(build).version == 1


@pytest.mark.parametrize("name", ["Ada", "Ünal Ørsted", "李", "O'Neill", "a" * 60, "Ada  B"])
def test_any_name_that_can_be_printed_will_do(app, name):
    client = app.test_client()
    form = seen(client.get("/who")).one("form").sent()
    assert client.post("/who", data={**form, "person": name}).status_code == 302
    assert " ".join(name.split()) in seen(client.get("/")).text


def test_the_record_keeps_the_identity_beside_the_name(app, shop, pilot, session):
    from zygometra.store.tables import ChangeRow

    shop.change(pilot, "parts.block.bore", "1", value="92.5 mm")
    with shop.client.session_transaction() as cookie:
        mine = cookie["person_id"]
    rows = session.query(ChangeRow).order_by(ChangeRow.id).all()
    assert [(row.actor, row.actor_id) for row in rows[1:]] == [("Ada", mine)]


def test_an_old_cookie_without_an_identity_gets_one(app):
    client = app.test_client()
    with client.session_transaction() as cookie:
        cookie["person"] = "Old hand"
    client.get("/")
    with client.session_transaction() as cookie:
        assert cookie["person"] == "Old hand"
        assert len(cookie["person_id"]) == 32
