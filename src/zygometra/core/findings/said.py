"""What a finding is made of: a code with its sentences, and the quantities put into them.

Judges return data; only :func:`render` writes sentences, in the reader's units and words.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, NamedTuple, Protocol

from ..digits import figure, ratio_text, volume
from ..place import Place
from ..quantity import Quantity
from ..wording import Reader

Severity = Literal["stop", "warn", "note"]
RANK: dict[str, int] = {"stop": 0, "warn": 1, "note": 2}


class Length(NamedTuple):
    """A length in mm, with the standard uncertainty that decides its digits."""

    mm: float
    u: float = 0.0

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.length(self.mm, self.u)


class Judged(NamedTuple):
    """A length in mm beside the edge it is judged by: written so that the two read as they lie."""

    mm: float
    edge: float
    u: float = 0.0
    typed: bool = False

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.against(self.mm, self.edge, self.u, typed=self.typed)[0]


class Edge(NamedTuple):
    """The edge in mm that a length is judged by, in the length's unit."""

    mm: float
    judged: float
    u: float = 0.0
    typed: bool = False

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.against(self.judged, self.mm, self.u, typed=self.typed)[1]


def judged(mm: float, edge: float, u: float = 0.0, *, typed: bool = False) -> tuple[Judged, Edge]:
    """Return a length and the edge it is judged by, to be put into one sentence.

    Parameters
    ----------
    mm, edge : float
        In mm.
    u : float
        Standard uncertainty of the length in mm.
    typed : bool
        True for a length that was set, and has the digits it was set with.
    """
    return Judged(mm, edge, u, typed), Edge(edge, mm, u, typed)


class Clearance(NamedTuple):
    """A deck clearance in mm: written as so much down, or proud."""

    mm: float
    u: float = 0.0

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.clearance(self.mm, self.u)


class Proud(NamedTuple):
    """How far a piston stands out over the deck, in mm: never written as level."""

    mm: float
    u: float = 0.0

    def written(self, reader: Reader) -> str:
        """Write it."""
        return f"{reader.against(self.mm, 0.0, self.u)[0]} proud"


class Limit(NamedTuple):
    """A length in mm that somebody set: written with the digits it was set with."""

    mm: float

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.limit(self.mm)


class Volume(NamedTuple):
    """A volume in cc."""

    cc: float

    def written(self, _reader: Reader) -> str:
        """Write it."""
        return volume(self.cc)


class Ratio(NamedTuple):
    """A compression ratio, with the standard uncertainty that decides its digits; no unit."""

    value: float
    u: float = 0.0

    def written(self, _reader: Reader) -> str:
        """Write it."""
        return ratio_text(self.value, self.u)


class Number(NamedTuple):
    """A plain number with so many decimals."""

    value: float
    decimals: int = 0

    def written(self, _reader: Reader) -> str:
        """Write it."""
        return figure(self.value, self.decimals)


class AsTyped(NamedTuple):
    """A figure with the digits and in the unit in which it was typed."""

    quantity: Quantity

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.quantity(self.quantity)


class Writable(Protocol):
    """Something that writes itself for a reader."""

    def written(self, reader: Reader, /) -> str:
        """Write it.

        Parameters
        ----------
        reader : Reader
            Units and words.
        """


# What can be put into a sentence: a quantity, or words as they are.
Given = Writable | str


@dataclass(frozen=True, slots=True)
class Code:
    """One thing that can be said: its stable code, how bad it is, and its sentences.

    Parameters
    ----------
    key : str
        The code, as files carry it.
    severity : {"stop", "warn", "note"}
        How bad.
    says, why, do : str
        What, why, and what to do; names in braces stand for quantities, ``{quench}`` and
        ``{deck}`` for the reader's words.
    """

    key: str
    severity: Severity
    says: str
    why: str
    do: str


@dataclass(frozen=True, slots=True)
class Said:
    """What a judge returns: a code, the quantities in it, and where.

    ``severity`` is that of the code, unless a judge finds it worse. ``paths`` names figures
    that are wanted, by their places.
    """

    code: Code
    given: Mapping[str, Given]
    where: Place
    severity: Severity
    paths: tuple[str, ...] = ()


NOWHERE = Place.engine("")


def said(
    code: Code,
    where: Place = NOWHERE,
    severity: Severity | None = None,
    *,
    paths: tuple[str, ...] = (),
    **given: Given,
) -> Said:
    """Return what a judge says.

    Parameters
    ----------
    code : Code
        What.
    where : Place
        Where; a judge of one hole leaves it out.
    severity : {"stop", "warn", "note"}, optional
        Where a judge finds it worse than its code.
    paths : tuple of str, optional
        Places of figures that are wanted.
    **given
        The quantities that the code's sentences name.

    Returns
    -------
    Said
        Data, to be rendered.
    """
    return Said(code, given, where, severity or code.severity, paths)


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to know, written out: how bad, a stable code, where, what, why, and what to do.

    ``paths`` are the places of figures that are wanted.
    """

    severity: Severity
    code: str
    where: Place
    says: str
    why: str
    do: str
    paths: tuple[str, ...] = ()


def render(what: Said, reader: Reader) -> Finding:
    """Write what a judge said, in the reader's units and words.

    Parameters
    ----------
    what : Said
        What it returned.
    reader : Reader
        Who reads.

    Returns
    -------
    Finding
        Whole sentences.

    Examples
    --------
    >>> thin = Code("thin", "warn", "{quench} {gap} is thin.", "It closes.", "Fit a gasket.")
    >>> render(said(thin, gap=Length(0.5)), Reader("inch", "squish")).says
    'squish 19.7 thou is thin.'
    """
    code = what.code
    words = {"quench": reader.quench, "deck": reader.deck}
    for name, given in what.given.items():
        words[name] = given if isinstance(given, str) else given.written(reader)
    return Finding(
        what.severity,
        code.key,
        what.where,
        code.says.format_map(words),
        code.why.format_map(words),
        code.do.format_map(words),
        what.paths,
    )
