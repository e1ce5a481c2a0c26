"""What the shape of a log of cuts alone cannot tell: places, options, answers to questions that were asked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from zygometra.core.build.cut_log import FACES, SETS
from zygometra.core.errors import Fault, shown
from zygometra.core.quantity import read_quantity
from zygometra.core.units import Kind

from .shape_faults import shape_faults


def cut_log_faults(document: Mapping[str, Any], names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with the set-ups, passes, decisions, agreements and acceptances of a document.

    Parameters
    ----------
    document : Mapping
        A build document whose shape is right.
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
        for i, raw in enumerate(document.get(key) or ()):
            yield from cut_faults(f"{key}[{i}]", raw, names, numbers, piece=key == "passes")
    for i, raw in enumerate(document.get("passes") or ()):
        yield from nothing_faults(f"passes[{i}]", raw)
    for key in ("accepted", "acceptances"):
        for i, raw in enumerate(document.get(key) or ()):
            if (raw.get("gate") is None) == (raw.get("about") is None):
                yield Fault(f"{key}[{i}].gate", "no gate, or one beside about", "a gate, or what it is about")
    yield from decision_faults(document.get("decisions") or ())


def cut_faults(
    path: str, raw: Mapping[str, Any], names: list[str], numbers: list[int], *, piece: bool = True
) -> Iterator[Fault]:
    """Yield what is wrong with the place that a set-up or a pass names.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        Of the right shape.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    piece : bool
        True where a set is cut piece by piece: each pass names its piece.
    """
    bank, cylinder = raw.get("bank"), raw.get("cylinder")
    if raw["op"] in FACES:
        if bank not in names:
            yield Fault(f"{path}.bank", f"the bank {shown(bank)}", "one of " + ", ".join(names))
        if cylinder is not None:
            yield Fault(f"{path}.cylinder", f"a cylinder for a {raw['op']}", "a bank: a face is cut whole")
    elif raw["op"] in SETS:
        known = ", ".join(map(str, sorted(numbers)))
        if cylinder is None and piece:
            yield Fault(f"{path}.cylinder", "no cylinder", f"whose piece was cut: one of {known}")
        elif cylinder is not None and cylinder not in numbers:
            yield Fault(f"{path}.cylinder", f"cylinder {cylinder}", f"one of {known}")
        if bank is not None:
            yield Fault(f"{path}.bank", f"a bank for {raw['op']}", "a cylinder: a set is cut piece by piece")


def nothing_faults(path: str, raw: Mapping[str, Any]) -> Iterator[Fault]:
    """Yield what is wrong with a pass that takes nothing: it carries marks, or what a piece was gauged at.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        Of the right shape.
    """
    depth = read_quantity(raw["depth"], Kind.LENGTH, dimension="exact").value
    carries = any(raw.get(key) not in (None, [], ()) for key in ("touched", "clean", "stopped", "finished"))
    if not depth and not carries:
        yield Fault(
            f"{path}.depth", "nothing", "the depth of the pass, or what a touch-off or a gauge showed"
        )


def decision_faults(decisions: Any) -> Iterator[Fault]:
    """Yield what is wrong with questions and answers: each is one of the two, and an answer has a question.

    Parameters
    ----------
    decisions : iterable of Mapping
        Of the right shape.
    """
    asked: dict[str, Mapping[str, Any]] = {}
    for i, raw in enumerate(decisions):
        path = f"decisions[{i}]"
        if (raw.get("text") is None) == (raw.get("answers") is None):
            yield Fault(f"{path}.text", "neither a question nor an answer, or both", "text, or answers")
            continue
        names = [one["name"] for one in raw.get("options") or ()]
        if len(set(names)) < len(names):
            yield Fault(f"{path}.options", "two options of one name", "each a name of its own")
        if raw.get("text") is not None:
            asked[raw["id"]] = raw
            fallback = raw.get("fallback")
            if fallback and names and fallback["option"] not in names:
                yield Fault(f"{path}.fallback.option", shown(fallback["option"]), "one of the options")
            continue
        question = asked.get(raw["answers"])
        if question is None:
            yield Fault(f"{path}.answers", shown(raw["answers"]), "the id of a question before it")
            continue
        names = [one["name"] for one in question.get("options") or ()]
        if names and raw.get("option") not in names:
            yield Fault(f"{path}.option", shown(raw.get("option")), "one of " + ", ".join(names))
        if not raw.get("who"):
            yield Fault(f"{path}.who", "nobody", "who answered, by name")


def cut_entry_faults(
    key: str, raw: Mapping[str, Any], names: list[str], numbers: list[int]
) -> Iterator[Fault]:
    """Yield what is wrong with one set-up, pass or other entry that comes by itself: its shape first.

    Parameters
    ----------
    key : str
        Where a file lists it, such as ``passes``.
    raw : Mapping
        The entry.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    from . import cut_shapes

    shapes: dict[str, Any] = {
        "set_ups": cut_shapes.SetUpRecordShape,
        "passes": cut_shapes.PassShape,
        "decisions": cut_shapes.DecisionShape,
        "agreements": cut_shapes.AgreementShape,
        "acceptances": cut_shapes.AcceptedShape,
        "verified": cut_shapes.VerifiedShape,
    }
    wrong = list(shape_faults(shapes[key].model_validate, raw, key))
    yield from wrong
    if wrong:
        return
    if key in ("set_ups", "passes", "verified"):
        yield from cut_faults(key, raw, names, numbers, piece=key == "passes")
    if key == "passes":
        yield from nothing_faults(key, raw)
