"""The path of a build: its stations as they are shown, with how far each is."""

from __future__ import annotations

from .. import urls
from ..stations import STATIONS
from .bench import Bench
from .fragments import Stop


def besides(bench: Bench, station: str) -> tuple[Stop, ...]:
    """Return the benches side by side under a station; empty where it is one page."""
    of = next((s for s in STATIONS if s.key == station), None)
    return tuple(
        Stop(b.key, b.label, urls.station(bench.id, b.address), "", *b.state(bench))
        for b in (of.benches if of is not None else ())
    )


def path_of(bench: Bench) -> tuple[Stop, ...]:
    """Return the stations of a build in working order."""
    return tuple(
        Stop(s.key, s.label, urls.station(bench.id, s.address), s.letter, *s.state(bench)) for s in STATIONS
    )
