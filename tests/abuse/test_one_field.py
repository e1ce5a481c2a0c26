"""Forms as their pages carry them, filled in well, with one field damaged: deeper than nonsense all over.

``./test`` runs a slice of it, ``./test abuse`` much more.
"""

from __future__ import annotations

import itertools
import random

import pytest
from tests.abuse.test_abuse import SEED, WHOLE
from tests.web.conftest import Shop
from tests.web.test_hostile import NASTY

from support.page import read
from zygometra.demo import load_demo
from zygometra.web import jobs
from zygometra.web.app import create_app

SHARE = 0.1 if WHOLE else 0.004
# What looks like a number and is none, or is one that no computer holds, and words cut off.
ODD = [
    *NASTY,
    "٣",
    "1" * 5000,
    "00011" + "1" * 400,
    "h²",
    "b²",
    "-0",
    "1e-320",
    "0,1,2",
    "1 1/0 in",
    "\x00",
    "🔧" * 200,
    "A|B",
    "deck_cut|",
    "1.1",
    "true",
    "null",
    '{"a":1}',
    "[]",
]
# What a person would type into fields that stand empty, by their names.
TYPED = {
    "depth": "0.03 mm",
    "value": "1.2 mm",
    "reason": "because it is so",
    "why": "typed twice",
    "what": "a pore",
    "machine": "Mill 2",
    "says": "as it was",
    "text": "Which gasket?",
    "option.0": "thin",
    "option.1": "thick",
    "ask": "Tove",
    "name": "Tove Arkell",
    "who": "Tove",
    "way": "on the phone",
    "sweep.0": "0.01",
    "sweep.1": "0.01",
    "sweep.2": "0.02",
    "sweep.3": "0.02",
    "spring": "0.01",
    "moved": "none",
    "along": "500",
    "feed": "0.1",
    "speed": "80",
    "sure": "yes",
}
BUILDS = ("Canal barge 2.6", "Timber hauler V8", "Harbour tug 2.6", "Kiln blower 1.6", "Pilot launch 2.3")
# Pages with forms that are reached with more than the build's number.
DEEPER = (
    "cut-log/deck_cut/A",
    "cut-log/deck_cut/left",
    "cut-log/head_cut/A",
    "cut-log/set/crown_cut",
    "measure/read?figure=deck_clearance&way=tipped",
    "measure/read?figure=chamber_volume&way=shots",
    "measure/at?place=cylinders.1.deck_clearance",
    "figure?at=parts.block.bore",
)


@pytest.fixture
def shop(migrated, engine):
    """Somebody at the demo shop."""
    load_demo(engine)
    app = create_app(engine=migrated, secret_key="only for tests")
    yield Shop(app)
    jobs.close(app)
    app.extensions["reading engine"].dispose()


def missing(sent, name, _draws):
    del sent[name]
    return sent


def doubled(sent, name, draws):
    return {**sent, name: [sent[name], draws.choice(ODD)]}


def broken(sent, name, _draws):
    return {**sent, name: f"{sent[name]}\r\nX-Evil: 1\nmore"}


def of_another(sent, name, draws):
    """A field of another form beside, or in the place of its own."""
    other = draws.choice(list(TYPED))
    return {**{k: v for k, v in sent.items() if k != name}, other: TYPED[other]}


def odd_for(odd):
    return lambda sent, name, _draws: {**sent, name: odd}


STRUCTURE = {"missing": missing, "doubled": doubled, "broken": broken, "of another": of_another}
CHANGES = [*STRUCTURE.items(), *((odd, odd_for(odd)) for odd in ODD)]


def posted(shop, action, sent, headers):
    token = {"csrf_token": shop.page("/settings").carries("csrf_token")}
    typed_by = {"X-Typed-By": "Ada"} if headers.get("X-Queue") else {}
    return shop.client.post(action, data={**sent, **token}, headers={**headers, **typed_by}).status_code


def pages(app, build):
    """Every page of a build that needs nothing but its number, and some that need more."""
    with app.test_request_context("/"):
        for rule in app.url_map.iter_rules():
            if rule.arguments == {"build_id"} and "GET" in rule.methods and "streams" not in rule.rule:
                yield rule.build({"build_id": build})[1]
    yield from (f"/builds/{build}/{more}" for more in DEEPER)


def forms(shop, address):
    """The forms of a page, as what each sends to where; none where there is no page."""
    response = shop.get(address)
    if response.status_code != 200 or "text/html" not in response.content_type:
        return []
    found = read(response.get_data(as_text=True)).all("form", method="post")
    return [(form.attrs["action"], filled_in(form)) for form in found]


def filled_in(form):
    """What a form sends once its empty fields are filled in."""
    sent = form.sent()
    names = {field.attrs["name"] for field in form if "name" in field.attrs}
    return sent | {name: text for name, text in TYPED.items() if name in names and not sent.get(name)}


@pytest.mark.parametrize("build", BUILDS if WHOLE else BUILDS[:2])
def test_one_odd_field_in_a_good_form_is_no_fault_of_ours(shop, session, build):
    from zygometra.store.tables import BuildRow

    number = session.query(BuildRow.id).filter_by(name=build).scalar()
    draws, faults, seen, statuses = random.Random(f"{SEED} {build}"), [], set(), {}
    for address in pages(shop.client.application, number):
        for place, (action, good) in enumerate(forms(shop, address)):
            known = (action, *sorted(good))
            if known in seen or action == "/leave":
                continue
            seen.add(known)
            names = sorted(good.keys() - {"csrf_token"})
            for name, (how, change) in itertools.product(names, CHANGES):
                if draws.random() >= SHARE * (8 if how in STRUCTURE else 1):
                    continue
                sent = change(dict(good), name, draws)
                headers = {"X-Queue": "k-1"} if draws.random() < 0.2 else {}
                status = posted(shop, action, sent, headers)
                statuses[status] = statuses.get(status, 0) + 1
                if status >= 500:
                    faults.append((status, action, name, how[:60]))
                if status == 302:
                    # It was kept: the page carries another version now.
                    now = forms(shop, address)
                    good = next((form for at, form in now[place:] if at == action), good)
    print(f"\n{build}: {len(seen)} forms, {statuses}")
    assert faults == []
    assert len(seen) > 25
    assert statuses.keys() >= {302, 422}
