"""All judges asked, and what they say, worst first.

What is said of the plan changes with every lever; what is said of the figures holds for
every what-if of a version, so the two are asked apart.
"""

from __future__ import annotations

from collections.abc import Iterable

from ..build.model import Build
from ..house_rules import HouseRules
from ..stack.results import Evaluation
from ..wording import Reader
from . import chambers, cut_log, cuts, ends, faces, figures, logbook, room, totals, waiting, wanted
from .registry import Case, Judge
from .said import RANK, Code, Finding

# In the order in which they are asked.
OF_PLAN: tuple[Judge, ...] = (
    *room.JUDGES,
    *ends.JUDGES,
    *wanted.JUDGES,
    *cuts.JUDGES,
    *waiting.JUDGES,
)
OF_FIGURES: tuple[Judge, ...] = (
    *figures.JUDGES,
    *totals.JUDGES,
    *logbook.JUDGES,
    *cut_log.JUDGES,
    *faces.JUDGES,
    *chambers.JUDGES,
)
CODES: tuple[Code, ...] = tuple(code for judge in (*OF_PLAN, *OF_FIGURES) for code in judge.codes)


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
    """
    return tuple(sorted(found, key=lambda f: RANK[f.severity]))


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
