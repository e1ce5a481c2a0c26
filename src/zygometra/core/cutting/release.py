"""Whether the sheet of a cut is released: what was read, what was accepted, and what nobody may sign away."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import Literal, NamedTuple

from ..build.model import Build
from ..findings.collect import FINAL
from ..findings.said import Finding
from ..house_rules import HouseRules
from ..measuring.signed import Accepted
from ..measuring.simulated import simulated_places
from ..sentence import Sentence, sentence
from ..stack.evaluate import evaluate
from ..stack.results import Evaluation, Hole
from ..wording import Reader
from ..written import Limit
from .gates import GateStanding
from .judged import BEFORE_THE_CUT, CHAMBER, DEPTH, HEIGHT, READ, Against, cuts_of
from .meant import as_meant

ReleaseState = Literal["released", "to check first", "not released"]
ABOUT = "sheet"
# A depth that differs by less is the same.
_SAME = 1e-9
# Schools in which only a reading on the parts releases a cut.
_STRICT = ("mock-up-only",)
# What of a hole is read before a cut of it is released: one of these, by the lever.
_WANTED: dict[str, tuple[tuple[str, ...], str]] = {
    "deck_cut": ((DEPTH, HEIGHT), "neither its deck clearance nor its deck height was read"),
    "head_cut": ((CHAMBER,), "its chamber was not read"),
    "crown_cut": (
        (DEPTH, "parts.piston.compression_height"),
        "neither its piston nor its deck clearance was read",
    ),
}
SHEETS = tuple(_WANTED)


class HoldReason(NamedTuple):
    """One thing that keeps a sheet from being released.

    ``key`` is what a signature names it by, whoever reads; ``only_check`` says that it is to be checked and bars
    nothing by itself; ``is_final`` that no signature takes it away; ``gate`` is the number of a gate that is passed
    by an acceptance of its own.
    """

    key: str
    says: Sentence
    only_check: bool = False
    is_final: bool = False
    gate: int | None = None


class Release(NamedTuple):
    """How the sheet of one cut stands: why it is not released, and what was accepted with whose name.

    ``covers`` is what a signature under it hangs on: the depth of the cut, by its name.
    """

    against: Against
    state: ReleaseState
    reasons: tuple[HoldReason, ...]
    accepted: tuple[tuple[HoldReason, Accepted], ...]
    covers: dict[str, float | None]

    def why(self, reader: Reader | None = None) -> tuple[str, ...]:
        """Return the reasons in words.

        Parameters
        ----------
        reader : Reader, optional
            Units and words; those of files where left out.
        """
        write = reader or Reader()
        return tuple(one.says.written(write) for one in self.reasons)


def releases(
    build: Build,
    evaluation: Evaluation,
    rules: HouseRules,
    gates: Iterable[GateStanding],
    findings: Iterable[Finding],
    also: Iterable[Against] = (),
) -> tuple[Release, ...]:
    """Return how the sheet of every cut of a build stands: of decks, heads and crowns, bank by bank.

    Parameters
    ----------
    build : Build
        With its plan, its log, and who signed.
    evaluation : Evaluation
        Of it.
    rules : HouseRules
        In force.
    gates : iterable of GateStanding
        Of the build.
    findings : iterable of Finding
        Of the build.
    also : iterable of Against
        Cuts that nobody planned and that are about to be made.

    Returns
    -------
    tuple of Release
        Released only on what was read or accepted. What nobody read, a part of which nothing was measured, and a
        limit that was raised by hand are to be checked first; where only a reading releases, they bar.
    """
    meant = evaluate(as_meant(build)) if build.cuts.passes else evaluation
    accepted = build.signed.accepted if build.signed is not None else ()
    signed = [one for one in accepted if one.about == ABOUT]
    standing, found = tuple(gates), tuple(findings)
    cuts = [one for one in dict.fromkeys((*cuts_of(build), *also)) if one.op in SHEETS]
    return tuple(
        _release(
            build,
            one,
            [*_reasons(build, one, meant=meant, rules=rules, gates=standing, findings=found)],
            signed,
        )
        for one in cuts
    )


def _release(build: Build, against: Against, reasons: list[HoldReason], signed: list[Accepted]) -> Release:
    strict = build.school in _STRICT
    accepted, left = [], []
    covers = {f"amount of {against.key}": _amount(build, against)}
    holding = [one for one in signed if one.against == against.key and _holds(one, covers)]
    for one in reasons:
        mine = next((s for s in reversed(holding) if one.key in s.fails), None)
        if mine is not None and not one.is_final:
            accepted.append((one, mine))
        else:
            left.append(one)
    bars = [one for one in left if strict or not one.only_check]
    state: ReleaseState = "not released" if bars else "to check first" if left else "released"
    return Release(against=against, state=state, reasons=tuple(left), accepted=tuple(accepted), covers=covers)


def _amount(build: Build, against: Against) -> float | None:
    """How much is planned at the most of a cut, in mm; None where nothing is."""
    own = [op.deepest for op in build.planned if op.op == against.op and op.bank in (None, "", against.bank)]
    return math.fsum(own) if own else None


def _holds(one: Accepted, covers: Mapping[str, float | None]) -> bool:
    """Whether the cut is still the one that was signed for."""
    for place, now in covers.items():
        was = one.covers.get(place)
        if was is None or now is None:
            if was is not now:
                return False
        elif abs(was - now) > _SAME:
            return False
    return True


def _reasons(
    build: Build,
    against: Against,
    meant: Evaluation,
    rules: HouseRules,
    gates: tuple[GateStanding, ...],
    findings: tuple[Finding, ...],
) -> Iterator[HoldReason]:
    """What keeps the sheet of a cut from being released, worst first."""
    holes = [hole for hole in meant.now.holes if against.bank in ("", hole.bank)]
    numbers = {hole.number for hole in holes}
    for found in findings:
        if found.severity == "stop" and _touches(found, numbers, against):
            key = f"stop {found.code} at {found.where}"
            yield HoldReason(key, sentence("{says}", says=found.says), is_final=found.code in FINAL)
    for gate in gates:
        if gate.against == against and gate.gate.number in BEFORE_THE_CUT and gate.state == "open":
            number = str(gate.gate.number)
            says = sentence("gate {number} is open: {fails}", number=number, fails=_few(gate.fails))
            yield HoldReason(f"gate {number}", says, gate=gate.gate.number)
    simulated = simulated_places(build)
    yield from _simulated(holes, simulated)
    unread = [hole for hole in holes if not _is_read(hole, against, simulated)]
    if unread and len(unread) == len(holes):
        says = sentence("nothing of it was measured: it stands on paper alone")
        yield HoldReason("nothing measured", says, only_check=True)
    else:
        for hole in unread:
            says = sentence("hole {hole}: {what}", hole=str(hole.number), what=_WANTED[against.op][1])
            yield HoldReason(f"hole {hole.number} not read", says, only_check=True)
    yield from _raised(build, against, rules)


def _few(fails: tuple[str, ...]) -> str:
    more = f" and {len(fails) - 3} more" if len(fails) > 3 else ""
    return "; ".join(fails[:3]) + more


def _touches(found: Finding, numbers: set[int], against: Against) -> bool:
    """Whether a finding speaks of the part that is cut: of its holes, of its bank, or of the whole engine."""
    if found.where.holes:
        return bool(numbers & set(found.where.holes))
    return found.where.bank in ("", against.bank) or not against.bank


def _is_read(hole: Hole, against: Against, simulated: frozenset[str]) -> bool:
    sources = (hole.sources.get(path) for path in _WANTED[against.op][0])
    known = (source for source in sources if source is not None)
    return any(source.quantity.basis in READ and source.path not in simulated for source in known)


def _simulated(holes: list[Hole], simulated: frozenset[str]) -> Iterator[HoldReason]:
    own = [h.number for h in holes if any(source.path in simulated for source in h.sources.values())]
    if own:
        numbers = ", ".join(map(str, sorted(own)))
        says = sentence(
            "what was read of hole {numbers} is simulated: nothing is released on it", numbers=numbers
        )
        yield HoldReason("simulated", says, is_final=True)


def _raised(build: Build, against: Against, rules: HouseRules) -> Iterator[HoldReason]:
    """A limit over the house's: whoever raised it says why, and the sheet keeps it."""
    own = build.levers.limits.get(against.op)
    limit, source = (0.0, "house") if own is None else (own.value, "build")
    house = rules[f"{against.op}_limit"]
    means = build.levers.means.get(against.op)  # type: ignore[call-overload]
    high = means.banks.get(against.bank, (None, None))[1] if means is not None else None
    if high is not None:
        limit, source = high, "build"
    if source == "build" and limit > house + _SAME:
        says = "its limit of {limit} was raised by hand over the house's {house}"
        key = f"limit raised to {limit:.4f} mm"
        yield HoldReason(key, sentence(says, limit=Limit(limit), house=Limit(house)), only_check=True)
