"""The application on the real database, driven without a browser."""

from __future__ import annotations

import pytest

from support.cases import demo
from support.page import read
from support.people import by
from support.shelves import BLOCK, part
from zygometra.core.measuring.facts import body_of
from zygometra.core.mix.parts import MAKING, Part
from zygometra.store import builds, facts
from zygometra.store import shelf as store
from zygometra.web import jobs
from zygometra.web.app import create_app


class Shop:
    """A person at the bench: asks for pages, sends forms with their token."""

    def __init__(self, app, name="Ada", base_url="http://localhost"):
        self.client = app.test_client()
        self.client.environ_base |= {"HTTP_HOST": base_url.rsplit("/", 1)[1]}
        with self.client.session_transaction() as cookie:
            cookie["person"] = name
        self.get("/settings")

    def get(self, address, **headers):
        return self.client.get(address, headers={k.replace("_", "-"): v for k, v in headers.items()})

    def html(self, address, **headers):
        """The markup of a page, for what only markup can show; asked again while work goes on behind it."""
        while True:
            response = self.get(address, **headers)
            assert response.status_code == 200, (address, response.status_code)
            text = response.get_data(as_text=True)
            if not any(waits in text for waits in ('class="help searching"', "still judged by the older")):
                return text

    def page(self, address, **headers):
        """A page, to be read by role, label and text."""
        return read(self.html(address, **headers))

    def text(self, address, **headers):
        """What a page says."""
        return self.page(address, **headers).text

    def post(self, address, form=None, *, htmx=False, **more):
        token = self.page("/settings").carries("csrf_token")
        headers = {"HX-Request": "true"} if htmx else {}
        return self.client.post(address, data={"csrf_token": token, **(form or {})}, headers=headers, **more)

    def sent(self, address, form):
        """Send what was typed in a form of a page, with the version that the page carries now."""
        version = next(f.sent()["version"] for f in self.page(address).all("form") if "version" in f.sent())
        return self.post(address, {"version": version, **form})

    def form(self, address, action):
        """A form of a page as it would be sent untouched."""
        return self.page(address).one("form", action=action, method="post").sent()

    def change(self, build, at, version="1", *, htmx=False, **form):
        """Send the form of a figure."""
        return self.post(f"/builds/{build}/figure", {"at": at, "version": version, **form}, htmx=htmx)

    def aim_form(self, build, **changed):
        """The form of the aims as its page carries it, with some fields changed."""
        form = self.page(f"/builds/{build}/aim").one("form", action=f"/builds/{build}/aim").sent()
        return {k: v for k, v in form.items() if k != "csrf_token"} | changed

    def prefer(self, **choices):
        self.post("/settings", choices)


@pytest.fixture(scope="session")
def made(migrated):
    """The application, made once for a worker: its templates need compiling only then."""
    app = create_app(engine=migrated, secret_key="only for tests", TESTING=False)
    yield app
    jobs.close(app)
    app.extensions["reading engine"].dispose()


@pytest.fixture
def app(made, engine):
    """The application on an empty database, with nothing kept."""
    made.extensions["kept builds"].clear()
    return made


@pytest.fixture
def shop(app):
    return Shop(app)


@pytest.fixture
def bring(session):
    """Keep a demo build (or a document) and return its number."""

    def keep(document, stage="on paper", says="for a test"):
        document = demo(document) if isinstance(document, str) else document
        build_id = builds.create(session, document, entry=by("Tove", says), stage=stage)
        session.commit()
        return build_id

    return keep


@pytest.fixture
def barge(bring):
    """The half-cut face of the demo shop."""
    return bring("canal-barge")


@pytest.fixture
def kept(session):
    """What was noted of a build, of one kind, in its order."""

    def noted(build, kind):
        session.expire_all()
        return [body_of(one.record) for one in facts.since(session, build) if one.kind == kind]

    return noted


@pytest.fixture
def stored(session):
    """Load a build as it is kept."""

    def load(build_id):
        session.rollback()
        return builds.load(session, build_id)

    return load


@pytest.fixture
def pilot(bring):
    """A build of four holes with a plan."""
    return bring("pilot-launch")


@pytest.fixture
def stocked(session):
    """A shelf with one nominal part of each kind."""
    parts = [BLOCK, *(part(kind, f"{kind}-0") for kind in MAKING)]
    store.take_in(session, parts, entry=by("Ada", "for the test"))
    session.commit()
    return session


@pytest.fixture
def varied(stocked):
    """The same shelf, and some parts that do not go with them."""
    parts = [
        part("piston", "tall", compression_height=37.5),
        part("rod", "unknown", length=None),
        part("head", "other", words={"head_pattern": "V14"}),
        Part("bearing", "BR-1", figures={"journal": 50.0}, texts={"place": "rod"}, price=900),
    ]
    store.take_in(stocked, parts, entry=by("Ada", "for the test"))
    stocked.commit()
    return stocked


@pytest.fixture
def states(varied):
    """How far each part of the shelf is, by its code."""

    def read_all():
        varied.rollback()
        codes = [*((kind, f"{kind}-0") for kind in MAKING), ("piston", "tall"), ("bearing", "BR-1")]
        return {code: store.load_part(varied, kind, code).part.state for kind, code in codes}

    return read_all
