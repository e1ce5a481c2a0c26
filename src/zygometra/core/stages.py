"""The stages of a build: where it may go from each, and what would show that it is there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple


class BuildProgress(NamedTuple):
    """What is known of a build: counts, without units.

    ``read`` of ``figures`` are measured or mocked up, ``operations`` are planned, ``stops``
    stand against it, ``cuts`` were made or begun by the log, planned or not.
    """

    figures: int = 0
    read: int = 0
    operations: int = 0
    stops: int = 0
    cuts: int = 0


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage.

    Parameters
    ----------
    key : str
        What it is called, on pages and in rows.
    evidence : str
        What shows that a build is there.
    shown : callable
        Tells from a :class:`BuildProgress` whether that is so, as far as it can be known.
    leads_to : tuple of str
        Where the order of work goes from here. A move elsewhere is free too: an engine
        comes back from the machinist, a plan is given up.
    """

    key: str
    evidence: str
    shown: Callable[[BuildProgress], bool]
    leads_to: tuple[str, ...]


STAGES: tuple[Stage, ...] = (
    Stage("on paper", "its figures come from catalogues", lambda _: True, ("measuring",)),
    Stage("measuring", "a figure of it is measured", lambda s: s.read > 0, ("ready to cut", "on paper")),
    Stage(
        "ready to cut",
        "a cut is planned and no stop stands against it",
        lambda s: s.operations > 0 and s.stops == 0,
        ("cut", "measuring"),
    ),
    Stage(
        "cut",
        "a cut was planned or made",
        lambda s: s.operations > 0 or s.cuts > 0,
        ("measuring", "signed off"),
    ),
    Stage("signed off", "no stop stands against it", lambda s: s.stops == 0, ("shelved",)),
    Stage("shelved", "nobody works on it", lambda _: True, ("on paper", "measuring")),
)

STAGE: dict[str, Stage] = {stage.key: stage for stage in STAGES}
STAGE_NAMES: tuple[str, ...] = tuple(STAGE)
FIRST, SIGNED_OFF, SHELVED = "on paper", "signed off", "shelved"
CLOSED = (SIGNED_OFF, SHELVED)
"""Stages in which figures and plan of a build stand as they are."""

OPEN_STAGES: tuple[str, ...] = tuple(name for name in STAGE_NAMES if name not in CLOSED)


def follows(stage: str, wanted: str) -> bool:
    """Tell whether a move is one step of the usual order of work.

    Parameters
    ----------
    stage, wanted : str
        From where to where.

    Returns
    -------
    bool
        False for a move that is allowed but unusual, and for a stage that is none.

    Examples
    --------
    >>> follows("measuring", "ready to cut"), follows("cut", "on paper")
    (True, False)
    """
    return stage in STAGE and wanted in STAGE[stage].leads_to


def moved_words(stage: str, wanted: str, reason: str = "") -> str:
    """Return a move as the record says it.

    Parameters
    ----------
    stage, wanted : str
        From where to where.
    reason : str
        Why, where somebody had to say.

    Returns
    -------
    str
        Such as ``measuring → ready to cut``.

    Examples
    --------
    >>> moved_words("cut", "signed off"), moved_words("signed off", "cut", "a ring broke")
    ('cut → signed off', 'signed off → cut: a ring broke')
    """
    return f"{stage} → {wanted}{': ' if reason else ''}{reason}"
