"""Components: every macro is used and shown, and none is written again by hand."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import zygometra.web
from support.page import read

WEB = Path(zygometra.web.__file__).parent
TEMPLATES = sorted(WEB.rglob("*.html"))
COMPONENTS = sorted((WEB / "components/templates/components").glob("*.html"))
OTHERS = [path for path in TEMPLATES if path not in COMPONENTS]
MACROS = [
    (path.stem, name) for path in COMPONENTS for name in re.findall(r"\{% macro (\w+)\(", path.read_text())
]
named = {"ids": lambda path: path.relative_to(WEB).as_posix()}


@pytest.mark.parametrize(("component", "macro"), MACROS)
def test_every_macro_is_used(component, macro):
    everywhere = "".join(path.read_text() for path in TEMPLATES)
    calls = len(re.findall(rf"\b{macro}\(", everywhere))
    assert calls > 1, f"{component}.{macro} is written and used nowhere"


@pytest.mark.parametrize("path", OTHERS, **named)
def test_no_template_writes_what_a_component_writes(path):
    text = path.read_text()
    assert 'name="csrf_token"' not in text
    assert 'name="version"' not in text
    assert not re.search(r"<form[^>]*method=\"post\"", text), "a form that changes something is form.post"
    assert "style=" not in text
    assert not re.search(r"\son[a-z]+=", text)


@pytest.mark.parametrize("path", TEMPLATES, **named)
def test_a_template_holds_no_dictionary_and_no_arithmetic(path):
    inside = re.findall(r"\{\{(.*?)\}\}|\{%(.*?)%\}", path.read_text(), re.S)
    for expression in (a or b for a, b in inside):
        plain = re.sub(r'"[^"]*"|\'[^\']*\'', '""', expression)
        assert not re.search(r"[{]\s*\"\"\s*:", plain), expression
        assert not re.search(r"\d\s*[*/]\s*\w|\w\s*[*/]\s*\d", plain), expression


@pytest.mark.parametrize("path", TEMPLATES, **named)
def test_one_element_a_line(path):
    for number, line in enumerate(path.read_text().splitlines(), 1):
        assert len(line) <= 120, number
        blocks = re.findall(
            r"<(?:div|section|fieldset|table|tr|ul|ol|li|form|p|h[1-6]|nav|main|header|select)\b", line
        )
        assert len(blocks) <= 1, f"{path.name}:{number}: {line.strip()}"


@pytest.fixture
def patterns(shop):
    return read(shop.html("/patterns"))


def test_the_patterns_show_every_state_of_a_field(patterns):
    assert [e for e in patterns if e.attrs.get("aria-invalid") == "true"]
    assert [e for e in patterns if "is-danger" in e.classes]
    labels = {e.text for e in patterns.all(tag="label")}
    assert {"A choice at fault"} <= labels


def test_the_patterns_show_every_basis_and_every_mark(patterns):
    shown = {name for e in patterns if "basis" in e.classes for name in e.classes} - {"basis"}
    assert shown >= {"measured", "mock-up", "catalogue", "advertised", "assumed"}
    for word in ("Stop", "Check", "Note", "Fine"):
        assert word in patterns.text


def test_the_patterns_show_every_state_of_a_station(patterns):
    states = {name for e in patterns if "station" in e.classes for name in e.classes} - {"station"}
    assert states >= {"done", "part", "due", "blocked"}


def test_a_form_that_changes_something_carries_its_token_and_its_version(patterns):
    forms = [e for e in patterns.all("form") if e.attrs.get("method") == "post"]
    assert forms
    for form in forms:
        sent = form.sent()
        assert sent["csrf_token"]
    assert [form for form in forms if "version" in form.sent()]


@pytest.mark.parametrize(
    "address", ["/", "/builds/new", "/settings", "/house-rules", "/shelf/rod/new", "/shelf/rules", "/who"]
)
def test_every_field_has_a_label_and_every_form_a_button(shop, stocked, address):
    page = shop.page(address)
    labelled = {e.attrs.get("for") for e in page.all(tag="label")}
    for element in page:
        if element.tag in ("select", "textarea", "input") and element.attrs.get("type") not in ("hidden",):
            inside = element.attrs.get("type") in ("radio", "checkbox")
            assert inside or element.attrs.get("id") in labelled or "aria-label" in element.attrs, (
                element.attrs
            )
    for form in page.all("form"):
        assert form.all("button"), (address, form.attrs)
        if form.attrs.get("method") == "post":
            assert form.sent()["csrf_token"]


def test_every_page_names_itself_and_has_one_main_part(shop, pilot, stocked):
    pages = [
        "/",
        "/builds/new",
        "/settings",
        "/house-rules",
        "/keys",
        "/shelf",
        "/mix?block=B1",
        f"/builds/{pilot}/aim",
    ]
    titles = set()
    for address in pages:
        page = shop.page(address)
        titles.add(page.one(tag="title").text)
        assert len(page.all(tag="main")) == 1, address
        assert page.one(tag="html").attrs["lang"] == "en"
    assert len(titles) == len(pages)


@pytest.mark.parametrize(
    "address", ["/", "/patterns", "/house-rules", "/shelf/piston/new", "/mix", "/builds/new"]
)
def test_attributes_stand_apart(shop, address):
    html = re.sub(r"<script.*?</script>", "", shop.html(address), flags=re.S)
    for tag in re.findall(r"<[a-z][^<>]*>", html):
        assert not re.search(r'="[^"]*"[a-z-]', tag), tag


def test_a_moment_is_written_as_html_wants_it(shop, pilot):
    page = shop.page(f"/builds/{pilot}/record")
    moments = [e.attrs["datetime"] for e in page if e.tag == "time"]
    assert moments
    assert all(re.fullmatch(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d[+-]\d\d:\d\d", moment) for moment in moments)
