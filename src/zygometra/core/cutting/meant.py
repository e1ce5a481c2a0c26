"""A build as it was meant: from before its first pass, with what was planned still to come."""

from __future__ import annotations

from dataclasses import replace

from ..build.cut_log import NOTHING_CUT
from ..build.model import Build
from ..measuring.cut_since import passes_over
from ..measuring.figures import measure
from ..measuring.logbook import Reading
from ..place import Place


def as_meant(build: Build) -> Build:
    """Return a build as it was planned: before its first pass, with the readings of that time.

    Parameters
    ----------
    build : Build
        With its log and its readings.

    Returns
    -------
    Build
        Without a log; what was read after the first pass that moved it is left out, so that its planned state is
        what was meant to come. What no cut moved counts whenever it was read.
    """
    decks = [one.at for one in build.cuts.passes if one.at and one.place.op == "deck_cut"]
    begun = min(decks, default="")
    bare = replace(
        build,
        figures=build.figures if build.paper is None else build.paper,
        paper=None,
        in_use=None,
        cuts=NOTHING_CUT,
        surveyed_at={},
        surveys=tuple(
            one for one in build.surveys if one.face != "deck" or not begun or not one.at or one.at < begun
        ),
    )
    if build.logbook is None:
        return bare
    first: dict[tuple[Place, str], str] = {}

    def is_before(one: Reading) -> bool:
        key = (one.place, one.figure)
        if key not in first:
            first[key] = min(passes_over(build, *key), default="")
        return not first[key] or not one.at or one.at < first[key]

    before = tuple(one for one in build.logbook.readings if is_before(one))
    return measure(bare, replace(build.logbook, readings=before))


def to_come_as_meant(build: Build) -> Build:
    """Return a build for its sheet: what is planned from before its first pass, what nobody planned as it was cut.

    Parameters
    ----------
    build : Build
        With its log and its readings.
    """
    meant = {
        one.place: any(op.op == one.place.op and op.bank in (None, one.place.bank) for op in build.planned)
        for one in build.cuts.passes
    }
    if not any(meant.values()):
        return build
    planned, rest = (
        replace(build.cuts, passes=tuple(one for one in build.cuts.passes if meant[one.place] is asked))
        for asked in (True, False)
    )
    return replace(as_meant(replace(build, cuts=planned)), cuts=rest)
