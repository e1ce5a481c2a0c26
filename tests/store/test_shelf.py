"""The parts shelf on real PostgreSQL."""

from __future__ import annotations

import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from support.people import by, someone
from zygometra.core.gates import GATE
from zygometra.core.mix.parts import Part
from zygometra.core.mix.rules_data import rules_as_data, rules_from_data
from zygometra.core.mix.shelf import shelf_of
from zygometra.core.mix.usual import USUAL
from zygometra.demo import load_demo
from zygometra.demo.shelf import demo_shelf
from zygometra.store import acceptances, fit_rules
from zygometra.store import shelf as store
from zygometra.store.acceptances import StoredAgainst

ROD = Part(
    kind="rod",
    code="R1",
    name="a rod",
    figures={"length": {"value": 148, "unit": "mm", "plus_minus": "0,03 mm"}, "pin_bore": "22.0 mm"},
    texts={"material": "steel"},
    supplier="Fenwright",
    price=4250,
    state="idea",
    on_shelf=0,
    lead_days=7,
)


def put(session, part=ROD, version=0, says="put on the shelf"):
    store.save_part(session, part, expected_version=version, entry=by("Ada", says))
    session.commit()


def changed(part, **changes):
    from dataclasses import replace

    return replace(part, **changes)


def test_a_part_comes_back_to_the_letter(session):
    put(session)
    stored = store.load_part(session, "rod", "R1")
    assert stored.part == ROD
    assert stored.version == 1


def test_the_shelf_read_back_is_the_shelf_put_in(session):
    parts = demo_shelf(300, 11)
    store.take_in(session, parts, entry=by("Ada", "for the test"))
    session.commit()
    read, own = store.read_shelf(session), shelf_of(sorted(parts, key=lambda p: (p.kind, p.code)))
    for kind, table in own.tables.items():
        assert read.tables[kind].codes == table.codes
        assert (read.tables[kind].in_hand == table.in_hand).all()
        for name, column in table.values.items():
            assert read.tables[kind].values[name] == pytest.approx(column, nan_ok=True, rel=1e-15)


def test_every_change_is_on_record_and_numbers_the_shelf(session):
    put(session)
    first = store.number(session)
    put(session, changed(ROD, state="received", on_shelf=4), 1, "came in")
    assert store.number(session) > first
    newest, oldest = store.history(session, "rod", "R1")
    assert (newest.says, newest.before["state"], newest.after["state"]) == ("came in", "idea", "received")
    assert oldest.before is None


def test_the_same_part_saved_again_changes_nothing(session):
    put(session)
    number = store.number(session)
    put(session, ROD, 1)
    assert store.number(session) == number
    assert store.load_part(session, "rod", "R1").version == 1


def test_the_later_saver_is_told_and_nothing_is_lost(engine, session):
    put(session)
    put(session, changed(ROD, name="theirs"), 1)
    with Session(engine) as other, pytest.raises(store.PartStale) as stale:
        store.save_part(other, changed(ROD, name="mine"), expected_version=1, entry=by("Bo", "late"))
    assert stale.value.current.part.name == "theirs"
    assert store.load_part(session, "rod", "R1").part.name == "theirs"


def test_changes_of_the_shelf_are_committed_in_the_order_of_their_ids(engine, session):
    # Else whoever lays the shelf out between two commits would miss the older change for good.
    store.save_part(session, ROD, expected_version=0, entry=by("Ada", "put on the shelf"))
    with Session(engine) as other:
        for change in (
            lambda: put(other, changed(ROD, code="R2")),
            lambda: store.take_in(other, [changed(ROD, code="R3")], entry=by("Bo", "a table")),
            lambda: store.remove_part(other, "rod", "R4", expected_version=1, actor=someone("Bo")),
            lambda: store.set_state(other, "rod", "R4", "ordered", entry=by("Bo", "ordered")),
        ):
            other.execute(text("SET LOCAL lock_timeout = '50ms'"))
            with pytest.raises(DBAPIError, match="lock timeout"):
                change()
            other.rollback()
        before = store.number(other)
        session.commit()
        assert store.number(other) > before


def test_a_part_put_on_the_shelf_again_is_at_a_version_nobody_has_seen(session):
    put(session)
    put(session, changed(ROD, price=1), 1, "changed")
    store.remove_part(session, "rod", "R1", expected_version=2, actor=someone("Ada"))
    put(session, changed(ROD, price=2))
    assert store.load_part(session, "rod", "R1").version > 2
    with pytest.raises(store.PartStale):
        put(session, changed(ROD, price=3), 1, "changed from what was there long ago")
    session.rollback()
    store.remove_part(session, "rod", "R1", expected_version=4, actor=someone("Ada"))
    store.take_in(session, [ROD], entry=by("Ada", "a table"))
    assert store.load_part(session, "rod", "R1").version > 4


def test_a_part_as_it_was_before_a_change(session):
    put(session)
    put(session, changed(ROD, state="received", on_shelf=4), 1, "came in")
    store.remove_part(session, "rod", "R1", expected_version=2, actor=someone("Ada"))
    off, came_in, first = store.history(session, "rod", "R1")
    assert store.as_before(session, "rod", "R1", off.id) == (
        changed(ROD, state="received", on_shelf=4),
        "taken off the shelf",
    )
    assert store.as_before(session, "rod", "R1", came_in.id) == (ROD, "came in")
    for kind, code, change in (
        ("rod", "R1", first.id),
        ("rod", "R2", off.id),
        ("crank", "R1", off.id),
        ("rod", "R1", 10**6),
    ):
        with pytest.raises(store.PartNotThere):
            store.as_before(session, kind, code, change)


def test_a_code_is_one_of_a_kind(session):
    put(session)
    with pytest.raises(store.PartStale):
        put(session, changed(ROD, name="another"), 0)


def test_the_database_refuses_to_rewrite_a_record(session):
    put(session)
    with pytest.raises(DBAPIError, match="permission denied"):
        session.execute(text("UPDATE part_change SET actor = 'nobody'"))


def test_taking_in_adds_changes_and_leaves_alone(session):
    put(session)
    parts = [ROD, changed(ROD, code="R2"), changed(ROD, code="R3")]
    assert store.take_in(session, parts, entry=by("Ada", "table")) == (2, 0)
    assert store.take_in(session, [ROD, changed(ROD, code="R2", price=1)], entry=by("Ada", "table")) == (
        0,
        1,
    )
    assert store.load_part(session, "rod", "R2").version == 2


def test_a_part_that_somebody_saved_in_between_stays_on_the_shelf(session):
    put(session)
    put(session, changed(ROD, name="theirs"), 1)
    with pytest.raises(store.PartStale) as stale:
        store.remove_part(session, "rod", "R1", expected_version=1, actor=someone("Bo"))
    assert stale.value.current.part.name == "theirs"
    assert store.load_part(session, "rod", "R1").version == 2


def test_what_was_done_since_the_shelf_was_seen_is_known_part_by_part(session):
    put(session)
    put(session, changed(ROD, code="R2"))
    seen, _ = store.number(session)
    put(session, changed(ROD, name="one"), 1, "first")
    put(session, changed(ROD, name="two"), 2, "second")
    found = store.changed_since(session, [("rod", "R1"), ("rod", "R2"), ("crank", "R1")], seen)
    assert {key: change.says for key, change in found.items()} == {("rod", "R1"): "second"}
    assert store.changed_since(session, [("rod", "R1")], store.number(session)[0]) == {}
    assert store.changed_since(session, [], 0) == {}


def test_a_part_taken_off_leaves_its_record(session):
    put(session)
    store.remove_part(session, "rod", "R1", expected_version=1, actor=someone("Ada"))
    with pytest.raises(store.PartNotThere):
        store.load_part(session, "rod", "R1")
    assert store.history(session, "rod", "R1")[0].after is None


def test_lists_put_what_is_in_hand_first_and_find_by_words(session):
    store.take_in(
        session,
        [
            ROD,
            changed(ROD, code="R2", state="accepted", on_shelf=4),
            changed(ROD, code="R3", name="50% off_rod"),
        ],
        entry=by("Ada", "table"),
    )
    parts, count = store.listed(session, "rod")
    assert ([p.code for p in parts], count) == (["R2", "R1", "R3"], 3)
    assert [p.code for p in store.listed(session, "rod", search="50% off_")[0]] == ["R3"]
    assert [p.code for p in store.listed(session, "rod", state="accepted")[0]] == ["R2"]
    assert store.listed(session, "rod", limit=1, offset=2)[0][0].code == "R3"


def test_rules_of_fit_are_kept_and_go_back(session):
    data = rules_as_data(USUAL)
    data["machinings"][0]["cost"] = 210.0
    own = rules_from_data(data)
    fit_rules.save(session, own, entry=by("Ada", "dearer boring"), seen=fit_rules.newest(session).number)
    assert fit_rules.in_force(session) == own
    fit_rules.save(session, None, entry=by("Ada", "back"), seen=fit_rules.newest(session).number)
    assert fit_rules.in_force(session) == USUAL


def test_an_acceptance_covers_what_was_known_and_no_more(session):
    def against(about, *stands):
        return StoredAgainst(GATE[14], about, stands)

    acceptances.accept(session, against("B1~a", "quench low"), "the owner wants it", actor=someone("Ada"))
    assert acceptances.accepted(session, against("B1~a", "quench low")).actor == "Ada"
    assert acceptances.accepted(session, against("B1~a", "quench low", "ratio high")) is None
    assert acceptances.accepted(session, against("B1~b", "quench low")) is None
    assert acceptances.accepted(session, StoredAgainst(GATE[13], "B1~a", ("quench low",))) is None


def test_the_demo_shop_brings_a_shelf_of_a_few_hundred_parts_once(engine, session):
    assert load_demo(engine)
    counts = store.counts(session)
    assert sum(counts.values()) > 300
    assert set(counts) >= {"block", "crank", "rod", "piston", "gasket", "head", "bearing", "ring_set"}
    assert not load_demo(engine)
    assert store.counts(session) == counts
