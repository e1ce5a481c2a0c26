"""Sessions: an identity each, that ends by itself, by leaving, and with another name; and who is let in at all."""

from __future__ import annotations

import time

import pytest
from flask.sessions import SecureCookieSessionInterface
from sqlalchemy import text
from tests.web.conftest import Shop

from support.page import seen
from zygometra.web import jobs
from zygometra.web.app import create_app
from zygometra.web.outside import Outside
from zygometra.web.sessions import LASTS, Endings

NAME = "zygometra"


def identity(shop):
    with shop.client.session_transaction() as cookie:
        return cookie["person_id"]


def copied(app, shop):
    """Another browser with a copy of this one's cookie."""
    other = app.test_client()
    other.set_cookie(NAME, shop.client.get_cookie(NAME).value)
    return other


def test_an_identity_lasts_while_the_name_does_and_is_nobody_elses(app):
    ada, tove = Shop(app), Shop(app, "Tove")
    before = identity(ada)
    ada.post("/who", {"person": "Ada"})
    assert identity(ada) == before
    assert len(before) == 32
    assert identity(tove) != before


def test_another_name_is_another_session_and_the_old_cookie_opens_nothing(app):
    ada = Shop(app)
    before, kept = identity(ada), copied(app, ada)
    assert kept.get("/").status_code == 200
    ada.post("/who", {"person": "Ines"})
    assert identity(ada) != before
    assert "Ines" in ada.text("/")
    assert kept.get("/").location.startswith("/who")


def test_who_leaves_is_nobody_and_neither_is_a_copy_of_the_cookie(app):
    ada = Shop(app)
    ada.prefer(system="inch")
    kept = copied(app, ada)
    assert kept.get("/").status_code == 200
    left = ada.post("/leave")
    assert left.location == "/who?left=1"
    assert ada.get("/").location.startswith("/who")
    assert kept.get("/").location.startswith("/who")
    page = ada.page("/who")
    assert "You have left the bench." in page.text
    assert page.one("form").sent()["person"] == ""
    # What was chosen of units and words is the machine's, not the person's.
    assert "inch first" in page.text


def test_the_page_of_the_name_offers_to_leave_only_where_there_is_one(app, shop):
    assert shop.page("/who").one("button", "Leave this bench")
    assert not seen(app.test_client().get("/who")).all("button", "Leave this bench")


def test_leaving_without_a_token_is_refused(shop):
    assert shop.client.post("/leave").status_code == 400
    assert shop.get("/").status_code == 200


def test_a_session_ends_when_nobody_came_for_as_long_as_it_lasts(app, shop, monkeypatch):
    kept = shop.client.get_cookie(NAME).value
    old = time.time() + LASTS.total_seconds() + 10
    monkeypatch.setattr("itsdangerous.timed.time.time", lambda: old)
    with app.test_request_context("/", headers={"Cookie": f"{NAME}={kept}"}) as context:
        opened = SecureCookieSessionInterface().open_session(app, context.request)
        assert not opened


def test_a_cookie_is_written_anew_once_a_day_and_not_more(app):
    ada = Shop(app)
    assert "Set-Cookie" not in ada.get("/").headers
    with ada.client.session_transaction() as cookie:
        cookie["day"] -= 1
    assert "Set-Cookie" in ada.get("/").headers
    assert "Set-Cookie" not in ada.get("/").headers


def test_what_was_ended_long_ago_is_forgotten(app, engine):
    with engine.begin() as connection:
        connection.execute(
            text("INSERT INTO ended_session (id, at) VALUES ('old', now() - interval '40 days')")
        )
    Shop(app).post("/leave")
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM ended_session WHERE id = 'old'")).scalar() == 0
        assert connection.execute(text("SELECT count(*) FROM ended_session")).scalar() == 1


def test_what_is_remembered_of_sessions_is_bounded():
    endings = Endings()
    for number in range(5000):
        endings.stands(str(number))
    assert not endings.heard("0")
    assert endings.heard("4999")
    endings.forget("4999")
    assert not endings.heard("4999")


# -- who is let in --------------------------------------------------------------


@pytest.fixture(scope="module")
def outside_app(migrated):
    """The application as it is reached over TLS by a name, behind one proxy."""
    outside = Outside(address="https://bench.example:8757", names=("10.1.2.3",), encrypted=True, proxies=1)
    made = create_app(engine=migrated, secret_key="only for tests", outside=outside)
    yield made
    jobs.close(made)
    made.extensions["reading engine"].dispose()


OURS = ["localhost", "localhost:8757", "127.0.0.1:1", "[::1]:8757", "LocalHost"]
NOT_OURS = [
    "evil.example",
    "localhost.evil.example",
    "evil.example:8757",
    "127.0.0.1.evil.example",
    "a" * 300,
    "",
    "local host",
    "[::2]",
    "localhost, evil.example",
    "localhost:99999999",
    "bench.example",
]


@pytest.mark.parametrize("host", OURS)
def test_loopback_by_any_of_its_names_is_let_in(app, host):
    assert app.test_client().get("/keys", headers={"Host": host}).status_code == 200


@pytest.mark.parametrize("host", NOT_OURS)
@pytest.mark.parametrize("address", ["/", "/who", "/static/x/css/all.css", "/healthz"])
def test_any_other_name_gets_a_short_400(app, host, address):
    response = app.test_client().get(address, headers={"Host": host})
    assert response.status_code == 400
    assert len(response.data) < 200
    assert "Set-Cookie" not in response.headers


@pytest.mark.parametrize("host", ["bench.example", "bench.example:8757", "10.1.2.3:8757", "localhost"])
def test_a_name_that_was_configured_is_let_in(outside_app, host):
    assert outside_app.test_client().get("/keys", headers={"Host": host}).status_code == 200


def test_headers_of_a_proxy_are_believed_only_where_one_was_declared(app, outside_app):
    forged = {"Host": "localhost", "X-Forwarded-Host": "evil.example", "X-Forwarded-Proto": "https"}
    assert app.test_client().get("/keys", headers=forged).status_code == 200
    assert outside_app.test_client().get("/keys", headers=forged).status_code == 400


def test_over_tls_cookies_go_no_other_way_and_browsers_are_told_to_come_so(app, outside_app):
    headers = {"Host": "bench.example", "X-Forwarded-Proto": "https"}
    response = outside_app.test_client().get("/who", headers=headers, base_url="https://bench.example")
    cookie = response.headers["Set-Cookie"]
    assert cookie.startswith("__Host-zygometra=")
    assert {"Secure", "HttpOnly", "Path=/", "SameSite=Lax"} <= {part.strip() for part in cookie.split(";")}
    assert response.headers["Strict-Transport-Security"] == "max-age=31536000"
    plain = app.test_client().get("/who")
    assert "Secure" not in plain.headers["Set-Cookie"]
    assert "Strict-Transport-Security" not in plain.headers


# -- is it well -----------------------------------------------------------------


def test_healthz_needs_no_name_and_says_what_guards_the_record(app):
    response = app.test_client().get("/healthz")
    assert response.status_code == 200
    assert response.json["database"] == "answers"
    assert response.json["migrations"] == "as this program wants them"
    assert response.json["record"] == "guarded by its role"
    assert response.json["disk"] == "takes what is written"


def test_healthz_tells_of_a_database_that_takes_nothing(app, owner):
    name = owner.url.database
    with owner.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text(f"ALTER DATABASE {name} SET default_transaction_read_only = on"))
    app.extensions["engine"].dispose()
    try:
        response = app.test_client().get("/healthz")
        assert response.status_code == 503
        assert response.json["disk"] == "does not take what is written"
    finally:
        with owner.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(text("SET default_transaction_read_only = off"))
            connection.execute(text(f"ALTER DATABASE {name} RESET default_transaction_read_only"))
        app.extensions["engine"].dispose()


def test_healthz_tells_of_tables_of_another_program(app, owner):
    with owner.begin() as connection:
        was = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    try:
        response = app.test_client().get("/healthz")
        assert response.status_code == 503
        assert "9999" in response.json["migrations"]
    finally:
        with owner.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = :was"), {"was": was})


def test_a_sheet_names_where_it_is_kept_only_where_that_was_told(app, outside_app, shop, pilot):
    away = Shop(outside_app, "Tove", base_url="https://bench.example")
    assert f"kept at https://bench.example:8757/builds/{pilot}/sheet" in away.text(f"/builds/{pilot}/sheet")
    assert "kept at" not in shop.text(f"/builds/{pilot}/sheet")
