"""A function of plain expressions, turned into one that gives its slopes as well.

The function is run once on names in place of numbers, which notes what it does with them; from that its slopes
follow line by line, back from each result (reverse accumulation), and all of it becomes one plain function of
floats. So an arithmetic is written once, and what is derived from it costs what it would cost by hand.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple


class Note(NamedTuple):
    """One operation that was noted."""

    does: str
    of: tuple[Expression | float, ...]


class Notes:
    """What a function did with its figures, each thing once."""

    def __init__(self) -> None:
        self.notes: list[Note] = []
        self._known: dict[tuple[Any, ...], Expression] = {}

    def note(self, does: str, *of: Expression | float) -> Expression:
        """Return the expression of an operation.

        Parameters
        ----------
        does : str
            One of :data:`_WRITTEN`, or a figure's name in quotes.
        of : Expression or float
            On what.
        """
        key = (does, *((one.at, "") if isinstance(one, Expression) else one for one in of))
        if key not in self._known:
            self._known[key] = Expression(self, len(self.notes))
            self.notes.append(Note(does, of))
        return self._known[key]


class Expression:
    """A figure, or what was made of figures, before anybody knows its value."""

    __slots__ = ("at", "notes")

    def __init__(self, notes: Notes, at: int) -> None:
        self.notes, self.at = notes, at

    def __add__(self, other: Expression | float) -> Expression:
        return self if _is(other, 0.0) else self.notes.note("{} + {}", self, other)

    __radd__ = __add__

    def __sub__(self, other: Expression | float) -> Expression:
        return self if _is(other, 0.0) else self.notes.note("{} - {}", self, other)

    def __rsub__(self, other: Expression | float) -> Expression:
        return -self if _is(other, 0.0) else self.notes.note("{} - {}", other, self)

    def __neg__(self) -> Expression:
        return self.notes.note("-{}", self)

    def __mul__(self, other: Expression | float) -> Expression:
        return self if _is(other, 1.0) else self.notes.note("{} * {}", self, other)

    __rmul__ = __mul__

    def __truediv__(self, other: Expression | float) -> Expression:
        return self.notes.note("{} / {}", self, other)

    def __rtruediv__(self, other: float) -> Expression:
        return self.notes.note("{} / {}", other, self)

    def positive(self) -> Expression:
        """Return what is above nought of it; see :mod:`.columns`, in the same unit."""
        return self.notes.note("({0} if {0} > 0.0 else 0.0)", self)

    def at_most(self, most: Expression | float) -> Expression:
        """Return the smaller of it and another.

        Parameters
        ----------
        most : Expression or float
            In its unit.
        """
        return self.notes.note("({0} if {0} < {1} else {1})", self, most)

    def where_positive(self, value: Expression | float) -> Expression:
        """Return a value where this one is above nought, else nought.

        Parameters
        ----------
        value : Expression or float
            In any unit.
        """
        return self.notes.note("({1} if {0} > 0.0 else 0.0)", self, value)

    def spanned(self, height: Expression | float) -> Expression:
        """Return it times a height, nought where that is nought.

        Parameters
        ----------
        height : Expression or float
            In any unit.
        """
        return self.notes.note("({0} * {1} if {1} else 0.0)", self, height)

    def endless_unless_positive(self) -> Expression:
        """Return it where it is above nought, else infinity; in the same unit."""
        return self.notes.note("({0} if {0} > 0.0 else inf)", self)

    def sine(self) -> Expression:
        """Return the sine of so many degrees."""
        return self.notes.note("sin(radians({}))", self)

    def cosine(self) -> Expression:
        """Return the cosine of so many degrees."""
        return self.notes.note("cos(radians({}))", self)

    def root(self) -> Expression:
        """Return the square root; in the root of its unit."""
        return self.notes.note("sqrt({})", self)


def _is(other: Expression | float, value: float) -> bool:
    return not isinstance(other, Expression) and other == value


Slope = Expression | float
# Results, and by the name of each figure their slopes on it.
WithSlopes = tuple[tuple[float, ...], tuple[tuple[str, tuple[float, ...]], ...]]


def _times(a: Slope, b: Slope) -> Slope:
    return 0.0 if _is(a, 0.0) or _is(b, 0.0) else a * b


def _back(note: Note, made: Expression, by: Slope) -> tuple[Slope, ...]:
    """What an operation hands back to each thing it was done on, from what is handed back to it."""
    of: tuple[Any, ...] = note.of
    match note.does:
        case "{} + {}":
            return by, by
        case "{} - {}":
            return by, -by
        case "-{}":
            return (-by,)
        case "{} * {}" | "({0} * {1} if {1} else 0.0)":
            return _times(by, of[1]), _times(by, of[0])
        case "{} / {}":
            return by / of[1], -_times(by, made) / of[1]
        case "({0} if {0} > 0.0 else 0.0)":
            return (_times(by, _when("{0} >= 0.0", *of)),)
        case "({0} if {0} < {1} else {1})":
            return _times(by, _when("{0} < {1}", *of)), _times(by, _when("{0} >= {1}", *of))
        case "({0} if {0} > 0.0 else inf)":
            return (_times(by, _when("{0} > 0.0", *of)),)
        case "({1} if {0} > 0.0 else 0.0)":
            return 0.0, _times(by, _when("{0} > 0.0", of[0]))
        case "sin(radians({}))":
            return (_times(by, math.radians(1) * of[0].cosine()),)
        case "cos(radians({}))":
            return (_times(by, -math.radians(1) * of[0].sine()),)
        case "sqrt({})":
            return (by / (2.0 * made),)
    return ()


def _when(holds: str, *of: Expression | float) -> Expression:
    """One where something holds, nought elsewhere."""
    notes = next(one.notes for one in of if isinstance(one, Expression))
    return notes.note(f"(1.0 if {holds} else 0.0)", *of)


def _slopes(notes: Notes, result: Slope, figures: dict[str, Expression]) -> dict[str, Slope]:
    """The slopes of one result on every figure that it hangs on."""
    if not isinstance(result, Expression):
        return {}
    back: dict[int, Slope] = {result.at: 1.0}
    for at in range(result.at, -1, -1):
        by, note = back.get(at), notes.notes[at]
        if by is None or not note.of:
            continue
        for one, slope in zip(note.of, _back(note, Expression(notes, at), by), strict=True):
            if isinstance(one, Expression) and not _is(slope, 0.0):
                before = back.get(one.at)
                back[one.at] = slope if before is None else before + slope
    return {name: back[one.at] for name, one in figures.items() if one.at in back}


def with_slopes(
    function: Callable[..., Sequence[Slope]],
    figures: Sequence[str],
    sloped: int,
    told: Mapping[str, str] | None = None,
) -> Callable[..., WithSlopes]:
    """Return a function of floats that gives what a function gives, and the slopes of its first results.

    Parameters
    ----------
    function : callable
        Of expressions, by the names of its figures; of plain arithmetic and :mod:`.columns` alone.
    figures : sequence of str
        The names, in the order in which the returned function takes them.
    sloped : int
        Of how many of the results slopes are wanted; no unit.
    told : Mapping, optional
        What a figure is called in the answer, where that is not its name.

    Returns
    -------
    callable
        Floats in, results out, and for each figure that any of those results hangs on its name and one slope for
        each of them, in the result's unit per unit of the figure.

    Examples
    --------
    >>> made = with_slopes(lambda a, b: (a * b, a - 2.0 * b), ("a", "b"), 2)
    >>> made(3.0, 5.0)
    ((15.0, -7.0), (('a', (5.0, 1.0)), ('b', (3.0, -2.0))))
    """
    notes = Notes()
    named = {name: notes.note(f"'{name}'") for name in figures}
    results = tuple(function(**named))
    by_result = [_slopes(notes, result, named) for result in results[:sloped]]
    rows = [
        (name, [by.get(name, 0.0) for by in by_result])
        for name in figures
        if any(name in by for by in by_result)
    ]
    sloping = (slope for _, row in rows for slope in row)
    body = _lines(notes, {one.at for one in (*results, *sloping) if isinstance(one, Expression)})
    by_name = told or {}
    answer = "".join(
        f"({by_name.get(name, name)!r}, ({', '.join(map(_named, row))},)), " for name, row in rows
    )
    source = "\n    ".join(
        [
            f"def made({', '.join(figures)}):",
            *body,
            f"return ({', '.join(map(_named, results))},), ({answer})",
        ]
    )
    scope: dict[str, Any] = {"sin": math.sin, "cos": math.cos, "radians": math.radians, "sqrt": math.sqrt}
    exec(source, scope | {"inf": math.inf, "nan": math.nan}, scope)
    made: Callable[..., Any] = scope["made"]
    return made


def _lines(notes: Notes, wanted: set[int]) -> list[str]:
    """The lines that give what is wanted and what that hangs on, in their order."""
    needed = set(wanted)
    for at in range(len(notes.notes) - 1, -1, -1):
        if at in needed:
            needed |= {one.at for one in notes.notes[at].of if isinstance(one, Expression)}
    return [
        f"v{at} = {note.does.strip(chr(39)).format(*map(_named, note.of))}"
        for at, note in enumerate(notes.notes)
        if at in needed
    ]


def _named(one: Slope) -> str:
    # Python writes what is infinite, or no number, as the names that the scope has.
    return f"v{one.at}" if isinstance(one, Expression) else repr(float(one))
