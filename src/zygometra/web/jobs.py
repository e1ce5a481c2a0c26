"""Jobs behind a page: what takes longer than a page may wait goes on while somebody asks for it, and is kept when done.

A job belongs to whoever asks, by the identity of the session and never by a name: two
people who are called the same do not end each other's.
"""

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

from flask import Flask, current_app

from zygometra.core.budget import Budget
from zygometra.processes.line import Line

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


class Job:
    """One job: its ``share`` done from 0 to 1, and what came of it."""

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

    def leave_all(self) -> None:
        """Let nobody wait any longer: it ends at its next word."""
        self._by.clear()

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


class Jobs:
    """The jobs under way and those done of late, by what they answer."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._jobs: OrderedDict[Key, Job] = OrderedDict()
        self._pool = ThreadPoolExecutor(3, "mix", _stand_back)
        self._ahead = ThreadPoolExecutor(3, "mix-ahead")

    def ask(self, key: Key, task: Task, *, by: str, ahead: bool = False) -> Job:
        """Return the job of a key, for somebody: under way, done, or begun now, ahead of long work if a page waits."""
        with self._lock:
            job = self._jobs.get(key)
            if job is None or (job.future.done() and job.future.exception() is not None):
                job = Job()
                job.ask(by)
                job.future = (self._ahead if ahead else self._pool).submit(task, job.told)
            job.ask(by)
            self._keep(key, job)
            return job

    def leave(self, by: str, but: Hashable) -> None:
        """Let somebody wait no longer for anything under way but what answers one question."""
        with self._lock:
            for key, job in self._jobs.items():
                if key[0] != but:
                    job.leave(by)

    def kept(self, key: Key, make: Callable[[], Any]) -> Any:
        """Return what came of short work that was done before, or do it now."""
        with self._lock:
            job = self._jobs.get(key)
        if job is None:
            job = Job()
            job.future.set_result(make())
            with self._lock:
                self._keep(key, job)
        return job.result

    def close(self) -> None:
        """End what is under way and give the threads back."""
        with self._lock:
            for job in self._jobs.values():
                job.leave_all()
        for pool in (self._pool, self._ahead):
            pool.shutdown(wait=True, cancel_futures=True)

    def _keep(self, key: Key, job: Job) -> None:
        self._jobs[key] = job
        self._jobs.move_to_end(key)
        while len(self._jobs) > _MOST_KEPT:
            self._jobs.popitem(last=False)


# What a search may take, in seconds and MB beyond what a process begins with.
BUDGET = Budget(20, 400)
# What reading a file may take; files wait for no search.
FILES = Budget(30, 400)


def init(app: Flask) -> None:
    """Give the application its jobs, and the line of those that run in processes of their own."""
    app.extensions["jobs"] = Jobs()
    app.extensions["line"] = Line(BUDGET)
    app.extensions["line of files"] = Line(FILES)


def close(app: Flask) -> None:
    """End whatever is under way in an application."""
    app.extensions["settler"].close()
    for name in ("line", "line of files"):
        app.extensions[name].close()
    app.extensions["jobs"].close()


def line_of_files() -> Line:
    """Return the line in which files are read."""
    found: Line = current_app.extensions["line of files"]
    return found


def line() -> Line:
    """Return the line of this application."""
    found: Line = current_app.extensions["line"]
    return found


def jobs() -> Jobs:
    """Return the jobs of this application."""
    found: Jobs = current_app.extensions["jobs"]
    return found
