"""The application on the real database, driven without a browser."""

from __future__ import annotations

import pytest

from support.cases import demo
from support.page import read
from zygometra.store import builds
from zygometra.web import bench as benches
from zygometra.web.app import create_app


class Shop:
    """A person at the bench: asks for pages, sends forms with their token."""

    def __init__(self, app, name="Ada"):
        self.client = app.test_client()
        with self.client.session_transaction() as cookie:
            cookie["person"] = name
        self.get("/settings")

    def get(self, address, **headers):
        return self.client.get(address, headers={k.replace("_", "-"): v for k, v in headers.items()})

    def html(self, address, **headers):
        """The markup of a page, for what only markup can show."""
        response = self.get(address, **headers)
        assert response.status_code == 200, (address, response.status_code)
        return response.get_data(as_text=True)

    def page(self, address, **headers):
        """A page, to be read by role, label and text."""
        return read(self.html(address, **headers))

    def text(self, address, **headers):
        """What a page says."""
        return self.page(address, **headers).text

    def post(self, address, form=None, htmx=False, **more):
        token = self.page("/settings").carries("csrf_token")
        headers = {"HX-Request": "true"} if htmx else {}
        return self.client.post(address, data={"csrf_token": token, **(form or {})}, headers=headers, **more)

    def prefer(self, **choices):
        self.post("/settings", choices)


@pytest.fixture
def app(engine):
    benches._KEPT.clear()
    made = create_app(engine=engine, secret_key="only for tests", TESTING=False)
    yield made
    made.extensions["reading engine"].dispose()


@pytest.fixture
def shop(app):
    return Shop(app)


@pytest.fixture
def bring(session):
    """Keep a demo build (or a document) and return its number."""

    def keep(document, stage="on paper"):
        document = demo(document) if isinstance(document, str) else document
        build_id = builds.create(session, document, actor="Tove", says="for a test", stage=stage)
        session.commit()
        return build_id

    return keep


@pytest.fixture
def stored(session):
    """Load a build as it is kept."""

    def load(build_id):
        session.rollback()
        return builds.load(session, build_id)

    return load
