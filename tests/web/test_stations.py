"""Where one can be: rooms and stations as one table each, that bar, path, keys and addresses read."""

from __future__ import annotations

import pytest
from flask import url_for

from zygometra.web import stations, urls
from zygometra.web.build.bench import open_bench
from zygometra.web.build.path import path_of
from zygometra.web.stations import KEYS, ROOMS, STATIONS, keys
from zygometra.web.words import counted


def test_every_letter_leads_to_one_place():
    letters = [room.letter for room in ROOMS] + [station.letter for station in STATIONS]
    others = [letter for said, _ in KEYS for letter in said.split() if len(letter) == 1 and letter.isalpha()]
    assert len(set(letters + others)) == len(letters + others)


def test_every_room_and_station_is_a_page(app):
    known = {rule.endpoint for rule in app.url_map.iter_rules()}
    assert {room.endpoint for room in ROOMS} <= known
    assert {f"{station.key}.page" for station in STATIONS} <= known
    blueprints = {name for room in ROOMS for name in room.blueprints}
    assert blueprints <= set(app.blueprints)


def test_addresses_by_hand_are_those_of_the_routes(app):
    with app.test_request_context("/"):
        for station in STATIONS:
            assert urls.station(7, station.address) == url_for(f"{station.key}.page", build_id=7)
        assert urls.station(7, "stack", hole=3) == url_for("stack.page", build_id=7, hole=3)
        assert urls.station(7, "stack/what-if") == url_for("stack.what_if", build_id=7)
        assert urls.station(7, "stack", plan='[{"a": 1}]', hole=1).startswith(
            urls.station(7, "stack") + "?plan="
        )


@pytest.mark.parametrize(
    ("query", "address"),
    [
        ({}, "/x"),
        ({"a": None, "b": ""}, "/x"),
        ({"a": 0}, "/x?a=0"),
        ({"a": "b c&d", "e": "ü"}, "/x?a=b+c%26d&e=%C3%BC"),
    ],
)
def test_a_query_leaves_out_what_is_empty(query, address):
    assert urls.with_query("/x", query) == address


def test_the_keys_page_names_every_letter(shop):
    page = shop.text("/keys")
    for letter, does in keys():
        assert f"{letter} {does}" in page
    assert "f the shop floor" in page
    assert "s the stack of this build" in page


@pytest.mark.parametrize(
    ("address", "room", "how"),
    [
        ("/", "Shop floor", "page"),
        ("/builds/new", "Shop floor", "true"),
        ("/shelf", "Parts shelf", "page"),
        ("/shelf/rod/new", "Parts shelf", "true"),
        ("/mix", "Mix", "page"),
        ("/house-rules", "House rules", "page"),
    ],
)
def test_the_bar_says_where_one_is(shop, address, room, how):
    bar = shop.page(address).one("navigation", "Rooms of the shop")
    assert [
        (link.text, link.attrs["aria-current"]) for link in bar.all("link") if "aria-current" in link.attrs
    ] == [(room, how)]


@pytest.mark.parametrize("address", ["/settings", "/keys", "/who", "/patterns"])
def test_some_pages_lie_in_no_room(shop, address):
    bar = shop.page(address).one("navigation", "Rooms of the shop")
    assert not [link for link in bar.all("link") if "aria-current" in link.attrs]
    assert [link.text for link in bar.all("link")] == [room.label for room in ROOMS]


def test_a_build_lies_on_the_shop_floor_and_says_its_station(shop, pilot):
    for station in STATIONS:
        page = shop.page(f"/builds/{pilot}/{station.address}")
        bar = page.one("navigation", "Rooms of the shop")
        assert [e.text for e in bar.all("link") if e.attrs.get("aria-current")] == ["Shop floor"]
        path = page.one("navigation", "Stations of this build")
        links = path.all("link")
        assert [link.attrs["data-key"] for link in links] == [s.letter for s in STATIONS]
        assert [link.attrs["href"] for link in links] == [f"/builds/{pilot}/{s.address}" for s in STATIONS]
        here = [link for link in links if link.attrs.get("aria-current") == "page"]
        assert [link.text.split()[0] for link in here] == [station.label.split()[0]]


def states(app, build_id):
    with app.test_request_context("/"):
        return {stop.key: (stop.state, stop.says) for stop in path_of(open_bench(build_id))}


def test_how_far_each_station_is(app, bring):
    pilot = states(app, bring("pilot-launch"))
    assert pilot["aim"] == ("done", "windows set")
    assert pilot["figures"] == ("part", "7 of 20 measured")
    assert pilot["stack"] == ("done", "2 operations")
    # A plan whose gates stand open goes to no machine yet.
    assert pilot["sheet"] == ("part", "not released")
    assert pilot["record"] == ("done", "version 1")
    stopped = states(app, bring("hill-climb"))
    assert stopped["stack"] == ("blocked", "1 stop")
    assert stopped["sheet"] == ("blocked", "a stop stands")


def test_a_build_with_nothing_done_has_its_stations_before_it(app, bring):
    from support.cases import vector

    document = vector("tarnbeck-plain")["build"]
    document["targets"], document["planned"] = {}, []
    found = states(app, bring(document))
    assert found["aim"] == ("due", "no windows yet")
    assert found["stack"] == ("due", "nothing planned")
    assert found["sheet"] == ("due", "no cut yet")


@pytest.mark.parametrize(
    ("number", "words"), [(0, "0 stops"), (1, "1 stop"), (2, "2 stops"), (21, "21 stops")]
)
def test_so_many_of_a_thing(number, words):
    assert counted(number, "stop") == words


def test_a_place_is_spoken_of_in_small_letters():
    first, *_ = known = keys()
    assert first[0] == "?"
    assert all(does[0].islower() for _, does in known)


@pytest.mark.parametrize(
    "number", ["0", "99", "9223372036854775807", "9223372036854775808", "9" * 30, "-1", "1.0", "²", "0x1"]
)
@pytest.mark.parametrize("page", ["stack", "figures", "record", "sheet.pdf", "build.json"])
def test_a_number_that_no_build_has_is_no_page(shop, pilot, number, page):
    response = shop.get(f"/builds/{number}/{page}")
    assert response.status_code == 404
    assert "There is nothing here" in response.get_data(as_text=True)


def test_every_bench_has_a_folder_with_what_a_bench_has(app):
    from pathlib import Path

    import zygometra.web

    web = Path(zygometra.web.__file__).parent
    for name in stations.benches():
        assert (web / name / "routes.py").is_file(), name
        assert (web / name / "templates" / name).is_dir(), name
        assert name in app.blueprints
    assert len(stations.benches()) == len(set(stations.benches()))
    assert set(stations.benches()) >= {station.key for station in STATIONS}
