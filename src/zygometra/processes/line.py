"""The line before the children: one hard task at a time, quick ones past it, none without somebody who waits for it.

A task is tried for a moment as soon as its turn comes; what is not done by then is hard, and
waits for the one place where hard tasks run to the end of their budget.
"""

from __future__ import annotations

import contextlib
import pickle
import time
from collections import OrderedDict, deque
from collections.abc import Hashable, Mapping
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerProcess
from threading import Condition, Thread
from typing import Any

from zygometra.core.budget import Bounded, Budget
from zygometra.core.errors import ZygometraError

from . import child
from .pool import spawning

# A task that is not done within so many seconds is hard.
QUICK = 1.5
# Nobody waits for what was not asked for within so many seconds.
FORGOTTEN_AFTER = 5.0
# So long after its time a child that did not end by itself is ended: it sits in a library that hears no alarm.
GRACE = 3.0
# Tasks that wait or run; those that are kept when done, and how many bytes of what came of them.
MOST_WAITING, MOST_KEPT, MOST_BYTES = 24, 48, 48_000_000

_spawn = spawning()


class Busy(ZygometraError):
    """Too many wait already."""


class Broken(RuntimeError):
    """A child failed at its task: a fault of ours."""


class QueuedJob:
    """A task that somebody asked for.

    ``so_far`` is what was found last, None before; ``result`` what came of it once it ``is_done``; ``about`` is the
    asker's own.
    """

    def __init__(self, task: child.Task, arguments: tuple[Any, ...], budget: Budget) -> None:
        self.task, self.arguments, self.budget = task, arguments, budget
        self.so_far: Any = None
        self.is_done = False
        self.bounded: Bounded | None = None
        self.about: Mapping[str, Any] = {}
        self.before = 0
        self.began: float | None = None
        # What came of it, as it was sent: small while it lies, and each who asks has his own.
        self._result: bytes | None = None
        self._error: Exception | None = None
        self._by: set[str] = set()
        self._asked = time.monotonic()
        self._child: tuple[ForkServerProcess, Connection] | None = None

    @property
    def result(self) -> Any:
        """What came of it; None where it ended with nothing told. Raises what the task refused."""
        if self._error is not None:
            raise self._error
        return self.so_far if self._result is None else pickle.loads(self._result)[1]

    @property
    def running_for(self) -> float:
        """Since how many seconds it runs; nought while it waits."""
        return 0.0 if self.began is None else time.monotonic() - self.began

    def _is_wanted(self) -> bool:
        return bool(self._by) and time.monotonic() - self._asked < FORGOTTEN_AFTER

    def _ask(self, by: str) -> None:
        self._by.add(by)
        self._asked = time.monotonic()

    def _leave(self, by: str) -> None:
        self._by.discard(by)


class Line:
    """The tasks that wait, the two that run at most, and those done of late.

    Parameters
    ----------
    budget : Budget
        What a task may take.
    """

    def __init__(self, budget: Budget) -> None:
        self.budget = budget
        self._told = Condition()
        self._jobs: OrderedDict[Hashable, QueuedJob] = OrderedDict()
        self._quick: deque[QueuedJob] = deque()
        self._hard: deque[QueuedJob] = deque()
        self._hard_runs = False
        self._closed = False
        self._lanes: list[Thread] = []

    # -- asking --------------------------------------------------------------------

    def ask(self, key: Hashable, task: child.Task, *arguments: Any, by: str) -> QueuedJob:
        """Return the task of a key, for somebody: done, under way, or begun now.

        Parameters
        ----------
        key : hashable
            What it answers: the same key is the same task.
        task : callable
            A function of a module; runs in a child, see :func:`zygometra.processes.child.run`.
        *arguments
            Of the task; they and what comes of it are copied between processes.
        by : str
            Who wants it: as long as somebody does, and asks now and then, it goes on.

        Raises
        ------
        Busy
            If too many wait already.
        """
        with self._told:
            job = self._jobs.get(key)
            if job is None or (job.is_done and job._error is not None):
                if len(self._quick) + len(self._hard) >= MOST_WAITING:
                    self._forget_unwanted()
                if self._closed or len(self._quick) + len(self._hard) >= MOST_WAITING:
                    raise Busy("Too many searches wait already; ask again in a minute.")
                job = QueuedJob(task, arguments, self.budget)
                self._jobs[key] = job
                self._quick.append(job)
                self._open_lanes()
                self._told.notify_all()
            job._ask(by)
            self._jobs.move_to_end(key)
            self._make_room()
            return job

    def find(self, key: Hashable, *, by: str) -> QueuedJob | None:
        """Return the task of a key where there is one, for somebody who wants it still."""
        with self._told:
            if (job := self._jobs.get(key)) is not None:
                job._ask(by)
                self._jobs.move_to_end(key)
            return job

    def _make_room(self) -> None:
        """Forget what was done longest ago, where there is much of it; the newest stays."""
        done = [(key, job) for key, job in self._jobs.items() if job.is_done]
        weight = sum(len(job._result or b"") for _, job in done)
        for count, (key, job) in zip(range(len(done), 1, -1), done, strict=False):
            if count <= MOST_KEPT and weight <= MOST_BYTES:
                return
            del self._jobs[key]
            weight -= len(job._result or b"")

    def leave(self, by: str, *, but: Hashable = None) -> None:
        """Let somebody wait no longer for anything but one thing: what nobody waits for ends."""
        with self._told:
            for key, job in self._jobs.items():
                if key != but:
                    job._leave(by)
            self._told.notify_all()

    def wait(self, job: QueuedJob, seconds: float) -> bool:
        """Wait until a task is done, but no longer than so many seconds; tell whether it is."""
        with self._told:
            self._told.wait_for(lambda: job.is_done, seconds)
            if not job.is_done:
                job.before = self._before(job)
            return job.is_done

    def warm_up(self) -> None:
        """Load what children need, so that the first task does not wait for it."""
        with self._told:
            if not self._closed:
                self._open_lanes()
        forkserver.ensure_running()

    def close(self) -> None:
        """End every child and let nothing wait."""
        with self._told:
            self._closed = True
            for job in self._jobs.values():
                job._by.clear()
            self._told.notify_all()
        for lane in self._lanes:
            lane.join(GRACE)

    def _before(self, job: QueuedJob) -> int:
        """How many run or wait before a task that waits; nought for one that runs."""
        if job._child is not None:
            return 0
        for waiting in (self._hard, self._quick):
            if job in waiting:
                return waiting.index(job) + 1
        return 0

    def _forget_unwanted(self) -> None:
        for waiting in (self._quick, self._hard):
            for job in [one for one in waiting if not one._is_wanted()]:
                waiting.remove(job)
                self._end(job)

    # -- the two lanes ----------------------------------------------------------------

    def _open_lanes(self) -> None:
        if not self._lanes:
            self._lanes = [
                Thread(target=lane, name=name, daemon=True)
                for name, lane in (("quick", self._run_quick), ("hard", self._run_hard))
            ]
            for lane in self._lanes:
                lane.start()

    def _next(self, waiting: deque[QueuedJob]) -> QueuedJob | None:
        """The next task that somebody wants; None once the line is closed."""
        with self._told:
            while True:
                self._told.wait_for(lambda: self._closed or waiting)
                if self._closed:
                    return None
                job = waiting.popleft()
                if job._is_wanted():
                    return job
                self._end(job)

    def _run_quick(self) -> None:
        while (job := self._next(self._quick)) is not None:
            if self._run(job, QUICK, is_hard=False):
                continue
            with self._told:
                if self._hard_runs or self._hard:
                    # It begins anew when its turn comes: nothing that waits keeps memory.
                    self._kill(job)
                self._hard.append(job)
                self._told.notify_all()

    def _run_hard(self) -> None:
        while (job := self._next(self._hard)) is not None:
            self._hard_runs = True
            self._run(job, job.budget.seconds + GRACE, is_hard=True)
            self._hard_runs = False

    def _run(self, job: QueuedJob, seconds: float, *, is_hard: bool) -> bool:
        """Run a task for so many seconds at most; False where it is not done, and not given up."""
        if job._child is None:
            try:
                self._begin(job)
            except Exception as error:
                # No process is to be had, or the arguments cannot be copied: a lane goes on.
                self._finish(job, "failed", f"{type(error).__name__}: {error}")
                return True
        assert job._child is not None
        _, connection = job._child
        until = time.monotonic() + seconds
        while True:
            if self._closed or not job._is_wanted():
                self._give_up(job)
                return True
            if time.monotonic() > until:
                if not is_hard:
                    return False
                self._kill(job)
                self._finish(job, "bounded", "time")
                return True
            try:
                if connection.poll(0.05):
                    sent = connection.recv_bytes()
                    what, given = pickle.loads(sent)
                    if what == "so far":
                        job.so_far = given
                        continue
                    self._kill(job)
                    self._finish(job, what, sent if what == "done" else given)
                    return True
            except (EOFError, OSError):
                # A child that is gone without a word was killed, by the system, for its memory.
                self._kill(job)
                self._finish(job, "bounded", "memory")
                return True

    def _begin(self, job: QueuedJob) -> None:
        ours, theirs = _spawn.Pipe()
        process = _spawn.Process(
            target=child.run, args=(theirs, job.task, job.arguments, job.budget), daemon=True
        )
        process.start()
        theirs.close()
        job._child, job.began = (process, ours), time.monotonic()

    def _kill(self, job: QueuedJob) -> None:
        if job._child is not None:
            process, connection = job._child
            connection.close()
            process.kill()
            process.join()
            process.close()
            job._child, job.began = None, None

    def _give_up(self, job: QueuedJob) -> None:
        self._kill(job)
        with self._told:
            self._end(job)

    def _end(self, job: QueuedJob) -> None:
        """Forget a task that nobody waits for: whoever asks again begins it anew."""
        for key in [key for key, one in self._jobs.items() if one is job]:
            del self._jobs[key]
        job._error, job.is_done = Busy("Nobody waited for it any more; ask again."), True
        self._told.notify_all()

    def _finish(self, job: QueuedJob, what: str, given: Any) -> None:
        with self._told:
            if what == "done":
                job._result = given
            elif what == "refused":
                job._error = _refusal(given)
            elif what == "bounded" or given in ("OutOfTime", "MemoryError"):
                job.bounded = job.budget.ran_out(_RAN_OUT.get(given, "time"))
            else:
                job._error = Broken(given)
            job.is_done = True
            job.arguments = ()
            self._make_room()
            self._told.notify_all()


_RAN_OUT: Mapping[str, Any] = {"memory": "memory", "MemoryError": "memory"}


def _refusal(says: Any) -> ZygometraError:
    error = ZygometraError()
    error.says = says
    return error


def alone(task: child.Task, *arguments: Any, budget: Budget) -> QueuedJob:
    """Return a task that ran in a child to its end, or to the end of its budget.

    Parameters
    ----------
    task : callable
        A function of a module.
    *arguments
        Of the task.
    budget : Budget
        What it may take.
    """
    line = Line(budget)
    try:
        job = line.ask("it", task, *arguments, by="it")
        while not line.wait(job, 1.0):
            with contextlib.suppress(Busy):
                line.ask("it", task, *arguments, by="it")
        return job
    finally:
        line.close()
