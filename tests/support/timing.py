"""What the timings share."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def median(call: Callable[[], object], rounds: int) -> float:
    """The middle of how long a call takes, in seconds."""
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
    return statistics.median(times)
