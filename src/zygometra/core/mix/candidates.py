"""Parts that could be in a recipe, those that stand for several alike, and which classes of them meet."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from .shelf import Bools, Floats, Ints


@dataclass(frozen=True, slots=True)
class Candidates:
    """The parts of one kind that could be in a recipe, each with its weight.

    ``rows`` are places in the table, ``key`` what the part adds to what is to be least,
    ``cost`` its share of the money in hundredths, ``bored`` pistons for which the block
    is bored, ``times`` how many parts alike each stands for.
    """

    rows: Ints
    key: Ints
    cost: Ints
    bored: Bools
    times: Ints

    def taken(self, keep: Bools | Ints) -> Candidates:
        """Return those that are kept, or those at some places.

        Parameters
        ----------
        keep : array
            Which to keep: yes or no for each, or their places.
        """
        return Candidates(
            rows=self.rows[keep],
            key=self.key[keep],
            cost=self.cost[keep],
            bored=self.bored[keep],
            times=self.times[keep],
        )


@dataclass(frozen=True, slots=True)
class Alike:
    """Candidates that stand for several alike, each at the least key and cost among them.

    ``members`` are places among all candidates; those of one lie from ``start`` on,
    ``count`` of them.
    """

    candidates: Candidates
    members: Ints
    start: Ints
    count: Ints

    def place(self, rows: Ints) -> Ints:
        """Return where parts that stand for others are among the candidates, by their rows in the table.

        Parameters
        ----------
        rows : array of int
            Row numbers; no unit.
        """
        order = np.argsort(self.candidates.rows)
        return order[np.searchsorted(self.candidates.rows, rows, sorter=order)]


@dataclass(frozen=True, slots=True)
class Sieve:
    """Why parts of one kind are in or out: rows missing a figure, and rules that say no."""

    missing: Mapping[str, Bools]
    refused: Mapping[str, Bools]
    left: Bools


@dataclass(frozen=True, slots=True)
class Meeting:
    """Which classes of one kind meet which of another: after what machining, with what throw shift."""

    first: Ints
    second: Ints
    start: Ints
    count: Ints
    machining: Ints
    shift: Floats
