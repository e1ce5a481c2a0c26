"""What is written into the record of a build, and how a leaf of its document is read there."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from ..fields import place_label
from .document import Difference, Document
from .lever_table import FIT, LEVER, SWAP


def written(value: Any) -> str:
    """Return any leaf of a document in a few words, as typed.

    Parameters
    ----------
    value : object
        A figure, an operation, a list of them, a name; None where nothing stands.

    Returns
    -------
    str
        Such as ``92.02 mm ± 0.01, measured``.

    Examples
    --------
    >>> written({"value": 92.02, "unit": "mm", "plus_minus": 0.01, "basis": "measured"})
    '92.02 mm ± 0.01, measured'
    >>> written(None), written([{"op": "deck_cut", "bank": "A", "amount": "0.2 mm"}])
    ('nothing', 'deck cut A 0.2 mm')
    """
    if value is None:
        return "nothing"
    if isinstance(value, list):
        return "; ".join(written(item) for item in value) or "nothing"
    if not isinstance(value, dict):
        return str(value)
    if "op" in value:
        inner = value.get("amount", value.get("gasket"))
        where = value.get("bank") or value.get("cylinder") or ""
        return f"{op_words(value['op'])} {where} {written(inner)}".replace("  ", " ")
    if "readings" in value:
        head = ", ".join(written(r) for r in value["readings"])
        return f"readings {head} {value.get('unit', '')}".strip()
    if "value" in value:
        doubt = ""
        if "plus_minus" in value:
            doubt = f" ± {value['plus_minus']}"
        elif "u" in value:
            doubt = f" (u {value['u']})"
        basis = f", {value['basis']}" if value.get("basis") else ""
        return f"{value['value']} {value.get('unit', '')}{doubt}{basis}".strip()
    return ", ".join(f"{k} {written(v)}" for k, v in value.items())


def op_words(op: str) -> str:
    """Return what an operation is called in the record, such as ``deck cut``; any other word as it is.

    Parameters
    ----------
    op : str
        Its name in files.

    Returns
    -------
    str
        In words.
    """
    return op.replace("_", " ")


def operation_words(op: Document) -> str:
    """Return one operation as the record says it, such as ``deck cut A: 0.18 mm``.

    Parameters
    ----------
    op : dict
        An entry of ``planned``.

    Returns
    -------
    str
        In words, figures as typed.

    Examples
    --------
    >>> operation_words({"op": "open_chamber", "cylinder": 3, "amount": "0.6 cc"})
    'open chamber 3: 0.6 cc'
    """

    def written(amount: Any) -> str:
        if isinstance(amount, dict):
            return f"{amount.get('value')} {amount.get('unit', LEVER[op['op']].unit.symbol)}"
        return str(amount)

    amount = written(op.get("amount"))
    if op.get("to_height") is not None:
        amount = f"to a height of {written(op['to_height'])}"
    elif op.get("first") is not None:
        amount = f"{written(op['first'])} at the front, {written(op['last'])} at the rear"
    where = f" {op['bank']}" if op.get("bank") else f" {op['cylinder']}" if op.get("cylinder") else ""
    if op["op"] == SWAP:
        return "heads side for side"
    if op["op"] == FIT:
        return f"fit {op['kind']}: {op['part'].get('name') or 'another'}"
    if op["op"] == "gasket":
        return f"gasket{where}: {op['gasket'].get('name') or op['gasket'].get('thickness')}"
    return f"{op_words(op['op'])}{where}: {amount}"


def plan_words(plan: Sequence[Document]) -> str:
    """Return what the record says where a plan is kept.

    Parameters
    ----------
    plan : sequence of dict
        The new plan.

    Returns
    -------
    str
        Such as ``plan: deck cut A: 0.18 mm``.
    """
    return "plan: " + ("; ".join(operation_words(op) for op in plan) or "nothing")


def plan_changes(kept: Sequence[Document], shown: Sequence[Document]) -> list[str]:
    """Return what a plan on screen has that the kept one has not, and the other way round.

    Parameters
    ----------
    kept, shown : sequence of dict
        Two plans.

    Returns
    -------
    list of str
        In words; empty where they are the same.
    """
    out = [operation_words(op) for op in shown if op not in kept]
    out += [f"no {operation_words(op)}" for op in kept if op not in shown]
    return out or (["another order"] if list(kept) != list(shown) else [])


_PLACES = {
    ("planned",): "plan",
    ("levers", "gaskets"): "gaskets that may be had",
    ("levers", "gasket_per_bank"): "a gasket of its own for each bank",
    ("targets", "ratio_spread"): "largest difference between holes",
    ("parts", "rod", "material"): "rods",
    ("parts", "head", "material"): "what the head is made of",
    ("fuel", "octane"): "octane of the fuel",
    ("fuel", "scale"): "scale of the octane",
    ("unstated_doubt",): "doubt where none is stated",
}


def place_words(path: Sequence[str]) -> str:
    """Return in words what stands at a place of a document.

    Parameters
    ----------
    path : sequence of str
        The keys that lead there.

    Returns
    -------
    str
        Such as ``finished bore, hole 4`` or ``quench aim``.

    Examples
    --------
    >>> place_words(("cylinders", "4", "bore")), place_words(("targets", "quench", "aim"))
    ('finished bore, hole 4', 'quench aim')
    >>> place_words(("levers", "deck_cut", "max")), place_words(("planned",)), place_words(("engine", "family"))
    ('limit of the deck cut', 'plan', 'engine family')
    """
    keys = tuple(path)
    if keys in _PLACES:
        return _PLACES[keys]
    if keys[0] == "levers" and keys[-1] == "max":
        return f"limit of the {op_words(keys[1])}"
    if keys[0] == "targets":
        return " ".join(key.replace("_", " ") for key in keys[1:])
    label = place_label(".".join(keys))
    if label != ".".join(keys):
        return label
    return " ".join(key for key in keys if key != "parts").replace("_", " ")


def figure_words(label: str, path: str, figure: Any) -> str:
    """Return what the record says where one figure changes.

    Parameters
    ----------
    label, path : str
        What it is called and where it stands.
    figure : object
        As typed; None where it is taken out.

    Returns
    -------
    str
        Such as ``finished bore, hole 4: 92.5 mm``.
    """
    return f"{place_label(path) or label}: {written(figure)}"


def aim_words(changes: Iterable[Difference]) -> str:
    """Return what the record says where what is wanted of a build changes.

    Parameters
    ----------
    changes : iterable of Difference
        What differs.

    Returns
    -------
    str
        Such as ``aim: quench aim, school``.
    """
    return "aim: " + ", ".join(place_words(d.path) for d in changes)


def copied_words(name: str, version: int) -> str:
    """Return what the record says of a build that is a copy.

    Parameters
    ----------
    name : str
        Of the build it was copied from.
    version : int
        And its version; no unit.

    Returns
    -------
    str
        Such as ``copied from Pilot launch 2.3 (version 4)``.
    """
    return f"copied from {name} (version {version})"


STARTED = "started from blank"
# Behind what was done, where somebody saved over a newer state after seeing both.
CHOSEN = " (chosen over the other's)"


def taken_in_words(name: str) -> str:
    """Return what the record says of what came in from a file.

    Parameters
    ----------
    name : str
        The file's.

    Returns
    -------
    str
        Such as ``taken in from pilot.json``.
    """
    return f"taken in from {name[:120]}"


def step_words(kind: str, says: str) -> str:
    """Return what the record says where a change is taken back or done again.

    Parameters
    ----------
    kind : {"undo", "redo"}
        Which way.
    says : str
        What the change said.

    Returns
    -------
    str
        Such as ``undo: plan: nothing``.
    """
    return f"{kind}: {says}"
