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
