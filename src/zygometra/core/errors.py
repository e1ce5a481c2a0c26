"""Everything the core can refuse, as a small tree of named errors.

Each says what was found and what is wanted in one sentence that a person at a
bench can act on; the pages and the command line print it as it stands.
"""

from __future__ import annotations

from msgspec import Struct

from .sentence import Given, Sentence, as_it_is, sentence


class ZygometraError(Exception):
    """Base of every error that carries a sentence for the reader.

    Parameters
    ----------
    words : str
        The sentence; with names in braces where something is given.
    **given
        Quantities that stand in it: each is written in the reader's unit.
    """

    def __init__(self, words: str = "", **given: Given) -> None:
        self.says = Sentence(words, given) if given else as_it_is(words)
        super().__init__(words)

    def __str__(self) -> str:
        """Write it in mm."""
        return str(self.says)


class QuantityError(ZygometraError):
    """A typed quantity could not be understood or lies outside what is possible.

    Parameters
    ----------
    found : str or Writable
        What was typed, shortened if long.
    wanted : str or Writable
        What would have been understood, with an example.
    """

    def __init__(self, found: Given, wanted: Given) -> None:
        self.given = found, wanted
        super().__init__()
        self.says = sentence("Found {found}; wanted {wanted}.", found=found, wanted=wanted)

    @property
    def found(self) -> str:
        """What was found, in mm."""
        return str(sentence("{found}", found=self.given[0]))

    @property
    def wanted(self) -> str:
        """What is wanted, in mm."""
        return str(sentence("{wanted}", wanted=self.given[1]))


class Fault(Struct, frozen=True):
    """One fault of a build document: where it is, what stands there, what is wanted."""

    path: str
    found: str
    wanted: str

    def __str__(self) -> str:
        return f"{self.path}: found {self.found}; wanted {self.wanted}"


class BuildFaults(ZygometraError):
    """A build document is refused as a whole, with every fault found in it."""

    def __init__(self, faults: list[Fault]) -> None:
        self.faults = faults
        super().__init__("\n".join(str(fault) for fault in faults))


class ImpossibleEngine(ZygometraError):
    """The volumes leave no room above the piston: the terms that do it are named."""


class NoAnswer(ZygometraError):
    """An inverse question has no answer; the message says why and what would help."""


def shown(raw: object, limit: int = 60) -> str:
    """Return ``raw`` as it can be quoted in one sentence.

    Parameters
    ----------
    raw : object
        Whatever was found.
    limit : int
        Longest text quoted before it is shortened, in characters.

    Returns
    -------
    str
        A short text; the empty text is named as such.

    Examples
    --------
    >>> shown("30 thuo"), shown(""), shown(None), shown([1, 2])
    ("'30 thuo'", 'nothing', 'nothing', 'a list in [ ]')
    """
    if raw is None or raw == "":
        return "nothing"
    if isinstance(raw, bool):
        return "true" if raw else "false"
    if isinstance(raw, dict):
        return "several entries in { }"
    if isinstance(raw, (list, tuple)):
        return "a list in [ ]"
    text = "".join(c if c.isprintable() else " " for c in str(raw))
    if len(text) > limit:
        text = text[: limit - 1] + "…"
    return f"'{text}'" if isinstance(raw, str) else text
