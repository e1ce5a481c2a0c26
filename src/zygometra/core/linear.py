"""A value that carries its linear form: by how much it moves with each thing that it hangs on."""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping
from typing import Generic, TypeVar

Name = TypeVar("Name", bound=Hashable)


class Linear(Generic[Name]):
    """A number and its slopes on whatever it was made of, first order.

    Parameters
    ----------
    value : float
        In its unit.
    slopes : Mapping
        By name, in its unit per unit of what is named; what is not named does not move it.

    Examples
    --------
    >>> area = Linear(6.0, {"bore": 2.0})
    >>> (area * Linear(0.5, {"clearance": 1.0}) + 1.0).slopes
    {'bore': 1.0, 'clearance': 6.0}
    """

    __slots__ = ("slopes", "value")

    def __init__(self, value: float, slopes: Mapping[Name, float] | None = None) -> None:
        self.value = value
        self.slopes: dict[Name, float] = dict(slopes) if slopes else {}

    @classmethod
    def of(cls, name: Name, value: float = 0.0, slope: float = 1.0) -> Linear[Name]:
        """Return what moves with one thing alone.

        Parameters
        ----------
        name : hashable
            What it is called.
        value : float
            In its unit.
        slope : float
            In its unit per unit of what is named.
        """
        return cls(value, {name: slope})

    def __add__(self, other: Linear[Name] | float) -> Linear[Name]:
        if not isinstance(other, Linear):
            return Linear(self.value + other, self.slopes)
        return Linear(self.value + other.value, self._with(1.0, other, 1.0))

    __radd__ = __add__

    def __sub__(self, other: Linear[Name] | float) -> Linear[Name]:
        if not isinstance(other, Linear):
            return Linear(self.value - other, self.slopes)
        return Linear(self.value - other.value, self._with(1.0, other, -1.0))

    def __rsub__(self, other: float) -> Linear[Name]:
        return -self + other

    def __neg__(self) -> Linear[Name]:
        return self._moved(-self.value, -1.0)

    def __mul__(self, other: Linear[Name] | float) -> Linear[Name]:
        if not isinstance(other, Linear):
            return self._moved(self.value * other, other)
        return Linear(self.value * other.value, self._with(other.value, other, self.value))

    __rmul__ = __mul__

    def __truediv__(self, other: Linear[Name] | float) -> Linear[Name]:
        if not isinstance(other, Linear):
            return self._moved(self.value / other, 1 / other)
        ratio = self.value / other.value
        return Linear(ratio, self._with(1 / other.value, other, -ratio / other.value))

    def positive(self) -> Linear[Name]:
        """Return what is above nought of it; see :mod:`.stack.columns`, in the same unit."""
        return self if self.value >= 0 else Linear(0.0)

    def at_most(self, most: Linear[Name] | float) -> Linear[Name]:
        """Return the smaller of it and another.

        Parameters
        ----------
        most : Linear or float
            In its unit.
        """
        other = most if isinstance(most, Linear) else Linear[Name](most)
        return self if self.value < other.value else other

    def where_positive(self, value: Linear[Name] | float) -> Linear[Name] | float:
        """Return a value where this one is above nought, else nought.

        Parameters
        ----------
        value : Linear or float
            In any unit.
        """
        return value if self.value > 0 else 0.0

    def endless_unless_positive(self) -> Linear[Name]:
        """Return it where it is above nought, else infinity; in the same unit."""
        return self if self.value > 0 else Linear(math.inf)

    def sine(self) -> Linear[Name]:
        """Return the sine of so many degrees (trade.md 1)."""
        angle = math.radians(self.value)
        return self._moved(math.sin(angle), math.radians(1) * math.cos(angle))

    def cosine(self) -> Linear[Name]:
        """Return the cosine of so many degrees (trade.md 1)."""
        angle = math.radians(self.value)
        return self._moved(math.cos(angle), -math.radians(1) * math.sin(angle))

    def root(self) -> Linear[Name]:
        """Return the square root; in the root of its unit."""
        root = math.sqrt(self.value)
        return self._moved(root, 0.5 / root)

    def _moved(self, value: float, by: float) -> Linear[Name]:
        return Linear(value, {name: by * slope for name, slope in self.slopes.items()})

    def _with(self, own: float, other: Linear[Name], by: float) -> dict[Name, float]:
        out = {name: own * slope for name, slope in self.slopes.items()}
        for name, slope in other.slopes.items():
            out[name] = out.get(name, 0.0) + by * slope
        return out


def as_linear(x: Linear[Name] | float) -> Linear[Name]:
    """Return a value that carries its slopes; what is a plain number moves with nothing.

    Parameters
    ----------
    x : Linear or float
        In its unit.
    """
    return x if isinstance(x, Linear) else Linear(x)
