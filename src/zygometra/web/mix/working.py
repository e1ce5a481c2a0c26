"""Work that takes longer than a page may wait: it goes on while somebody asks for it, and is kept when done."""

from __future__ import annotations

import contextlib
import os
import threading
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


# What is asked, and what of it: its count, why there is nothing.
Key = tuple[Hashable, str]


def _stand_back() -> None:
    """Let the thread's work wait for pages: they come first."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)


class GivenUp(Exception):
    """Nobody waits for it any more."""


class Work:
    """One task: its ``share`` done from 0 to 1, and what came of it."""

    def __init__(self) -> None:
        self.share = 0.0
        self.future: Future[Any] = Future()
        self._asked = time.monotonic()
        self._by: set[str] = set()

    def ask(self, by: str) -> None:
        """Say that somebody wants it still."""
        self._asked = time.monotonic()
        self._by.add(by)

    def leave(self, by: str) -> None:
        """Say that somebody asks for something else now."""
        self._by.discard(by)

    def told(self, share: float) -> None:
        """Take how much is done; raises :class:`GivenUp` where nobody waits, or has asked for long."""
        self.share = share
        if not self._by or time.monotonic() - self._asked > _FORGOTTEN_AFTER:
            raise GivenUp

    def done_within(self, seconds: float) -> bool:
        """Wait for it, but no longer; tell whether something came of it: what was given up is to be asked for again."""
        wait([self.future], seconds)
        return self.future.done() and not isinstance(self.future.exception(), GivenUp)

    @property
    def result(self) -> Any:
        """What came of it; raises what the task raised."""
        return self.future.result()


class Working:
    """The tasks under way and those done of late, by what they answer."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._works: OrderedDict[Key, Work] = OrderedDict()
        self._pool = ThreadPoolExecutor(3, "mix", _stand_back)
        self._ahead = ThreadPoolExecutor(3, "mix-ahead")

    def ask(self, key: Key, task: Task, *, by: str, ahead: bool = False) -> Work:
        """Return the work of a key, for somebody: under way, done, or begun now, ahead of long work if a page waits."""
        with self._lock:
            work = self._works.get(key)
            if work is None or (work.future.done() and work.future.exception() is not None):
                work = Work()
                work.ask(by)
                work.future = (self._ahead if ahead else self._pool).submit(task, work.told)
            work.ask(by)
            self._keep(key, work)
            return work

    def leave(self, by: str, but: Hashable) -> None:
        """Let somebody wait no longer for anything under way but what answers one question."""
        with self._lock:
            for key, work in self._works.items():
                if key[0] != but:
                    work.leave(by)

    def kept(self, key: Key, make: Callable[[], Any]) -> Any:
        """Return what came of short work that was done before, or do it now."""
        with self._lock:
            work = self._works.get(key)
        if work is None:
            work = Work()
            work.future.set_result(make())
            with self._lock:
                self._keep(key, work)
        return work.result

    def _keep(self, key: Key, work: Work) -> None:
        self._works[key] = work
        self._works.move_to_end(key)
        while len(self._works) > _MOST_KEPT:
            self._works.popitem(last=False)


WORKING = Working()
