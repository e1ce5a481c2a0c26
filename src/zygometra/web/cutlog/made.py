"""Cuts that were made, in words: told on every page that speaks of the engine as it stands."""

from __future__ import annotations

from zygometra.core.build.cut_log import FACES
from zygometra.core.cutting.signing import Made, cuts_made

from ..build.bench import Bench
from .view import called


def made_words(bench: Bench) -> list[str]:
    """Return what the log says is off, face by face and piece by piece, planned or not."""
    if not bench.build.cuts.passes:
        return []
    return [_words(bench, one) for one in cuts_made(bench.build, bench.rules) if one.place.op != "rods"]


def _words(bench: Bench, one: Made) -> str:
    name = called(bench, one.place) if one.place.op in FACES else f"Crown of hole {one.place.cylinder}"
    off = f"{name}: {bench.reader.length(one.now.done, 0.002)} off"
    if one.now.left is None:
        return f"{off}, nothing was planned"
    if one.now.left:
        return f"{off}, {bench.reader.length(one.now.left, 0.002)} left"
    past = one.now.past
    return f"{off}, {bench.reader.length(past, 0.002)} more than was planned" if past else f"{off}, done"
