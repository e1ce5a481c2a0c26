"""Checked cases and the demo shop's build files, as data."""

from __future__ import annotations

import json
from pathlib import Path

from zygometra.core.build.document import with_leaf

VECTORS = Path(__file__).parents[1] / "vectors"
DEMO = Path(__file__).parents[2] / "src/zygometra/demo/builds"


def vector(name: str) -> dict:
    """A checked case: its build and what is expected of it."""
    return json.loads((VECTORS / f"{name}.json").read_text())


def demo(name: str) -> dict:
    """One of the demo shop's build files."""
    return json.loads((DEMO / f"{name}.json").read_text())


def single(planned=(), **figures):
    """The proud single, its figures changed by place, two underlines between the keys."""
    document = vector("pellam-single-proud")["build"]
    document["planned"] = list(planned)
    for path, raw in figures.items():
        document = with_leaf(document, tuple(path.split("__")), raw)
    return document
