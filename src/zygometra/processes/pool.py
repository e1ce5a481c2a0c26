"""A process beside this one for short work that nobody waits for."""

from __future__ import annotations

import multiprocessing
import os
from concurrent.futures import ProcessPoolExecutor

PRELOADED = ["zygometra.processes.preload"]


def spawning() -> multiprocessing.context.ForkServerContext:
    """Return how children come about: from a server that has loaded what they need, and holds no thread of ours."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(PRELOADED)
    return context


def pool() -> ProcessPoolExecutor:
    """Return a pool of one process that stands back behind pages."""
    return ProcessPoolExecutor(1, mp_context=spawning(), initializer=os.nice, initargs=(10,))
