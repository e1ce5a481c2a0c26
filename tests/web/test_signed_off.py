"""A build that is signed off stands: its figures and plan change only after it is opened again, with a reason."""

from __future__ import annotations

import pytest
from tests.web.test_saving import SAVES, back_a_step, forward_a_step

from support.page import seen
from zygometra.core.stages import OPEN_STAGES, SHELVED, SIGNED_OFF
from zygometra.store import history


@pytest.fixture
def signed(shop, pilot, stocked):
    """A build with a change that can be undone, signed off."""
    shop.change(pilot, "parts.block.bore", "1", value="92.5 mm")
    move(shop, pilot, SIGNED_OFF, seen_at="on paper")
    return pilot


def move(shop, build, stage, *, seen_at, reason="", version="2"):
    form = {"stage": stage, "seen": seen_at, "version": version, "reason": reason}
    return shop.post(f"/builds/{build}/stage", form | {"back": f"/builds/{build}/record"})


@pytest.mark.parametrize("way", [*SAVES, back_a_step])
def test_whatever_would_change_it_is_answered_with_how_to_open_it_again(shop, signed, stored, way):
    response = way(shop, signed, "2")
    assert response.status_code == 409
    page = seen(response)
    assert "Ada moved it there" in page.text
    assert "Who wants to change them opens the build again first" in page.text
    assert stored(signed).version == 2
    form = page.one("form", action=f"/builds/{signed}/stage").sent() | {"reason": "a ring broke"}
    assert shop.post(f"/builds/{signed}/stage", form).status_code == 302
    assert stored(signed).stage == "measuring"
    assert way(shop, signed, "2").status_code in (204, 302)
    assert stored(signed).version == 3


def test_what_was_undone_before_is_not_done_again(shop, pilot, stocked, stored):
    shop.change(pilot, "parts.block.bore", "1", value="92.5 mm")
    back_a_step(shop, pilot, "2")
    move(shop, pilot, SIGNED_OFF, seen_at="on paper", version="3")
    assert forward_a_step(shop, pilot, "3").status_code == 409
    assert stored(pilot).version == 3


@pytest.mark.parametrize("stage", OPEN_STAGES)
@pytest.mark.parametrize("reason", ["", "  ", "x", "no"])
def test_it_is_opened_only_with_a_reason(shop, signed, stored, stage, reason):
    response = move(shop, signed, stage, seen_at=SIGNED_OFF, reason=reason)
    assert response.status_code == 409
    assert "wanted a reason of 3 to 400 characters" in seen(response).text
    assert stored(signed).stage == SIGNED_OFF
    assert move(shop, signed, stage, seen_at=SIGNED_OFF, reason="a ring broke").status_code == 302
    assert stored(signed).stage == stage


def test_the_reason_stands_in_the_record(shop, signed, session):
    move(shop, signed, "cut", seen_at=SIGNED_OFF, reason="a ring\n  broke")
    newest = history.history(session, signed)[0]
    assert (newest.actor, newest.kind, newest.says) == ("Ada", "stage", "signed off → cut: a ring broke")
    assert "signed off → cut: a ring broke" in shop.text(f"/builds/{signed}/record")


def test_by_way_of_the_shelf_it_is_not_opened_either(shop, signed, stored):
    assert move(shop, signed, SHELVED, seen_at=SIGNED_OFF).status_code == 302
    assert shop.change(signed, "parts.block.bore", "2", value="93 mm").status_code == 409
    assert move(shop, signed, "measuring", seen_at=SHELVED).status_code == 409
    assert move(shop, signed, SIGNED_OFF, seen_at=SHELVED).status_code == 302
    assert move(shop, signed, SHELVED, seen_at=SIGNED_OFF).status_code == 302
    assert move(shop, signed, "measuring", seen_at=SHELVED, reason="raced again").status_code == 302
    assert stored(signed).stage == "measuring"


def test_a_build_that_was_only_shelved_is_taken_up_without_a_reason(shop, pilot, stored):
    move(shop, pilot, SHELVED, seen_at="on paper", version="1")
    refused = shop.change(pilot, "parts.block.bore", "1", value="93 mm")
    assert refused.status_code == 409
    assert "Why it is opened again" not in seen(refused).text
    assert move(shop, pilot, "measuring", seen_at=SHELVED, version="1").status_code == 302
    assert stored(pilot).stage == "measuring"


def test_a_figure_saved_as_it_stands_is_no_change(shop, signed, stored):
    assert shop.change(signed, "parts.block.bore", "2", value="92.5 mm").status_code == 302
    assert stored(signed).version == 2


def test_its_pages_say_so_and_what_is_tried_is_not_kept(shop, signed):
    page = shop.text(f"/builds/{signed}/stack")
    assert "This build is signed off: its figures and its plan stand." in page
    assert "to open it again asks for a reason" in shop.text(f"/builds/{signed}/record")
    shop.text(f"/builds/{signed}/stack/what-if?hole=1&deck_cut=0.2+mm", HX_Request="true")


def test_a_script_is_answered_in_place(shop, signed):
    response = shop.change(signed, "parts.block.bore", "2", htmx=True, value="93 mm")
    assert response.status_code == 409
    assert not seen(response).all(tag="html")
    assert "Open it again" in seen(response).text
