"""Searches of the target bench: in processes of their own, for whoever asks, and what is said while they go on."""

from __future__ import annotations

from typing import Any

from zygometra.core.budget import Bounded
from zygometra.core.digits import number_of
from zygometra.processes.child import Task
from zygometra.processes.line import Line, QueuedJob

from ..build.bench import Bench
from ..jobs import line as line_of_the_shop
from ..people import who


def line() -> Line:
    """Return the line of this application."""
    return line_of_the_shop()


def searched(
    bench: Bench, held: dict[str, Any], task: Task, *arguments: Any, asks: str, polls: bool
) -> QueuedJob:
    """Return the search for what is asked: under way, done, or begun now.

    Parameters
    ----------
    bench : Bench
        The build it is about.
    held : dict
        What is kept of this question: it tells one question from another.
    task : callable
        The search.
    *arguments
        Of the search.
    asks : str
        What kind of question it is: a newer one of the kind, by the same person of the same build, ends the older.
    polls : bool
        True where the page asks again for what it asked before: that ends nothing.
    """
    key = held.setdefault("key", object())
    by = f"{who()} {bench.id} {asks}"
    if not polls:
        line().leave(by, but=key)
    return line().ask(key, task, *arguments, by=by)


def goes_on(job: QueuedJob) -> str:
    """Return what is said of a search that is not done."""
    if job.began is None:
        others = number_of(max(job.before, 1), "other search", "other searches")
        return f"The search waits for {others}."
    return f"The search goes on: {job.running_for:.0f} s of at most {job.budget.seconds:g} s."


def could_not_end(bounded: Bounded) -> str:
    """Return what is said of a search whose budget ran out."""
    return (
        f"The search was ended after {bounded.words}: what stands here is the best it found, and there may be better."
        " Fewer levers, gaskets or parts, or narrower windows, let it end."
    )
