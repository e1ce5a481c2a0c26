"""A mixed-integer linear programme: variables and constraints as objects, solved by HiGHS."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..linear import Linear

_Floats = NDArray[np.float64]
# How near the best a solution with whole numbers is taken to its end, a share of 1, and for how many seconds.
_GAP, _SECONDS = 1e-9, 20.0
# How far a solution without whole numbers may lie off a constraint, in its unit.
_FEASIBLE = 1e-10


class Variable:
    """One variable: between which values it lies, and whether it is whole; it equals no other.

    Parameters
    ----------
    low, high : float
        In the unit of what it stands for.
    whole : bool
        True for yes or no.
    """

    __slots__ = ("high", "low", "whole")

    def __init__(self, low: float, high: float, *, whole: bool = False) -> None:
        self.low, self.high, self.whole = low, high, whole

    def hold(self, value: float) -> None:
        """Fix the variable at a value.

        Parameters
        ----------
        value : float
            In the unit of what it stands for.
        """
        self.low = self.high = value


Expression = Linear[Variable]
# What variables come to, each in the unit of what it stands for.
Solution = dict[Variable, float]


class Constraint(NamedTuple):
    """Between what an expression must lie, in its unit."""

    of: Expression
    low: float
    high: float


class Milp:
    """Variables and constraints, solved for the least of an expression.

    Examples
    --------
    >>> milp = Milp()
    >>> deck, crown = milp.variable(0.0, 0.3), milp.variable(0.0, 0.5)
    >>> milp.constrain(Linear.of(deck) + Linear.of(crown), low=0.45)
    >>> found = milp.solve(2 * Linear.of(deck) + Linear.of(crown))
    >>> found[deck], found[crown]
    (0.0, 0.45)
    """

    def __init__(self) -> None:
        self.variables: list[Variable] = []
        self.constraints: list[Constraint] = []

    def variable(self, low: float, high: float, *, whole: bool = False) -> Variable:
        """Put a variable in and return it.

        Parameters
        ----------
        low, high : float
            Between which values it lies, in the unit of what it stands for.
        whole : bool
            True for yes or no.
        """
        self.variables.append(Variable(low, high, whole=whole))
        return self.variables[-1]

    def constrain(self, of: Expression, low: float = -math.inf, high: float = math.inf) -> None:
        """Put a constraint in.

        Parameters
        ----------
        of : Linear
            The expression, in any unit.
        low, high : float
            Between what it must lie, in that unit.
        """
        self.constraints.append(Constraint(of, low, high))

    def solve(self, least: Expression, fixed: Mapping[Variable, float] | None = None) -> Solution | None:
        """Return the values that make an expression least; None where no values suit.

        Parameters
        ----------
        least : Linear
            The expression, in any unit.
        fixed : Mapping, optional
            Variables that are held, in their units: where these are all that are whole, a linear programme is left,
            solved to the last digits.

        Returns
        -------
        dict or None
            By variable, in its unit.
        """
        from scipy.optimize import Bounds, LinearConstraint, linprog, milp

        fixed = fixed or {}
        at = {variable: i for i, variable in enumerate(self.variables)}
        costs = np.zeros(len(at))
        for variable, slope in least.slopes.items():
            costs[at[variable]] = slope
        low = np.array([fixed.get(one, one.low) for one in self.variables])
        high = np.array([fixed.get(one, one.high) for one in self.variables])
        matrix, bottom, top = self._matrix(at)
        if np.isnan(matrix).any() or np.isnan(bottom).any() or np.isnan(top).any():
            return None  # what hangs on a figure that nobody knows is inside no window
        whole = np.array([one.whole and one not in fixed for one in self.variables], dtype=int)
        if whole.any() or not fixed:
            found = milp(
                costs,
                integrality=np.array([one.whole for one in self.variables], dtype=int),
                bounds=Bounds(low, high),
                constraints=LinearConstraint(matrix, bottom, top),
                options={"mip_rel_gap": _GAP, "time_limit": _SECONDS},
            )
        else:
            upper, lower = np.isfinite(top), np.isfinite(bottom)
            found = linprog(
                costs,
                A_ub=np.concatenate([matrix[upper], -matrix[lower]]),
                b_ub=np.concatenate([top[upper], -bottom[lower]]),
                bounds=np.stack([low, high], axis=1),
                method="highs",
                options={"primal_feasibility_tolerance": _FEASIBLE, "dual_feasibility_tolerance": _FEASIBLE},
            )
        if found.x is None or found.status not in (0, 1):
            return None
        return dict(zip(self.variables, map(float, found.x), strict=True))

    def _matrix(self, at: Mapping[Variable, int]) -> tuple[_Floats, _Floats, _Floats]:
        """What stands before each variable in each constraint, and between what the constraints lie."""
        matrix = np.zeros((len(self.constraints), len(at)))
        for row, constraint in zip(matrix, self.constraints, strict=True):
            for variable, slope in constraint.of.slopes.items():
                row[at[variable]] = slope
        # What an expression has without a variable moves its bounds.
        bottom, top = (
            np.array([(one.low, one.high)[end] - one.of.value for one in self.constraints]) for end in (0, 1)
        )
        return matrix, bottom, top


def total(variables: Mapping[Variable, float]) -> Expression:
    """Return a sum of variables, each with what stands before it.

    Parameters
    ----------
    variables : Mapping
        By variable, in any unit per unit of what it stands for.
    """
    return Linear(0.0, variables)
