"""The child: one task within its budget, what was found so far told as it goes, gone when nobody listens."""

from __future__ import annotations

import contextlib
import gc
import os
import resource
import signal
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from threading import Thread
from typing import Any

from zygometra.core.budget import Bounded, Budget, OutOfTime
from zygometra.core.errors import ZygometraError

# For telling what was found, once the memory that was given is used up; in bytes.
_SPARE = 200_000_000
# An alarm that came where nothing can be raised (a callback, a destructor) comes again after so many seconds.
_AGAIN = 0.2
# What was found is told for the first time after so many seconds.
_FIRST = 0.3


class Telling:
    """How a task speaks while it works.

    Parameters
    ----------
    send : callable
        Sends what was found so far.
    budget : Budget
        What the task may take.
    """

    def __init__(self, send: Callable[[Any], None], budget: Budget) -> None:
        self._send, self._budget = send, budget
        self._next = time.monotonic() + _FIRST

    def so_far(self, make: Callable[[], Any]) -> None:
        """Tell what was found so far, if it is time to: only then is it made."""
        began = time.monotonic()
        if began < self._next:
            return
        self._send(make())
        # Telling takes no more than a small share of the time.
        took = time.monotonic() - began
        self._next = began + took + max(_FIRST, 8 * took)

    def ran_out(self, error: BaseException) -> Bounded:
        """Take note that time or memory is over: no alarm comes any more, and there is room to tell what was found."""
        signal.setitimer(signal.ITIMER_REAL, 0)
        _, hard = resource.getrlimit(resource.RLIMIT_DATA)
        resource.setrlimit(resource.RLIMIT_DATA, (hard, hard))
        return self._budget.ran_out("time" if isinstance(error, OutOfTime) else "memory")


# Takes how it speaks, then its own arguments; gives what came of it.
Task = Callable[..., Any]


def run(connection: Connection, task: Task, arguments: tuple[Any, ...], budget: Budget) -> None:
    """Do a task in this process and send what comes of it.

    Parameters
    ----------
    connection : Connection
        To whoever asked; when its other end is closed, the process ends at once.
    task : callable
        Takes a :class:`Telling`, then the arguments.
    arguments : tuple
        Of the task.
    budget : Budget
        What it may take.

    Notes
    -----
    Sent are pairs: ``so far`` with what was found, at last ``done`` with the result, ``refused`` with a sentence,
    or ``failed`` with the kind of an error of ours.
    """
    os.nice(10)
    Thread(target=_end_with, args=(connection,), daemon=True).start()
    sending = [False]

    def out_of_time(*_: object) -> None:
        if not sending[0]:
            raise OutOfTime

    def send(what: str, given: Any) -> None:
        # A message is whole or not at all: the alarm comes again.
        sending[0] = True
        try:
            connection.send((what, given))
        finally:
            sending[0] = False

    signal.signal(signal.SIGALRM, out_of_time)
    _limit_memory(budget.megabytes)
    signal.setitimer(signal.ITIMER_REAL, budget.seconds, _AGAIN)
    try:
        done = "done", task(Telling(lambda found: send("so far", found), budget), *arguments)
    except ZygometraError as refused:
        done = "refused", refused.says
    except (OutOfTime, MemoryError) as error:
        # A task that has nothing to tell then ends like this.
        done = "failed", type(error).__name__
    except Exception as error:
        done = "failed", f"{type(error).__name__}: {error}"
    signal.setitimer(signal.ITIMER_REAL, 0)
    with contextlib.suppress(BrokenPipeError):
        send(*done)
    connection.close()


def _end_with(connection: Connection) -> None:
    """Wait until the other end is closed, and end the process: nobody waits for it."""
    with contextlib.suppress(EOFError, OSError):
        connection.recv_bytes()
    os._exit(0)


def _limit_memory(megabytes: float) -> None:
    """Let the process take so much more than it has by now, and a little for telling what it found."""
    gc.collect()
    with open("/proc/self/status", encoding="ascii") as status:
        has = next((int(line.split()[1]) * 1024 for line in status if line.startswith("VmData")), 0)
    soft = has + int(megabytes * 1e6)
    _, hard = resource.getrlimit(resource.RLIMIT_DATA)
    most = soft + _SPARE if hard < 0 else min(soft + _SPARE, hard)
    resource.setrlimit(resource.RLIMIT_DATA, (min(soft, most), most))
