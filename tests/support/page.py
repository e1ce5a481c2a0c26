"""A reader of pages: finds what a person finds, by role, label and text, however the markup is laid out."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import Any

_VOID = {"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"}
_INPUT_ROLES = {
    "checkbox": "checkbox",
    "radio": "radio",
    "submit": "button",
    "button": "button",
    "search": "searchbox",
    "file": "file",
    "hidden": "hidden",
}
_ROLES = {
    "a": "link",
    "button": "button",
    "select": "combobox",
    "textarea": "textbox",
    "table": "table",
    "tr": "row",
    "li": "listitem",
    "form": "form",
    "nav": "navigation",
    "main": "main",
    "aside": "complementary",
    "dialog": "dialog",
    "option": "option",
    **{f"h{level}": "heading" for level in range(1, 7)},
}


@dataclass(eq=False)
class Element:
    """One element: its tag, its attributes, and what lies in it."""

    tag: str
    attrs: dict[str, str]
    parent: Element | None = None
    children: list[Element | str] = field(default_factory=list)

    def __iter__(self) -> Iterator[Element]:
        """Every element in it, in the order of the page."""
        for child in self.children:
            if isinstance(child, Element):
                yield child
                yield from child

    @property
    def text(self) -> str:
        """What it says: white space folded, none before a mark that ends a phrase."""
        folded = re.sub(r"\s+", " ", " ".join(self.texts())).strip()
        return re.sub(r" (?=[,.;:!?)”])|(?<=[(“]) ", "", folded)

    def texts(self) -> Iterator[str]:
        """Every piece of text in it."""
        for child in self.children:
            if isinstance(child, str):
                yield child
            elif child.tag not in ("script", "style", "template"):
                yield from child.texts()

    @property
    def role(self) -> str:
        """What it is to a person: stated, or by its tag."""
        if "role" in self.attrs:
            return self.attrs["role"]
        if self.tag == "input":
            return _INPUT_ROLES.get(self.attrs.get("type", "text"), "textbox")
        return _ROLES.get(self.tag, "")

    @property
    def id(self) -> str:
        """Its id; empty where it has none."""
        return self.attrs.get("id", "")

    @property
    def classes(self) -> set[str]:
        """Its classes."""
        return set(self.attrs.get("class", "").split())

    @property
    def root(self) -> Element:
        """The page it is on."""
        return self if self.parent is None else self.parent.root

    @property
    def name(self) -> str:
        """What it is called: its aria-label, its label, or what it says."""
        if "aria-label" in self.attrs:
            return self.attrs["aria-label"]
        if self.role in ("textbox", "searchbox", "combobox", "checkbox", "radio", "file"):
            return next((label.text for label in self._labels()), "")
        return self.text

    def _labels(self) -> Iterator[Element]:
        for element in self.root:
            if element.tag == "label" and self.id and element.attrs.get("for") == self.id:
                yield element
        above = self.parent
        while above is not None:
            if above.tag == "label":
                yield above
            above = above.parent

    @property
    def described(self) -> str:
        """What stands beside it to explain it, its faults among it."""
        ids = self.attrs.get("aria-describedby", "").split()
        return " ".join(element.text for place in ids for element in self.root if element.id == place)

    @property
    def value(self) -> str:
        """What a form would send of it."""
        if self.tag == "select":
            options = [e for e in self if e.tag == "option"]
            chosen = [e for e in options if "selected" in e.attrs] or options[:1]
            return chosen[0].attrs.get("value", chosen[0].text) if chosen else ""
        if self.tag == "textarea":
            return "".join(c for c in self.children if isinstance(c, str)).removeprefix("\n")
        return self.attrs.get("value", "on" if self.role in ("checkbox", "radio") else "")

    def all(self, role: str = "", name: str | None = None, *, tag: str = "", **attrs: str) -> list[Element]:
        """Every element in it of a role, a name, a tag, with some attributes (``data_of`` is ``data-of``)."""
        wanted = {key.rstrip("_").replace("_", "-"): value for key, value in attrs.items()}
        return [
            e
            for e in self
            if (not role or e.role == role)
            and (not tag or e.tag == tag)
            and all(e.attrs.get(key) == value for key, value in wanted.items())
            and (name is None or e.name == name)
        ]

    def one(self, role: str = "", name: str | None = None, *, tag: str = "", **attrs: str) -> Element:
        """The one element that this finds; anything else is a failure that says what was there."""
        found = self.all(role, name, tag=tag, **attrs)
        wanted = " ".join(filter(None, [tag, role, repr(name) if name else "", str(attrs or "")]))
        there = sorted({f"{e.role} {e.name!r}" for e in self.all(role, tag=tag)})[:40]
        assert len(found) == 1, f"{len(found)} of {wanted}; there are {there}"
        return found[0]

    def field(self, label: str) -> Element:
        """The one field of a label."""
        found = [
            e
            for e in self
            if e.tag in ("input", "select", "textarea") and e.role != "hidden" and e.name == label
        ]
        assert len(found) == 1, f"{len(found)} fields {label!r}; there are {sorted(self.labels())}"
        return found[0]

    def labels(self) -> set[str]:
        """What the fields in it are called."""
        return {e.name for e in self if e.tag in ("input", "select", "textarea") and e.role != "hidden"}

    def carries(self, name: str) -> str:
        """What the one hidden input of a name carries."""
        (found,) = {e.value for e in self.all("hidden", name_=name)}
        return found

    def sent(self) -> dict[str, str]:
        """What a browser would send of its fields as they stand."""
        out = {}
        for e in self:
            name = e.attrs.get("name")
            if not name or e.tag not in ("input", "select", "textarea") or e.role in ("button", "file"):
                continue
            if e.role in ("checkbox", "radio") and "checked" not in e.attrs:
                continue
            out[name] = e.value
        return out

    def rows(self) -> list[list[str]]:
        """The rows of a table as texts, its head among them."""
        return [
            [cell.text for cell in row.children if isinstance(cell, Element)] for row in self.all(tag="tr")
        ]


class _Reader(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.top = self.open = Element("page", {})

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        element = Element(tag, {key: value or "" for key, value in attrs}, self.open)
        self.open.children.append(element)
        if tag not in _VOID:
            self.open = element

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.open.children.append(Element(tag, {k: v or "" for k, v in attrs}, self.open))

    def handle_endtag(self, tag: str) -> None:
        at: Element | None = self.open
        while at is not None and at.tag != tag:
            at = at.parent
        if at is not None and at.parent is not None:
            self.open = at.parent

    def handle_data(self, data: str) -> None:
        self.open.children.append(data)


def read(html: str) -> Element:
    """Read a page, or a part of one."""
    reader = _Reader()
    reader.feed(html)
    reader.close()
    return reader.top


def seen(response: Any) -> Element:
    """The page that a response brought, whatever its status."""
    return read(response.get_data(as_text=True))


def plain(html: str) -> str:
    """What a page says, white space folded."""
    return read(html).text
