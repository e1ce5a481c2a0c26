"""Steps of the work as they were done: what gates ask after, and what they make void or due again."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Annotated, Any, NamedTuple

from ..build.model import Bank
from ..quantity import Unstated
from ..records import Record
from ..slots import HOLE, ID, NOTE, WORDS, Moment, OneOf


class StepKind(NamedTuple):
    """One kind of step.

    Parameters
    ----------
    key : str
        As files have it.
    label : str
        What was done, in words.
    states : tuple of str
        What may be said of it, the first where nothing else is.
    feeds : tuple of str
        Figures that it changes: what was read of them before is to be read again.
    acts_on : str
        ``engine``, ``bank`` or ``hole``: how narrow its place may be.
    """

    key: str
    label: str
    states: tuple[str, ...]
    feeds: tuple[str, ...] = ()
    acts_on: str = "engine"


KINDS: tuple[StepKind, ...] = (
    StepKind(
        "line-hone",
        "mains line-honed",
        ("done", "not needed", "rise left as stock"),
        ("deck_height", "deck_clearance"),
    ),
    StepKind("id-pad", "engine number", ("recorded", "on no machined face")),
    StepKind("covers", "covers that share the deck plane", ("bolted on", "none share it")),
    StepKind("deck-cut", "deck faced", ("done",), ("deck_height", "deck_clearance"), acts_on="bank"),
    StepKind("bore", "bored", ("done",), ("bore",), acts_on="hole"),
    StepKind("finish-hone", "finish-honed", ("done",), ("bore",), acts_on="hole"),
    StepKind("seats", "valve seats cut", ("done",), ("chamber_volume",), acts_on="hole"),
    StepKind("head-cut", "head faced", ("done",), ("chamber_volume",), acts_on="bank"),
    StepKind("cam-bores", "cam bores", ("line read", "cam turns freely", "line-bored"), (), acts_on="bank"),
    StepKind(
        "crown-cut",
        "crowns faced",
        ("done",),
        ("compression_height", "deck_clearance", "crown_volume"),
        acts_on="hole",
    ),
    StepKind("elsewhere", "what the cuts moved elsewhere", ("checked again",)),
    StepKind("matched", "matched parts", ("with their hole",)),
)
KIND: dict[str, StepKind] = {kind.key: kind for kind in KINDS}
STATES: tuple[str, ...] = tuple(dict.fromkeys(state for kind in KINDS for state in kind.states))


class Step(Record, frozen=True, kw_only=True, eq=False):
    """A step of the work as it was done: a fact; what, how it stands, where, and in whose words.

    ``at`` is when it was done: as it was noted, or at the end of an earlier day that it names. Of a day nobody
    knows the hour: what was read that day is not taken to have been read after it.
    """

    id: Annotated[str, ID]
    step: Annotated[str, OneOf(*KIND)]
    state: Annotated[str, OneOf(*STATES)]
    bank: Annotated[str, NOTE] = ""
    cylinder: Annotated[int | None, HOLE] = None
    on: Annotated[str, Moment()] = ""
    says: Annotated[str, WORDS] = ""
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Moment()] = ""

    @classmethod
    def understood(
        cls, _raw: Mapping[str, Any], values: dict[str, Any], _unstated: Unstated
    ) -> dict[str, Any]:
        """Return when it was done."""
        noted, day = values.get("at", ""), values.get("on", "")[:10]
        if day and not (noted and day >= noted[:10]):
            values["at"] = f"{day}T23:59:59.999999Z"
        return values

    @property
    def kind(self) -> StepKind:
        """What was done."""
        return KIND[self.step]

    def acts_on(self, bank: str, cylinder: int) -> bool:
        """Tell whether it changed a hole.

        Parameters
        ----------
        bank : str
            The hole's bank.
        cylinder : int
            The hole; no unit.
        """
        return self.bank in ("", bank) and self.cylinder in (None, cylinder)

    @property
    def words(self) -> str:
        """The step in words, with its place."""
        where = f", bank {self.bank}" if self.bank else f", hole {self.cylinder}" if self.cylinder else ""
        state = "" if self.state == "done" else f": {self.state}"
        return f"{self.kind.label}{where}{state}"


def seat_work(steps: Iterable[Step], banks: Iterable[Bank]) -> dict[int, str]:
    """Return when valve seats were last cut, by hole: a chamber read before that is void, numbers without a unit.

    Parameters
    ----------
    steps : iterable of Step
        In their order.
    banks : iterable of Bank
        Of the build.

    Returns
    -------
    dict of int to str
        Times as text that sorts by time; holes without seat work, or of which nobody said when, are left out.
    """
    found: dict[int, str] = {}
    for bank in banks:
        for number in bank.cylinders:
            times = [s.at for s in steps if s.kind.key == "seats" and s.at and s.acts_on(bank.name, number)]
            if times:
                found[number] = max(times)
    return found
