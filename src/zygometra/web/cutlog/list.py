"""Everything of a build that is cut at a machine, and how far each is."""

from __future__ import annotations

from typing import NamedTuple

from zygometra.core.build.cut_log import CUT_OPS, FACES, SETS, CutPlace
from zygometra.core.cutting.running import Running, running
from zygometra.core.cutting.sets import set_standing

from ..build.bench import Bench
from ..words import counted
from .view import NAMES, called


class Card(NamedTuple):
    """One face or set in the list of what can be logged."""

    label: str
    address_op: str
    bank: str
    state: str
    says: str


def cards(bench: Bench) -> list[Card]:
    """Return every face and set of a build, with how far it is."""
    found = []
    for op in FACES:
        for bank in bench.build.banks:
            place = CutPlace(op, bank.name)
            found.append(
                Card(
                    called(bench, place),
                    op,
                    bank.name,
                    *_state(bench, running(bench.build, place, bench.rules)),
                )
            )
    for set_op in SETS:
        done = set_standing(
            bench.build.cuts,
            set_op,
            cylinders=bench.build.cylinders,
            tolerance=bench.rules["set_tolerance"],
            rules=bench.rules,
        )
        finished = sum(piece.state == "done" for piece in done.pieces)
        begun = sum(piece.state != "to come" for piece in done.pieces)
        state = "done" if finished == len(done.pieces) else "part" if begun else "due"
        says = f"{finished} of {len(done.pieces)} finished" if begun else _planned_words(bench, set_op)
        found.append(Card(label=NAMES[set_op], address_op=set_op, bank="", state=state, says=says))
    return found


def _planned_words(bench: Bench, op: str) -> str:
    return "planned, not begun" if any(one.op == op for one in bench.build.planned) else "nothing planned"


def _state(bench: Bench, now: Running) -> tuple[str, str]:
    reader = bench.reader
    if now.is_done:
        return "done", f"{reader.length(now.done)} off, done"
    if now.passes:
        left = f", {reader.length(now.left)} left" if now.left is not None else ""
        return "part", f"{reader.length(now.done)} off{left}"
    return "due", f"{reader.length(now.asked)} planned" if now.asked else "nothing planned"


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how far cutting is, for the row of benches."""
    if not bench.build.cuts.passes:
        # Asked on every page: where nothing was cut, nothing is worked out.
        planned = any(op.op in CUT_OPS for op in bench.build.planned)
        return "due", "not begun" if planned else "nothing to cut"
    listed = [card for card in cards(bench) if card.says != "nothing planned"]
    if not listed:
        return "due", "nothing to cut"
    done = sum(card.state == "done" for card in listed)
    begun = sum(card.state == "part" for card in listed)
    if done == len(listed):
        return "done", "all cut"
    return ("part", f"{counted(begun, 'cut')} begun") if begun or done else ("due", "not begun")
