"""A slice of the studies: what is promised of bands, causes and advice, on fewer engines."""

from __future__ import annotations

import pytest

from trials import bands, causes, forecast, last_moment, memory, next, plans
from trials.study import Share


@pytest.mark.parametrize("case", [(2, 1.0, False, False), (3, 1.3, False, True)], ids=str)
def test_bands_hold_what_they_promise(case):
    table = bands.study(500, seed=11, cases=[case])
    assert table.fails == []
    assert len(table.rows) == 6


def test_planted_faults_are_found_and_faultless_engines_left_alone():
    table = causes.study(16, seed=12, sizes=(6.0,))
    assert table.fails == []
    by_size = [what for what, sizes in causes.BY_SIZE.items() for _ in sizes]
    assert [row[0] for row in table.rows] == ["no fault", *causes.KINDS, *by_size]


def test_advice_takes_fewer_readings_and_minutes():
    assert next.study(8, seed=13).fails == []


def test_rebuilds_end_inside_as_often_as_their_plans_say():
    """Of some hundred plans in one cut, and as many policies: within ten points, more than twice what chance strays."""
    told = [one for seed in range(65) for one in plans.one_rebuild((7_000_000 + seed, 3, 1.0, True))]
    for way in ("one cut", "policy"):
        own = [one for one in told if one[0].endswith(way)]
        stated, inside = (sum(one[i] for one in own) / len(own) for i in (1, 2))
        assert len(own) > 40
        assert abs(stated - inside) < 0.1
        assert sum(one[4] for one in own) <= 1 + 3 * sum(one[3] for one in own)


def test_faces_are_clean_within_the_bands_that_were_told():
    """Of 22 skims half through: 20 are told right; fewer than 16 come by chance four times in a thousand."""
    told = [
        forecast.one_skim((8_000_000 + i, kind, 0.5, False))
        for kind in ("all of it", "worn")
        for i in range(11)
    ]
    held = [one[0] for one in told if one is not None]
    assert len(held) > 18
    assert sum(held) > 0.7 * len(held)


def test_the_last_moment_is_told_every_time():
    told = [last_moment.one_log((8_100_000 + i, kind)) for kind in last_moment.KINDS[:3] for i in range(8)]
    lost, before, warned, false, _ = (sum(one[i] for one in told) for i in range(5))
    assert lost > 8
    assert before == lost
    assert false <= 0.05 * warned


def test_bands_of_a_machine_hold_from_the_third_job_on():
    """Of 300: fewer than 268 or 299 and more come by chance less than once in a thousand."""
    told = [
        one for i in range(60) for one in memory.one_machine((8_200_000 + i, "as the house expects"))[3:8]
    ]
    assert 267 < sum(told) < 299


def test_a_share_is_judged_by_its_size():
    assert Share(930, 1000, 0.95).within(1)
    assert not Share(900, 1000, 0.95).within(1)
    assert not Share(990, 1000, 0.95).within(1)
    assert Share(990, 1000, 0.95).within(1, more=True)
    # Small classes are printed only.
    assert Share(1, 499, 0.95).within(1)
