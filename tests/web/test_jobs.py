"""Work that goes on while the page already answers."""

from __future__ import annotations

import threading
import time

import pytest

from zygometra.web import jobs
from zygometra.web.jobs import GivenUp, Jobs


def until(true, seconds: float = 5.0) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it took too long"
        time.sleep(0.005)


class Steps:
    """A task that takes a step each time it is let, and tells after each how far it is."""

    def __init__(self, steps: int = 4) -> None:
        self.steps, self.begun, self.ended, self.let = steps, 0, False, threading.Semaphore(0)

    def __call__(self, told):
        self.begun += 1
        try:
            for step in range(self.steps):
                self.let.acquire(timeout=5)
                told((step + 1) / self.steps)
        finally:
            self.ended = True
        return "done"


def test_work_is_begun_once_tells_how_far_it_is_and_is_kept():
    pool, task = Jobs(), Steps()
    work = pool.ask(("q", "count"), task, by="Ines")
    assert not work.done_within(0.02)
    task.let.release()
    until(lambda: work.share == 0.25)
    assert pool.ask(("q", "count"), task, by="Mattis") is work
    task.let.release(3)
    assert work.done_within(5)
    assert (work.result, task.begun) == ("done", 1)
    assert pool.ask(("q", "count"), task, by="Ines").result == "done"
    assert task.begun == 1


def test_work_ends_when_the_last_who_waited_asks_something_else():
    pool, task = Jobs(), Steps()
    work = pool.ask(("q", "count"), task, by="Ines")
    pool.ask(("q", "count"), task, by="Mattis")
    pool.leave("Ines", "another")
    task.let.release()
    until(lambda: work.share == 0.25)
    pool.leave("Mattis", "q")
    task.let.release()
    until(lambda: work.share == 0.5)
    pool.leave("Mattis", "another")
    task.let.release()
    until(lambda: task.ended)
    with pytest.raises(GivenUp):
        work.future.result(5)
    # Nothing came of it: whoever asks meanwhile is told to ask again.
    assert not work.done_within(0)
    again = pool.ask(("q", "count"), task, by="Ines")
    task.let.release(4)
    assert again is not work
    assert again.future.result(5) == "done"


def test_work_that_nobody_asks_for_any_more_ends(monkeypatch):
    monkeypatch.setattr(jobs, "_FORGOTTEN_AFTER", 0.0)
    pool, task = Jobs(), Steps()
    work = pool.ask(("q", "why"), task, by="Ines")
    task.let.release()
    with pytest.raises(GivenUp):
        work.future.result(5)


def test_short_work_is_done_at_once_and_once(monkeypatch):
    monkeypatch.setattr(jobs, "_MOST_KEPT", 2)
    pool, made = Jobs(), []
    for key in ("a", "a", "b", "c", "c", "a"):
        assert pool.kept((key, "best"), lambda key=key: made.append(key) or key.upper()) == key.upper()
    # The oldest fell out when the third came.
    assert made == ["a", "b", "c", "a"]


def test_what_a_page_waits_for_does_not_stand_behind_long_work():
    pool, long = Jobs(), Steps()
    under_way = [pool.ask((n, "count"), long, by="Ines") for n in range(5)]
    until(lambda: long.begun == 3)
    assert pool.ask(("q", "best"), lambda told: "found", by="Ines", ahead=True).done_within(5)
    assert long.begun == 3
    long.let.release(20)
    assert all(work.done_within(5) for work in under_way)


def test_two_people_of_one_name_do_not_end_each_others(app):
    from tests.web.conftest import Shop

    names = []
    for _ in range(2):
        with Shop(app, "Ines").client.session_transaction() as cookie:
            names.append((cookie["person"], cookie["person_id"]))
    (first, one), (second, other) = names
    assert first == second == "Ines"
    pool, task = Jobs(), Steps()
    job = pool.ask(("q", "count"), task, by=one)
    pool.ask(("q", "count"), task, by=other)
    pool.leave(one, "another question")
    task.let.release()
    until(lambda: job.share == 0.25)
    assert not task.ended
    pool.leave(other, "another question")
    task.let.release()
    until(lambda: task.ended)
    pool.close()


def test_closing_ends_what_is_under_way():
    pool, task = Jobs(), Steps(400)
    job = pool.ask(("q", "count"), task, by="Ines")
    until(lambda: task.begun == 1)
    task.let.release(400)
    pool.close()
    assert job.future.done()
    with pytest.raises(RuntimeError):
        pool.ask(("q", "other"), task, by="Ines")


def test_a_task_that_fails_is_begun_again_when_it_is_asked_for_again():
    pool, runs = Jobs(), []

    def task(_told):
        runs.append(1)
        if len(runs) == 1:
            raise ValueError("once")
        return "done"

    first = pool.ask(("q", "count"), task, by="Ines")
    assert first.done_within(5)
    with pytest.raises(ValueError, match="once"):
        _ = first.result
    again = pool.ask(("q", "count"), task, by="Ines")
    assert again.done_within(5)
    assert again.result == "done"
    pool.close()
