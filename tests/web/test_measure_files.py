"""What comes to a logbook beside single readings: photographs made small, and tables both ways."""

from __future__ import annotations

import io

import pytest
from PIL import Image
from tests.web.test_measure import taken, tug

from support.cases import vector
from support.page import seen
from zygometra.web.measure.photos import KEPT_BYTES, made_small

__all__ = ["tug"]


# -- photographs ------------------------------------------------------------------


def photograph(size=(2400, 1800), form="JPEG", **more):
    noise = Image.effect_noise(size, 90).convert("RGB")
    out = io.BytesIO()
    noise.save(out, form, **more)
    return out.getvalue()


def with_place():
    exif = Image.Exif()
    exif[0x010F] = "Camera of somebody"
    exif.get_ifd(0x8825)[2] = (51.0, 30.0, 0.0)
    return photograph((800, 600), exif=exif.tobytes())


def send(shop, build, content, key="p1", fact="tug-found-1"):
    upload = {"key": key, "fact": fact, "file": (io.BytesIO(content), "a.jpg")}
    return shop.post(f"/builds/{build}/measure/photo", upload, content_type="multipart/form-data")


@pytest.mark.parametrize("form", ["JPEG", "PNG"])
def test_a_photograph_is_kept_small(shop, tug, form):
    assert send(shop, tug, photograph((320, 240), form)).status_code == 302
    response = shop.get(f"/builds/{tug}/measure/photos/p1.jpg")
    assert response.content_type == "image/jpeg"
    assert Image.open(io.BytesIO(response.get_data())).format == "JPEG"
    large = photograph((2400, 1800), form)
    assert len(large) > 2_000_000
    assert 0 < len(made_small(large)) <= KEPT_BYTES


def test_where_it_was_taken_is_not_in_it():
    content = with_place()
    assert Image.open(io.BytesIO(content)).getexif().get_ifd(0x8825)
    kept = made_small(content)
    assert not dict(Image.open(io.BytesIO(kept)).getexif())
    assert b"Camera of somebody" not in kept


@pytest.mark.parametrize(
    "content",
    [b"", b"GIF89a", b"\xff\xd8\xff\xe0 broken", photograph((60, 60))[:400], b"%PDF-1.4", b"<svg/>"],
)
def test_what_is_no_photograph_is_one_sentence(shop, tug, content):
    response = send(shop, tug, content)
    assert response.status_code == 422
    assert "wanted a JPEG or a PNG" in seen(response).text
    assert send(shop, tug, photograph((20, 20)), fact="nothing").status_code == 404


# -- tables -----------------------------------------------------------------------


def table(shop, build, content, name="readings.csv"):
    upload = {"file": (io.BytesIO(content.encode()), name)}
    return shop.post(f"/builds/{build}/measure/logbook.csv", upload, content_type="multipart/form-data")


def test_a_logbook_goes_out_and_comes_in_once(shop, tug, bring, session):
    written = shop.get(f"/builds/{tug}/measure/logbook.csv").get_data(as_text=True)
    other = bring("harbour-tug")
    before = taken(session, other)
    assert table(shop, other, written).status_code == 302
    assert taken(session, other).readings == before.readings
    fresh = vector("tarnbeck-plain")["build"]
    empty = bring(fresh)
    assert table(shop, empty, written).status_code == 302
    # Shots come back as texts with their units: other writing, the same readings.
    assert taken(session, empty).readings == before.readings
    assert len(taken(session, empty).voided) == 1


def test_a_damaged_table_is_refused_by_line_and_nothing_is_half_taken(shop, tug, session):
    before = taken(session, tug)
    bad = "figure,cylinder,value [mm]\ndeck_clearance,1,0.31\ndeck_clearance,9,0.3\nbore,2,x\n"
    response = table(shop, tug, bad)
    assert response.status_code == 422
    says = seen(response).text
    assert "line 3, cylinder: found cylinder 9" in says
    assert "line 4, value" in says
    assert taken(session, tug) == before
    assert shop.post(f"/builds/{tug}/measure/logbook.csv", {}).status_code == 422
