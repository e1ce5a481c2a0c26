"""Whether the sheet of a cut is released, as pages and sheets show it."""

from __future__ import annotations

from typing import NamedTuple

from zygometra.core.cutting.judged import Against
from zygometra.core.cutting.release import HoldReason, Release, ReleaseState, releases

from ..build.bench import Bench
from .view import standings_of


class ReleasedLine(NamedTuple):
    """One reason why a sheet is not released: ``key`` names it in a form, empty where it is not signed here."""

    says: str
    key: str


class ReleaseShown(NamedTuple):
    """How a sheet stands: its state, why, what may be signed for, and what was accepted by whom."""

    state: str
    why: tuple[ReleasedLine, ...]
    signable: tuple[ReleasedLine, ...]
    accepted: tuple[str, ...]


def release_of(bench: Bench, against: Against) -> Release | None:
    """Return how the sheet of a cut stands, planned or not; None where the build cannot be evaluated."""
    if bench.evaluation is None:
        return None
    gates = standings_of(bench, (against,))
    found = releases(
        bench.build,
        bench.evaluation,
        rules=bench.rules,
        gates=gates,
        findings=bench.findings,
        also=(against,),
    )
    return next((one for one in found if one.against == against), None)


def worst_of(bench: Bench) -> str:
    """Return how the sheets of a build stand, the one that is furthest from the machine; empty where it has none."""
    if bench.evaluation is None:
        return ""
    found = releases(
        bench.build, bench.evaluation, rules=bench.rules, gates=standings_of(bench), findings=bench.findings
    )
    return max((one.state for one in found), key=_WORST.index, default="")


_WORST: tuple[ReleaseState, ...] = ("released", "to check first", "not released")


def released(bench: Bench, against: Against) -> ReleaseShown | None:
    """Return how the sheet of a cut stands as it is shown."""
    release = release_of(bench, against)
    if release is None:
        return None
    lines = tuple(_line(bench, one) for one in release.reasons)
    accepted = tuple(
        f"{one.says.written(bench.reader)} — accepted by {by.by}, {by.at[:10]}: “{by.reason}”"
        for one, by in release.accepted
    )
    return ReleaseShown(release.state, lines, tuple(line for line in lines if line.key), accepted)


def _line(bench: Bench, one: HoldReason) -> ReleasedLine:
    """A gate is passed where gates are; what is final, nowhere."""
    signed_here = not one.is_final and one.gate is None
    return ReleasedLine(one.says.written(bench.reader), one.key if signed_here else "")
