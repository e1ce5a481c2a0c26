"""The form of what was decided about facing: texts from a document and back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from zygometra.core.build.document import Document, with_leaf
from zygometra.core.faces.facing import GASKET_KINDS, TARGETS
from zygometra.core.faces.model import SET_UPS

from ..forms.form import Form
from ..forms.read import choice, length

TARGET_WORDS = {
    "clean": "each deck just cleaned",
    "common": "all decks to one height",
    "height": "a height that is named",
    "clearance": "the deck clearance aimed at",
}
# Of each length: its place in the document, its label, a hint, its range in mm, whether inches mean thou.
LENGTHS: tuple[tuple[str, tuple[str, ...], str, str, float, float, bool], ...] = (
    ("allowance", ("allowance",), "Metal at the lowest point", "for the clean-up cut", 0, 50, True),
    ("height", ("height",), "Finished height", "only for a height that is named", 1, 20_000, False),
    (
        "least",
        ("least_deck_height",),
        "Least deck height",
        "the maker's; below it nothing is cut",
        1,
        20_000,
        False,
    ),
    ("span_along", ("support_span", "along"), "Supports apart, along", "for shims", 0, 20_000, False),
    ("span_across", ("support_span", "across"), "Supports apart, across", "", 0, 20_000, False),
)
_CHOICES: tuple[tuple[str, tuple[str, ...], str], ...] = (
    ("gasket_kind", GASKET_KINDS, "kind of gasket"),
    ("set_up", SET_UPS, "set-up"),
    ("target", TARGETS, "target"),
)


def form_of(document: Mapping[str, Any]) -> dict[str, str]:
    """Return the form's texts for a build as it stands."""
    facing = document.get("facing") or {}
    form = {name: str(facing.get(name) or "") for name, _, _ in _CHOICES}
    for name, path, *_ in LENGTHS:
        node: Any = facing
        for key in path:
            node = (node or {}).get(key)
        form[name] = "" if node is None else f"{node} mm" if isinstance(node, (int, float)) else str(node)
    return form


def document_of(document: Mapping[str, Any], form: Form) -> Document:
    """Return the document that the form describes; a field that was not touched stays to the letter."""
    before = form_of(document)
    out = dict(document)
    for name, among, what in _CHOICES:
        chosen = form.take(name, choice(form[name], ("", *among), what=what))
        if form[name] != before[name]:
            out = with_leaf(out, ("facing", name), chosen or None)
    for name, path, _, _, low, high, small in LENGTHS:
        value = form.take(name, length(form[name], form.reader, low=low, high=high, small=small))
        if form[name] != before[name]:
            out = with_leaf(out, ("facing", *path), value)
    return out
