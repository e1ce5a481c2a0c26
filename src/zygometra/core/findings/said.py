"""What a finding is made of: a code with its sentences, and the quantities put into them.

Judges return data; only :func:`render` writes sentences, in the reader's units and words.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from msgspec import Struct

from ..place import Place
from ..sentence import Given, filled
from ..wording import Reader

Severity = Literal["stop", "warn", "note"]
RANK: dict[str, int] = {"stop": 0, "warn": 1, "note": 2}


class Code(Struct, frozen=True):
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
    is_final : bool
        True for a stop that stands for a figure that is impossible or breaks a floor: nobody signs it away.
    """

    key: str
    severity: Severity
    says: str
    why: str
    do: str
    is_final: bool = False


class Said(Struct, frozen=True):
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
    return Said(code=code, given=given, where=where, severity=severity or code.severity, paths=paths)


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
    >>> from zygometra.core.written import Length
    >>> thin = Code("thin", "warn", "{quench} {gap} is thin.", "It closes.", "Fit a gasket.")
    >>> render(said(thin, gap=Length(0.5)), Reader("inch", "squish")).says
    'squish 19.7 thou is thin.'
    """
    code = what.code
    words = filled(what.given, reader)
    says, why, do = (text.format_map(words) for text in (code.says, code.why, code.do))
    return Finding(
        severity=what.severity, code=code.key, where=what.where, says=says, why=why, do=do, paths=what.paths
    )
