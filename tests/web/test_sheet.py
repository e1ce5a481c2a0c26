"""The cut sheet on paper."""

from __future__ import annotations

import io
import re

from pypdf import PdfReader

from support.cases import demo
from support.page import seen


def test_the_sheet_is_one_page_with_from_and_to(shop, bring):
    build = bring("mountain-rescue")
    response = shop.get(f"/builds/{build}/sheet.pdf?reference=rail")
    assert response.content_type == "application/pdf"
    reader = PdfReader(io.BytesIO(response.data))
    assert len(reader.pages) == 1
    text = re.sub(r"\s+", " ", reader.pages[0].extract_text())
    for words in (
        "Cut sheet: Mountain rescue truck V8",
        "0.432 mm",
        "239.610 mm",
        "239.61 mm (9.4335 in)",
        "239.178 mm",
        "pan rail",
        "Cautions",
        "engine number",
        "Machinist",
        "made out by Ada",
    ):
        assert words in text, words


def test_a_sheet_with_a_stop_is_not_released(shop, bring):
    build = bring("hill-climb")
    text = re.sub(
        r"\s+",
        " ",
        PdfReader(io.BytesIO(shop.get(f"/builds/{build}/sheet.pdf").data)).pages[0].extract_text(),
    )
    assert "not released: 1 stop" in text.lower()
    assert "Not released: 1 stop" in shop.text(f"/builds/{build}/sheet")


def test_no_sheet_is_printed_for_a_crown_nobody_described(shop, bring):
    document = demo("pilot-launch") | {"planned": [{"op": "crown_cut", "amount": "0.3 mm"}]}
    build = bring(document)
    page = seen(shop.get(f"/builds/{build}/sheet"))
    assert "nobody has said what stands above the rim" in page.text
    assert not [e for e in page.all(tag="a") if e.attrs.get("href", "").endswith(".pdf")]
    refused = shop.get(f"/builds/{build}/sheet.pdf")
    assert refused.status_code == 302
    assert refused.location.endswith(f"/builds/{build}/sheet")
    # The cut that is kept is shown all the same, and is on the sheet once the crown is described.
    assert "crown cut" in shop.text(f"/builds/{build}/record")
    assert shop.change(build, "parts.piston.above_rim", value="0").status_code in (204, 302)
    assert shop.get(f"/builds/{build}/sheet.pdf").content_type == "application/pdf"
