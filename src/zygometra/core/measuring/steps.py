"""Steps of the work as they were done: what gates ask after, and what they make void or due again."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from ..build.model import Bank


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


class Step(NamedTuple):
    """A step that was done: what, how it stands, where, and in whose words."""

    id: str
    kind: StepKind
    state: str
    bank: str = ""
    cylinder: int | None = None
    says: str = ""
    by: str = ""
    at: str = ""
    typed: Mapping[str, Any] = {}

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


def read_step(raw: Mapping[str, Any]) -> Step:
    """Return a step of a file or of a fact that was checked when it was taken in.

    Parameters
    ----------
    raw : Mapping
        An entry of ``steps``.
    """
    from .read_in import moment

    return Step(
        raw["id"],
        KIND[raw["step"]],
        state=raw["state"],
        bank=raw.get("bank") or "",
        cylinder=raw.get("cylinder"),
        says=raw.get("says") or "",
        by=raw.get("by") or "",
        at=_done_at(raw.get("on"), moment(raw["at"]) if raw.get("at") else ""),
        typed=raw,
    )


def _done_at(day: str | None, noted: str) -> str:
    """When a step was done: as it was noted, or at the end of an earlier day that it names.

    Of a day nobody knows the hour: what was read that day is not taken to have been read after it.
    """
    from .read_in import moment

    if not day:
        return noted
    on = moment(day)[:10]
    return noted if noted and on >= noted[:10] else f"{on}T23:59:59.999999Z"


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
