"""The line before the children: who waits, who runs, who ends whom, and what is told when a budget runs out."""

from __future__ import annotations

import os
import time

import pytest

from zygometra.core.budget import Bounded, Budget, OutOfTime
from zygometra.core.errors import QuantityError, ZygometraError
from zygometra.processes import line as line_module
from zygometra.processes.line import Broken, Busy, Line, alone

BUDGET = Budget(20, 200)


def doubled(telling, number):
    return 2 * number


def sleeps(telling, path, seconds):
    """Write one's number, and sleep."""
    with open(path, "a", encoding="ascii") as file:
        file.write(f"{os.getpid()}\n")
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        telling.so_far(lambda: "asleep")
        time.sleep(0.02)
    return "woke"


def never_ends(telling):
    try:
        while True:
            telling.so_far(lambda: "nothing yet")
    except OutOfTime as error:
        return telling.ran_out(error)


def deaf(telling):
    """Sits where no alarm is heard."""
    import signal

    signal.pthread_sigmask(signal.SIG_BLOCK, [signal.SIGALRM])
    time.sleep(0.4)
    telling.so_far(lambda: "something")
    time.sleep(60)


def eats(telling):
    held = []
    try:
        while True:
            held.append(bytearray(5_000_000))
    except MemoryError as error:
        bounded = telling.ran_out(error)
        # Room to tell it.
        return bounded, len(held), len(bytearray(20_000_000))


def refuses(telling):
    raise QuantityError("'x'", "a number")


def breaks(telling):
    raise KeyError("nothing of the kind")


def dies(telling):
    os.kill(os.getpid(), 9)


@pytest.fixture
def line():
    made = Line(BUDGET)
    yield made
    made.close()


def waited(line, key, task, *arguments, by="Ada", most=30.0):
    """What comes of a task, asked for as a page does."""
    until = time.monotonic() + most
    while time.monotonic() < until:
        job = line.ask(key, task, *arguments, by=by)
        if line.wait(job, 0.2):
            return job
    raise AssertionError(f"{key} is not done after {most} s")


def lives(number):
    try:
        with open(f"/proc/{number}/stat", encoding="ascii") as stat:
            return stat.read().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def gone(number, most=10.0):
    until = time.monotonic() + most
    while lives(number) and time.monotonic() < until:
        time.sleep(0.05)
    return not lives(number)


def numbers(path):
    return [int(word) for word in path.read_text().split()] if path.exists() else []


def begun(line, job, path, count=1):
    while len(numbers(path)) < count:
        line.wait(job, 0.05)
    return numbers(path)[-1]


def test_a_task_is_done_once_for_everybody_who_asks_the_same(line):
    job = waited(line, "twice 21", doubled, 21)
    assert job.result == 42
    assert line.ask("twice 21", doubled, 21, by="Bo") is job


def test_a_task_ends_when_nobody_asks_any_more(line, tmp_path, monkeypatch):
    monkeypatch.setattr(line_module, "FORGOTTEN_AFTER", 0.6)
    job = line.ask("sleep", sleeps, tmp_path / "n", 60, by="Ada")
    number = begun(line, job, tmp_path / "n")
    assert gone(number)
    # Asked again, it begins anew.
    assert line.ask("sleep", sleeps, tmp_path / "n", 60, by="Ada") is not job


def test_a_newer_question_ends_the_older_of_its_asker_and_of_nobody_else(line, tmp_path):
    job = line.ask("older", sleeps, tmp_path / "n", 60, by="Ada")
    line.ask("older", sleeps, tmp_path / "n", 60, by="Bo")
    number = begun(line, job, tmp_path / "n")
    line.leave("Ada", but="newer")
    line.wait(job, 0.5)
    assert lives(number)
    line.leave("Bo", but="newer")
    assert gone(number)


def test_quick_tasks_go_past_a_hard_one_and_hard_ones_one_at_a_time(line, tmp_path):
    first = line.ask("first", sleeps, tmp_path / "first", 4, by="Ada")
    begun(line, first, tmp_path / "first")
    second = line.ask("second", sleeps, tmp_path / "second", 3, by="Bo")
    began = time.monotonic()
    assert waited(line, "quick", doubled, 4, by="Cy").result == 8
    assert time.monotonic() - began < 2 * line_module.QUICK + 1.5
    assert not first.is_done
    # Tried, the second is hard as well: it gave its place back, and waits.
    while numbers(tmp_path / "second") == [] or lives(numbers(tmp_path / "second")[0]):
        line.ask("first", sleeps, tmp_path / "first", 4, by="Ada")
        line.ask("second", sleeps, tmp_path / "second", 3, by="Bo")
        line.wait(second, 0.05)
    assert waited(line, "first", sleeps, tmp_path / "first", 4).result == "woke"
    line.ask("second", sleeps, tmp_path / "second", 3, by="Bo")
    assert waited(line, "second", sleeps, tmp_path / "second", 3, by="Bo").result == "woke"
    assert len(numbers(tmp_path / "first")) == 1
    assert len(numbers(tmp_path / "second")) == 2


def test_out_of_time_it_tells_what_it_found():
    assert alone(never_ends, budget=Budget(0.5, 200)).result == Bounded("time", 0.5)


def test_what_hears_no_alarm_is_ended_and_what_it_told_stands(monkeypatch):
    monkeypatch.setattr(line_module, "GRACE", 0.5)
    job = alone(deaf, budget=Budget(1.0, 200))
    assert (job.result, job.bounded) == ("something", Bounded("time", 1.0))


def test_out_of_memory_it_tells_what_it_found_with_room_to_spare():
    bounded, pieces, spare = alone(eats, budget=Budget(20, 100)).result
    assert bounded == Bounded("memory", 100)
    assert 10 <= pieces <= 21
    assert spare == 20_000_000


def test_a_child_that_the_system_killed_ran_out_of_memory():
    job = alone(dies, budget=Budget(5, 70))
    assert (job.result, job.bounded) == (None, Bounded("memory", 70))


def test_a_refusal_is_the_sentence_and_a_fault_is_ours(line):
    with pytest.raises(ZygometraError, match="Found 'x'; wanted a number"):
        _ = alone(refuses, budget=BUDGET).result
    with pytest.raises(Broken, match="KeyError"):
        _ = alone(breaks, budget=BUDGET).result
    # What cannot be copied to a process is a fault as well, and the line goes on.
    with pytest.raises(Broken):
        _ = waited(line, "lambda", lambda telling: 1).result
    assert waited(line, "after", doubled, 2).result == 4


def test_too_many_are_told_to_come_again(line, tmp_path, monkeypatch):
    monkeypatch.setattr(line_module, "MOST_WAITING", 3)
    job = line.ask("runs", sleeps, tmp_path / "n", 60, by="Ada")
    begun(line, job, tmp_path / "n")
    for number in range(3):
        line.ask(number, sleeps, tmp_path / "n", 60, by="Ada")
    with pytest.raises(Busy, match="ask again"):
        line.ask("one more", sleeps, tmp_path / "n", 60, by="Bo")
    # Those that nobody waits for make room.
    line.leave("Ada", but="runs")
    assert line.ask("one more", doubled, 1, by="Bo")


def test_a_closed_line_leaves_no_child_behind(tmp_path):
    line = Line(BUDGET)
    job = line.ask("sleep", sleeps, tmp_path / "n", 60, by="Ada")
    number = begun(line, job, tmp_path / "n")
    line.close()
    assert gone(number)
    with pytest.raises(Busy):
        line.ask("another", doubled, 1, by="Ada")
