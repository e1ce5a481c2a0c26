"""A sentence as data: words with places for quantities, written only for whoever reads it.

Nothing goes over a finished sentence again: what somebody typed, or a shop's own words,
stand as they were, and every figure is written once, in the reader's unit.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple, Protocol

from msgspec import Struct

# Whoever reads: :class:`.wording.Reader`, which knows units and so stands above errors, which speak in sentences.
Reader = Any


class _Words:
    """The usual words, while nobody has come who also knows units."""

    quench, deck = "quench", "deck"


# Whoever files are written for: wording, which knows units, puts the reader of millimetres here.
_OF_FILES: list[Any] = [_Words()]


def read_files_as(reader: Reader) -> None:
    """Say who reads what is written without a reader.

    Parameters
    ----------
    reader : Reader
        In mm, with the usual words.
    """
    _OF_FILES[0] = reader


class Writable(Protocol):
    """Something that writes itself for a reader."""

    def written(self, reader: Reader, /) -> str:
        """Write it.

        Parameters
        ----------
        reader : Reader
            Units and words.
        """


# What can be put into a sentence: a quantity, a sentence, or words as they are.
Given = Writable | str


def given_text(given: Given, reader: Reader) -> str:
    """Return what was given as text for a reader.

    Parameters
    ----------
    given : Writable or str
        A quantity or a sentence, or words as they are.
    reader : Reader
        Who reads.
    """
    return given if isinstance(given, str) else given.written(reader)


def filled(given: Mapping[str, Given], reader: Reader) -> dict[str, str]:
    """Return what stands at the places of a sentence: the reader's words, and what was given, written out.

    Parameters
    ----------
    given : Mapping
        By name.
    reader : Reader
        Who reads.
    """
    quench = reader.quench
    out = {"quench": quench, "Quench": quench[:1].upper() + quench[1:], "deck": reader.deck}
    for name, value in given.items():
        out[name] = value if isinstance(value, str) else value.written(reader)
    return out


class Sentence(Struct, frozen=True):
    """Words with places for quantities.

    Parameters
    ----------
    words : str
        Names in braces stand for what is given, ``{quench}``, ``{Quench}`` and ``{deck}``
        for the reader's words.
    given : Mapping
        The quantities by name.

    Examples
    --------
    >>> from .written import Length
    >>> gap = Sentence("{Quench} of {gap} is thin", {"gap": Length(0.5)})
    >>> str(gap)
    'Quench of 0.500 mm is thin'
    """

    words: str
    given: Mapping[str, Given] = {}

    def written(self, reader: Reader) -> str:
        """Write it for a reader.

        Parameters
        ----------
        reader : Reader
            Units and words.
        """
        return self.words.format_map(filled(self.given, reader))

    def __str__(self) -> str:
        """Write it in mm, with the usual words: as files carry it."""
        return self.written(_OF_FILES[0])

    def __bool__(self) -> bool:
        """Tell whether there is anything to be said."""
        return bool(self.words)


NOTHING = Sentence("")


def sentence(words: str, **given: Given) -> Sentence:
    """Return a sentence.

    Parameters
    ----------
    words : str
        With names in braces.
    **given
        What stands there.
    """
    return Sentence(words, given)


def as_it_is(words: str) -> Sentence:
    """Return words as a sentence in which nothing is filled in, whatever stands in them.

    Parameters
    ----------
    words : str
        Braces stay braces.
    """
    return Sentence("{words}", {"words": words}) if words else NOTHING


class Listed(NamedTuple):
    """Several things in a row, with something between them."""

    items: tuple[Given, ...]
    between: str = ", "

    def written(self, reader: Reader) -> str:
        """Write them.

        Parameters
        ----------
        reader : Reader
            Units and words.
        """
        return self.between.join(given_text(item, reader) for item in self.items)


def listed(items: Iterable[Given], between: str = ", ") -> Listed:
    """Return several things to be written in a row.

    Parameters
    ----------
    items : iterable of Writable or str
        One after another.
    between : str
        What stands between two of them.
    """
    return Listed(tuple(items), between)
