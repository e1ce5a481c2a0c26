"""Checked cases and the demo shop's build files, as data."""

from __future__ import annotations

import json
from pathlib import Path

VECTORS = Path(__file__).parents[1] / "vectors"
DEMO = Path(__file__).parents[2] / "src/zygometra/demo/builds"


def vector(name: str) -> dict:
    """A checked case: its build and what is expected of it."""
    return json.loads((VECTORS / f"{name}.json").read_text())


def demo(name: str) -> dict:
    """One of the demo shop's build files."""
    return json.loads((DEMO / f"{name}.json").read_text())
