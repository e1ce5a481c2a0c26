"""Which builds stand-ins for gauges serve: those of the demo shop. A copy of one is somebody's own."""

from __future__ import annotations

from zygometra.store.history import is_of_the_demo

from ..db import db
from .bench import Bench


def may_simulate(bench: Bench) -> bool:
    """Tell whether simulated gauges and probes may read a build."""
    found: bool = bench.kept.once("of the demo", lambda: is_of_the_demo(db(), bench.id))
    return found
