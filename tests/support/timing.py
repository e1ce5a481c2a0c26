"""What the timings share."""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable

# Whole runs tell figures (./test timings); among the other tests each timing runs a slice, for its running alone.
WHOLE = bool(os.environ.get("ZYGOMETRA_TIMED"))


def median(call: Callable[[], object], rounds: int) -> float:
    """The middle of how long a call takes, in seconds."""
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
    return statistics.median(times)
