"""Gates that measuring passes: what stands against them, who signed for it, and whether that still covers it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from ..build.model import Build
from ..gates import GATE, Gate, covers
from ..house_rules import SCHOOL
from ..stack.results import Evaluation, Hole
from ..windows import Window
from .facts import Fact
from .logbook import place_of

_READ = ("measured", "mock-up")
_CHAMBER, _DEPTH = "parts.head.chamber_volume", "mock-up.deck_clearance"
# A value that differs by less is the same: the last bits of a sum.
_SAME = 1e-9


class Signed(NamedTuple):
    """An acceptance: who signed, when, why, what stood against it, and the places and values it covered."""

    by: str
    at: str
    reason: str
    fails: tuple[str, ...]
    covers: Mapping[str, float | None]


class Standing(NamedTuple):
    """A gate: what stands against it, the values that it hangs on, and the acceptance if there is one.

    ``lapsed`` names the places whose values changed since it was signed.
    """

    gate: Gate
    fails: tuple[str, ...]
    covers: Mapping[str, float | None]
    signed: Signed | None
    lapsed: tuple[str, ...]

    @property
    def is_passed(self) -> bool:
        """True where nothing stands against it, or somebody signed for all of it and nothing changed."""
        if not self.fails:
            return True
        return self.signed is not None and not self.lapsed and covers(self.signed.fails, self.fails)


def standings(build: Build, evaluation: Evaluation, accepted: Iterable[Fact]) -> tuple[Standing, ...]:
    """Return the gates that the plan of a build meets, as far as measuring passes them.

    Parameters
    ----------
    build : Build
        With its plan.
    evaluation : Evaluation
        Of it.
    accepted : iterable of Fact
        The acceptances among its facts, in their order.

    Returns
    -------
    tuple of Standing
        Gate 6 where a deck cut is planned, gate 9 where a head cut is; the newest acceptance of each.
    """
    signed: dict[int, Signed] = {}
    for fact in accepted:
        body = fact.body
        signed[int(body["gate"])] = Signed(
            str(body.get("by") or fact.by),
            str(body.get("at") or fact.at),
            str(body["reason"]),
            tuple(body.get("fails") or ()),
            dict(body.get("covers") or {}),
        )
    found = []
    for number, fails, on in _gates(build, evaluation):
        mine = signed.get(number)
        lapsed = (
            () if mine is None else tuple(place for place in mine.covers if _moved(mine.covers, on, place))
        )
        found.append(Standing(GATE[number], fails, on, mine, lapsed))
    return tuple(found)


def _moved(before: Mapping[str, float | None], now: Mapping[str, float | None], place: str) -> bool:
    was, is_ = before.get(place), now.get(place)
    if was is None or is_ is None:
        return was is not is_
    return abs(was - is_) > _SAME


def _gates(
    build: Build, evaluation: Evaluation
) -> Iterator[tuple[int, tuple[str, ...], dict[str, float | None]]]:
    ops = {op.op for op in build.planned}
    holes = evaluation.now.holes
    if "deck_cut" in ops:
        on = {
            str(place_of("deck_clearance", cylinder=hole.number)): hole.outcome.deck_clearance
            for hole in holes
        }
        by_mock_up = build.school == "mock-up-only"
        fails = (
            _not_read(holes, _DEPTH, "deck clearance not read") if by_mock_up else _loose(build, evaluation)
        )
        yield 6, fails, on
    if "head_cut" in ops:
        on = {str(place_of("chamber_volume", cylinder=hole.number)): _value(hole, _CHAMBER) for hole in holes}
        yield 9, _not_read(holes, _CHAMBER, "chamber not measured"), on


def _value(hole: Hole, path: str) -> float | None:
    source = hole.sources.get(path)
    return None if source is None else source.quantity.value


def _not_read(holes: Iterable[Hole], path: str, says: str) -> tuple[str, ...]:
    found = []
    for hole in holes:
        source = hole.sources.get(path)
        if source is None or source.quantity.basis not in _READ:
            found.append(f"hole {hole.number}: {says}")
    return tuple(found)


def _loose(build: Build, evaluation: Evaluation) -> tuple[str, ...]:
    """Holes whose computed band does not fit its window: paper alone does not release the cut."""
    found = []
    windows: dict[str, Window] = {
        "deck_clearance": build.targets.deck_clearance,
        "quench": build.targets.quench,
    }
    for hole in evaluation.planned.holes:
        for name, window in windows.items():
            value, half = getattr(hole.outcome, name), getattr(hole.outcome.doubts, name).half
            if value is not None and not window.is_open and window.side(value, half):
                found.append(
                    f"hole {hole.number}: the band of its {name.replace('_', ' ')} leaves the window"
                )
    return tuple(found)


def school_words(build: Build) -> str:
    """Return the school that decides how a deck cut is released, in words.

    Parameters
    ----------
    build : Build
        The build.
    """
    school = SCHOOL.get(build.school)
    return school.label if school else "the shop's own rules"
