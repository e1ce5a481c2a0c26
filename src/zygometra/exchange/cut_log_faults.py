"""What the shape of a log of cuts alone cannot tell: places, options, answers to questions that were asked."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from zygometra.core.build.cut_log import FACES, SETS, PassMade, SetUpRecord, VerifiedCut
from zygometra.core.errors import BuildFaults, Fault, shown
from zygometra.core.measuring.facts import TYPE_OF, FactKind
from zygometra.core.measuring.read_in import BuildFile
from zygometra.core.measuring.signed import Decision
from zygometra.core.records import Record, Wrong

_Cut = SetUpRecord | PassMade | VerifiedCut


def cut_log_faults(file: BuildFile, names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with the set-ups, passes, decisions, agreements and acceptances of a file.

    Parameters
    ----------
    file : BuildFile
        Whose shape is right.
    names : list of str
        Its banks.
    numbers : list of int
        Its holes.

    Yields
    ------
    Fault
        With its place, what was found and what is wanted.
    """
    for key in ("set_ups", "passes", "verified"):
        for i, cut in enumerate(file.list_of(key)):
            yield from cut_faults(f"{key}[{i}]", cut, names, numbers)
    for i, made in enumerate(file.list_of("passes")):
        yield from nothing_faults(f"passes[{i}]", made)
    for key in ("accepted", "acceptances"):
        for i, one in enumerate(file.list_of(key)):
            if (one.gate is None) == (not one.about):
                yield Fault(f"{key}[{i}].gate", "no gate, or one beside about", "a gate, or what it is about")
    yield from decision_faults(file.list_of("decisions"))


def cut_faults(path: str, cut: _Cut, names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with the place that a set-up or a pass names.

    Parameters
    ----------
    path : str
        Where it stands.
    cut : SetUpRecord, PassMade or VerifiedCut
        Where a set is cut piece by piece, each pass names its piece.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    bank, cylinder = cut.bank, getattr(cut, "cylinder", None)
    if cut.op in FACES:
        if bank not in names:
            yield Fault(f"{path}.bank", f"the bank {shown(bank)}", "one of " + ", ".join(names))
        if cylinder is not None:
            yield Fault(f"{path}.cylinder", f"a cylinder for a {cut.op}", "a bank: a face is cut whole")
    elif cut.op in SETS:
        known = ", ".join(map(str, sorted(numbers)))
        if cylinder is None and isinstance(cut, PassMade):
            yield Fault(f"{path}.cylinder", "no cylinder", f"whose piece was cut: one of {known}")
        elif cylinder is not None and cylinder not in numbers:
            yield Fault(f"{path}.cylinder", f"cylinder {cylinder}", f"one of {known}")
        if bank is not None:
            yield Fault(f"{path}.bank", f"a bank for {cut.op}", "a cylinder: a set is cut piece by piece")


def nothing_faults(path: str, made: PassMade) -> Iterator[Fault]:
    """Yield what is wrong with a pass that takes nothing: it carries marks, or what a piece was gauged at.

    Parameters
    ----------
    path : str
        Where it stands.
    made : PassMade
        As it was logged.
    """
    carries = made.touched or made.clean or made.finished or made.stopped is not None
    if not made.depth and not carries:
        yield Fault(
            f"{path}.depth", "nothing", "the depth of the pass, or what a touch-off or a gauge showed"
        )


def decision_faults(decisions: Iterable[Decision]) -> Iterator[Fault]:
    """Yield what is wrong with questions and answers: each is one of the two, and an answer has a question.

    Parameters
    ----------
    decisions : iterable of Decision
        In their order.
    """
    asked: dict[str, Decision] = {}
    for i, one in enumerate(decisions):
        path = f"decisions[{i}]"
        if (not one.text) == (not one.answers):
            yield Fault(f"{path}.text", "neither a question nor an answer, or both", "text, or answers")
            continue
        names = [option.name for option in one.options]
        if len(set(names)) < len(names):
            yield Fault(f"{path}.options", "two options of one name", "each a name of its own")
        if one.text:
            asked[one.id] = one
            fallback = one.fallback
            if fallback is not None and names and fallback.option not in names:
                yield Fault(f"{path}.fallback.option", shown(fallback.option), "one of the options")
            continue
        question = asked.get(one.answers)
        if question is None:
            yield Fault(f"{path}.answers", shown(one.answers), "the id of a question before it")
            continue
        names = [option.name for option in question.options]
        if names and one.option not in names:
            yield Fault(f"{path}.option", shown(one.typed.get("option")), "one of " + ", ".join(names))
        if not one.who:
            yield Fault(f"{path}.who", "nobody", "who answered, by name")


def cut_entry(kind: FactKind, raw: Mapping[str, Any], names: list[str], numbers: list[int]) -> Record:
    """Return a set-up, a pass or another entry that comes by itself, checked as in a file.

    Parameters
    ----------
    kind : str
        What it is called in the store, such as ``pass``.
    raw : Mapping
        The entry.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.

    Raises
    ------
    BuildFaults
        With everything that is wrong with it.
    """
    of = TYPE_OF[kind]
    try:
        record = of.record.read(dict(raw))
    except Wrong as error:
        raise BuildFaults(list(error.at(of.listed))) from None
    faults: list[Fault] = []
    if isinstance(record, _Cut):
        faults += cut_faults(of.listed, record, names, numbers)
    if isinstance(record, PassMade):
        faults += nothing_faults(of.listed, record)
    if faults:
        raise BuildFaults(faults)
    return record
