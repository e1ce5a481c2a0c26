"""Work that takes longer than a page may wait: it goes on while somebody asks for it, and is kept when done."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from threading import Lock
from typing import Any

# A task says now and then how much of it is done; that ends it where nobody waits for it.
Task = Callable[[Callable[[float], None]], Any]

_MOST_KEPT = 64
_FORGOTTEN_AFTER = 10.0


class GivenUp(Exception):
    """Nobody waits for it any more."""


class Work:
    """One task: its ``share`` done from 0 to 1, and what came of it."""

    def __init__(self) -> None:
        self.share = 0.0
        self.future: Future[Any] = Future()
        self._asked = time.monotonic()

    def ask(self) -> None:
        """Say that somebody still wants it."""
        self._asked = time.monotonic()

    def told(self, share: float) -> None:
        """Take how much is done; raises :class:`GivenUp` where nobody has asked for it of late."""
        self.share = share
        if time.monotonic() - self._asked > _FORGOTTEN_AFTER:
            raise GivenUp

    def done_within(self, seconds: float) -> bool:
        """Wait for it, but no longer; tell whether it is done."""
        wait([self.future], seconds)
        return self.future.done()

    @property
    def result(self) -> Any:
        """What came of it; raises what the task raised."""
        return self.future.result()


class Working:
    """The tasks under way and those done of late, by what they answer."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._works: OrderedDict[Hashable, Work] = OrderedDict()
        self._pool = ThreadPoolExecutor(3, "mix")

    def ask(self, key: Hashable, task: Task) -> Work:
        """Return the work of a key: under way, done, or begun now."""
        with self._lock:
            work = self._works.get(key)
            if work is None or (work.future.done() and work.future.exception() is not None):
                work = Work()
                work.future = self._pool.submit(task, work.told)
            work.ask()
            self._keep(key, work)
            return work

    def kept(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return what came of short work that was done before, or do it now."""
        with self._lock:
            work = self._works.get(key)
        if work is None:
            work = Work()
            work.future.set_result(make())
            with self._lock:
                self._keep(key, work)
        return work.result

    def _keep(self, key: Hashable, work: Work) -> None:
        self._works[key] = work
        self._works.move_to_end(key)
        while len(self._works) > _MOST_KEPT:
            self._works.popitem(last=False)


WORKING = Working()
