"""Gates of the order of work: what each wants, and how one is passed with a name and a reason.

A gate warns and names its reason; whoever passes it all the same signs for what stood
against it (the order of work in a shop). It never bars the way by itself.
"""

from __future__ import annotations

from collections.abc import Collection

from msgspec import Struct

from .typed import is_printable

# How long a reason is that somebody signs for, in characters.
SHORTEST_REASON, LONGEST_REASON = 3, 500


class Gate(Struct, frozen=True):
    """One gate: its number in the order of work, what is not done before it is passed, and what it wants.

    Parameters
    ----------
    number : int
        As the trade counts them; no unit.
    bars : str
        What it stands before.
    wants : str
        What must be there first.
    """

    number: int
    bars: str
    wants: str


GATES: tuple[Gate, ...] = (
    Gate(1, "spending", "the crack test"),
    Gate(2, "an oversize", "the wall map"),
    Gate(3, "a bore past the commit size", "pistons in hand or confirmed in writing"),
    Gate(4, "the finish hone", "each piston measured"),
    Gate(5, "the deck cut", "the line-hone, or its rise left as stock or read again"),
    Gate(6, "the deck cut", "the mock-up, or on paper a band that fits its window"),
    Gate(7, "facing the deck", "covers that share its plane bolted on"),
    Gate(8, "the finish hone", "the deck faced"),
    Gate(9, "the head cut", "every chamber measured"),
    Gate(10, "the next step after a cut", "what the cut fed measured again"),
    Gate(11, "assembly", "what a cut moved elsewhere checked again"),
    Gate(12, "assembly", "matched parts with their hole"),
    Gate(13, "the deck cut", "the engine number recorded"),
    Gate(14, "an order", "a stack that passes on paper"),
    Gate(15, "machining", "a specification that buyer, builder and machinist agreed to"),
    Gate(16, "a step that is hard to reverse", "a look at the other way while it is still open"),
    Gate(17, "final assembly", "seats before chambers, ring gaps after the hone, washed, plugs and jets in"),
    Gate(18, "cams and final assembly", "pistons mid-stroke, hardware turned through by hand"),
)

GATE: dict[int, Gate] = {gate.number: gate for gate in GATES}
ORDER = GATE[14]


def is_reason(words: str) -> bool:
    """Tell whether words will do as the reason for passing a gate.

    Parameters
    ----------
    words : str
        As typed, trimmed.

    Returns
    -------
    bool
        True for 3 to 500 characters that can be stored and shown.

    Examples
    --------
    >>> is_reason("ok"), is_reason("seen, and the owner wants it")
    (False, True)
    """
    return SHORTEST_REASON <= len(words) <= LONGEST_REASON and is_printable(words)


def covers(signed: Collection[str], stands: Collection[str]) -> bool:
    """Tell whether a signature covers all that stands against a gate now.

    Parameters
    ----------
    signed : collection of str
        What was seen when it was signed.
    stands : collection of str
        What stands against the gate now.

    Returns
    -------
    bool
        True where nothing stands that was not seen.

    Examples
    --------
    >>> covers({"a", "b"}, {"a"}), covers({"a"}, {"a", "c"})
    (True, False)
    """
    return set(stands) <= set(signed)
