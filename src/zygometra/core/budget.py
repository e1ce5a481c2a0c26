"""What ends a search before its end: its time or its memory, and how that is told."""

from __future__ import annotations

from typing import Literal, NamedTuple

BoundedBy = Literal["time", "memory"]


class OutOfTime(BaseException):
    """The time that was given is over; raised wherever the work stands, and no handler of ours takes it for a fault."""


class Bounded(NamedTuple):
    """That an answer is the best that was found within a budget, not all that there is.

    ``by`` is what ran out; ``limit`` how much of it was given, in seconds or in MB (10⁶ bytes).
    """

    by: BoundedBy
    limit: float

    @property
    def words(self) -> str:
        """What ran out, in words."""
        return f"{self.limit:g} s" if self.by == "time" else f"{self.limit:g} MB of memory"


class Budget(NamedTuple):
    """How much a search may take: seconds, and MB (10⁶ bytes) beyond what it began with."""

    seconds: float
    megabytes: float

    def ran_out(self, by: BoundedBy) -> Bounded:
        """Return that it ran out.

        Parameters
        ----------
        by : str
            What of it did.
        """
        return Bounded(by, self.seconds if by == "time" else self.megabytes)
