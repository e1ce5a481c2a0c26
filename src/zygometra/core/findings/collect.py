"""All judges asked, and what they say, worst first.

What is said of the plan changes with every lever; what is said of the figures holds for
every what-if of a version, so the two are asked apart.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from ..build.model import Build
from ..digits import count_of
from ..house_rules import HouseRules
from ..stack.results import Evaluation
from ..wording import Reader
from . import (
    chambers,
    cut_log,
    cuts,
    ends,
    faces,
    figures,
    fuel,
    logbook,
    pieces,
    room,
    totals,
    waiting,
    wanted,
)
from .registry import Case, Judge
from .said import RANK, Code, Finding

# In the order in which they are asked.
OF_PLAN: tuple[Judge, ...] = (
    *room.JUDGES,
    *ends.JUDGES,
    *wanted.JUDGES,
    *cuts.JUDGES,
    *waiting.JUDGES,
    *fuel.JUDGES,
)
OF_FIGURES: tuple[Judge, ...] = (
    *figures.JUDGES,
    *totals.JUDGES,
    *logbook.JUDGES,
    *pieces.JUDGES,
    *cut_log.JUDGES,
    *faces.JUDGES,
    *chambers.JUDGES,
)
CODES: tuple[Code, ...] = tuple(code for judge in (*OF_PLAN, *OF_FIGURES) for code in judge.codes)
# What stands for a figure that is impossible or breaks a floor: no name and no reason sign it away.
FINAL: frozenset[str] = frozenset(code.key for code in CODES if code.is_final)


def findings(
    build: Build, evaluation: Evaluation, rules: HouseRules, reader: Reader | None = None
) -> tuple[Finding, ...]:
    """Return everything worth saying about a build, worst first.

    Parameters
    ----------
    build : Build
        The build.
    evaluation : Evaluation
        Of that build.
    rules : HouseRules
        In force.
    reader : Reader, optional
        Units and words of the sentences; millimetres where left out.

    Returns
    -------
    tuple of Finding
        Stops first, then warnings, then notes.
    """
    case, write = Case(build, evaluation, rules), reader or Reader()
    return worst_first([*of_plan(case, write), *of_figures(case, write)])


def worst_first(found: Iterable[Finding]) -> tuple[Finding, ...]:
    """Return findings with stops first, then warnings, then notes.

    Parameters
    ----------
    found : iterable of Finding
        In any order.

    Returns
    -------
    tuple of Finding
        While readings of a hole contradict one another, none of them advises a cut from their mean.
    """
    listed = sorted(found, key=lambda f: RANK[f.severity])
    unsettled = {n for one in listed if one.code in _CONTRADICT for n in one.where.holes}
    return tuple(_without_a_cut(one, unsettled) if one.code in _ADVISE_A_CUT else one for one in listed)


# What says that readings contradict one another, or paper; and what advises to move metal.
_CONTRADICT = frozenset(code.key for code in (logbook.CAUSE, logbook.SCATTERS, logbook.GAUGES_DIFFER))
_ADVISE_A_CUT = frozenset(
    code.key
    for code in (
        room.OVER_GASKET,
        room.OVER_LAND,
        wanted.UNDER_FLOOR,
        wanted.UNDER_WINDOW,
        wanted.OVER_CEILING,
        wanted.RATIO_OUTSIDE,
        wanted.CLEARANCE_OUTSIDE,
        wanted.SPREAD,
    )
)


def _without_a_cut(one: Finding, unsettled: set[int]) -> Finding:
    several = sorted(unsettled & set(one.where.holes))
    if not several:
        return one
    who = count_of(several).lower()
    return replace(
        one, do=f"Settle first what contradicts in {who}: read again; nothing is cut from that mean."
    )


def of_plan(case: Case, reader: Reader) -> list[Finding]:
    """Return what is to be said of the planned state: it changes with every lever.

    Parameters
    ----------
    case : Case
        Build, evaluation and rules.
    reader : Reader
        Units and words.
    """
    return [finding for judge in OF_PLAN for finding in judge.ask(case, reader)]


def of_figures(case: Case, reader: Reader) -> list[Finding]:
    """Return what is to be said of the figures themselves, whatever is planned.

    Parameters
    ----------
    case : Case
        Build, evaluation and rules.
    reader : Reader
        Units and words.
    """
    return [finding for judge in OF_FIGURES for finding in judge.ask(case, reader)]
