"""What a machine did before as the tolerance of what it does next."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ..build.lever_table import OpName
from ..build.model import Build
from ..memory import Memory
from ..quantity import read_quantity
from ..units import Kind


def with_memory(build: Build, known: Callable[[str, OpName], Memory | None]) -> Build:
    """Return a build whose cuts are missed by what their machines missed by before.

    Parameters
    ----------
    build : Build
        With its levers, of which some name a machine or an outside shop.
    known : callable
        Takes its name and a lever; what is remembered, None where nothing is.

    Returns
    -------
    Build
        The tolerance of such a lever is the standard uncertainty of its machine's next job, about its bias. It is
        a prior of what comes: no figure of the build moves by it.
    """
    means = dict(build.levers.means)
    for op, own in means.items():
        found = known(own.machine, op) if own.machine else None
        if found is not None and found.jobs:
            tolerance = read_quantity(
                {"value": 0, "unit": "mm", "u": found.u, "basis": "assumed"}, Kind.LENGTH, dimension=op
            )
            means[op] = own.with_(tolerance=tolerance)
    return replace(build, levers=replace(build.levers, means=means))
