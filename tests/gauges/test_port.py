"""Gauges that send: lines from portions, noise between them, a serial line, and the stand-ins."""

from __future__ import annotations

import os
import statistics

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.gauges.port import LONGEST_LINE, Noise, Sent, lines_of, read_line, readings_from
from zygometra.gauges.serial import SerialPort
from zygometra.gauges.simulated import KIND, KINDS, Simulated, Truth, hidden_value


@pytest.mark.parametrize(
    ("line", "sent"),
    [
        ("+0.310 mm", Sent("+0.310", "mm")),
        ("01A+000.310", Sent("+000.310", "", "01A")),
        ("12.2 thou", Sent("12.2", "thou")),
        ("0,31", Sent("0,31", "")),
        ("-.012 in", Sent("-.012", "in")),
        ('0.012"', Sent("0.012", "in")),
        ("53 ml", Sent("53", "cc")),
        ("−0.02 mm", Sent("-0.02", "mm")),
    ],
)
def test_a_line_is_a_reading(line, sent):
    assert read_line(line) == sent


@pytest.mark.parametrize(
    "line", ["", "E-02", "ERR", "0.31 furlong", "1.2.3", "--1", "0x1F", "1" * 200, "mm 3"]
)
def test_a_line_that_is_none_is_noise(line):
    assert isinstance(read_line(line), Noise)


@given(st.binary(max_size=400), st.lists(st.integers(1, 40), max_size=20))
def test_however_the_bytes_are_cut_the_lines_are_the_same(data, cuts):
    portions, rest = [], data
    for cut in cuts:
        portions.append(rest[:cut])
        rest = rest[cut:]
    portions.append(rest)
    whole = [line for line in lines_of([data]) if len(line) <= LONGEST_LINE]
    parts = [line for line in lines_of(portions) if len(line) <= LONGEST_LINE]
    if len(max(data.replace(b"\r", b"\n").split(b"\n"), key=len)) <= LONGEST_LINE:
        assert parts == whole
    for line in parts:
        assert isinstance(read_line(line), Sent | Noise)


def test_a_serial_line_is_read_to_its_end():
    reading, writing = os.pipe()
    os.write(writing, b"01A+000.310\r\n01A+0")
    os.write(writing, b"00.320\r\nE-02\r\n")
    os.close(writing)
    with os.fdopen(reading, "rb", buffering=0) as file:
        heard = list(readings_from(SerialPort(file, patience=5)))
    assert heard == [Sent("+000.310", "", "01A"), Sent("+000.320", "", "01A"), Noise("E-02")]


def test_a_silent_line_counts_as_switched_off():
    reading, writing = os.pipe()
    with os.fdopen(reading, "rb", buffering=0) as file:
        assert list(SerialPort(file, patience=0.01).portions()) == []
    os.close(writing)


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.key)
def test_a_stand_in_has_its_scatter_its_step_its_bias_and_is_the_same_again(kind):
    truth = Truth(40.0)
    numbers = list(Simulated(kind, truth, "gauge 1", "here", count=400).numbers())
    assert numbers == list(Simulated(kind, truth, "gauge 1", "here", count=400).numbers())
    if kind.shots:
        numbers = [whole * kind.shots + part for whole, part in zip(numbers[::2], numbers[1::2], strict=True)]
    if kind.tips:
        numbers = [(a + b) / 2 for a, b in zip(numbers[::2], numbers[1::2], strict=True)]
    spread = statistics.stdev(numbers)
    expected = (kind.scatter**2 + kind.step**2 / 12) ** 0.5 / (2**0.5 if kind.tips else 1)
    assert 0.6 * expected < spread < 1.6 * expected
    assert abs(statistics.mean(numbers) - 40.0) < 5 * (kind.bias + (kind.scatter if kind.against_zero else 0))
    for line in readings_from(Simulated(kind, truth, "gauge 1", "here", count=5)):
        assert isinstance(line, Sent)


def test_biases_differ_from_gauge_to_gauge_and_stay_with_one():
    kind = KIND["micrometer"]

    def mean(seed, place):
        return statistics.mean(Simulated(kind, Truth(30.0), seed, place, count=300).numbers())

    assert abs(mean("one", "a") - mean("one", "b")) < 0.0005
    biases = {round(mean(f"gauge {i}", "a") - 30.0, 4) for i in range(12)}
    assert len(biases) > 6


def test_a_warm_part_reads_large():
    kind = KIND["bore"]
    cold, warm = (
        statistics.mean(Simulated(kind, Truth(90.0, 11e-6), "g", "a", temperature=t, count=200).numbers())
        for t in (20.0, 40.0)
    )
    assert warm - cold == pytest.approx(90.0 * 11e-6 * 20, abs=0.001)


def test_what_is_hidden_is_hidden_in_the_same_place_each_time():
    args = ("bore", "cylinders.1.bore", 92.0, 0.01)
    assert hidden_value(*args, "a") == hidden_value(*args, "a") != hidden_value(*args, "b")
