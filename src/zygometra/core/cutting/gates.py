"""How gates stand: met, open, or accepted by somebody with a reason that still covers what stands against them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Literal, NamedTuple

from ..build.model import Build
from ..gates import GATE, Gate, covers
from ..measuring.signed import Accepted
from ..stack.results import Evaluation
from .judged import Against, judged

# A value that differs by less is the same: the last bits of a sum.
_SAME = 1e-9
GateState = Literal["open", "accepted", "met"]


class GateStanding(NamedTuple):
    """A gate before one cut: what stands against it, the values that it hangs on, and the acceptance if there is one.

    ``lapsed`` names the places whose values changed since it was signed.
    """

    gate: Gate
    against: Against
    fails: tuple[str, ...]
    covers: Mapping[str, float | None]
    signed: Accepted | None
    lapsed: tuple[str, ...]

    @property
    def state(self) -> GateState:
        """``met`` where nothing stands against it, ``accepted`` where somebody signed for all of it, else ``open``."""
        if not self.fails:
            return "met"
        signed = self.signed is not None and not self.lapsed and covers(self.signed.fails, self.fails)
        return "accepted" if signed else "open"

    @property
    def is_passed(self) -> bool:
        """True where it is met or accepted."""
        return self.state != "open"


def all_standings(
    build: Build, evaluation: Evaluation, now: str = "", also: Iterable[Against] = ()
) -> tuple[GateStanding, ...]:
    """Return every gate that the cuts of a build meet, and how it stands before each, in the order of work.

    Parameters
    ----------
    build : Build
        With its plan, its log, its steps, and who signed.
    evaluation : Evaluation
        Of it.
    now : str
        This moment, as facts carry it.
    also : iterable of Against
        Cuts that nobody planned and that are about to be made.

    Returns
    -------
    tuple of Standing
        With the newest acceptance of each.
    """
    signed: dict[tuple[int, str], Accepted] = {}
    for one in build.signed.accepted if build.signed is not None else ():
        if one.gate is not None:
            signed[one.gate, one.against] = one
    found = []
    for number, against, fails, on in judged(build, evaluation, now, also):
        own = [signed[number, key] for key in (against.key, "") if (number, key) in signed]
        mine = max(own, key=lambda acceptance: acceptance.at, default=None)
        found.append(
            GateStanding(
                gate=GATE[number],
                against=against,
                fails=fails,
                covers=on,
                signed=mine,
                lapsed=_lapsed(mine, on),
            )
        )
    return tuple(found)


def _lapsed(mine: Accepted | None, on: Mapping[str, float | None]) -> tuple[str, ...]:
    """The places whose values changed; one for all cuts covers more places than one cut hangs on."""
    if mine is None:
        return ()
    places = [place for place in mine.covers if mine.against or place in on]
    return tuple(place for place in places if _moved(mine.covers, on, place))


def _moved(before: Mapping[str, float | None], now: Mapping[str, float | None], place: str) -> bool:
    was, is_ = before.get(place), now.get(place)
    if was is None or is_ is None:
        return was is not is_
    return abs(was - is_) > _SAME
