"""Debrief and card on paper, read back by an independent reader.

Source: pypdf 6, text extraction.
"""

from __future__ import annotations

import io

from pypdf import PdfReader

from lumenstat.assessment.overriding import Overridden
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.exchange.card_pdf import card_pdf
from lumenstat.exchange.debrief_pdf import About, debrief_pdf
from tests.flights import about, log_of, perfect_frost, without
from tests.procedures import shipped


def words(content: bytes) -> str:
    return " ".join(" ".join(page.extract_text() for page in PdfReader(io.BytesIO(content)).pages).split())


def test_the_debrief_says_what_the_page_says(frost: Bundle) -> None:
    ledger = score(frost, log_of(frost, without(perfect_frost(), about("see", control="wipers")))).ledger
    override = Overridden(
        item="log", verdict="wrong", points=0, reason="It was not on board. 上", by="Odile Marrash", at="today"
    )
    whose = About("Ines Okafor-Lund", "25 November", "Hollin Bay Flight Academy", "Signed by Odile Marrash, today.")
    text = words(debrief_pdf(frost, ledger, [override], whose))
    for part in (
        "Ines Okafor-Lund", "Hollin Bay Flight Academy", "Frost on the ramp", "Never seen at OFF", "Wipers", "Omitted",
        f"computed was {ledger.percent} %", "It was not on board. ?", "Signed by Odile Marrash", "Training aid only",
        "48 of 51 points",
    ):  # fmt: skip
        assert part in text, part


def test_the_card_has_every_challenge_and_response_the_line_and_the_cautions() -> None:
    bundle = shipped("full-start-by-flows")
    text = words(card_pdf(bundle, "Hollin Bay Flight Academy"))
    for checklist in bundle.checklists:
        for section in checklist.sections:
            assert section.title in text
            for item in section.items:
                assert item.challenge[:18] in text, item.challenge
                assert item.response[:12] in text, item.response
                if item.caution:
                    assert item.caution[:20] in text
    lines = sum(section.line_after is not None for c in bundle.checklists for section in c.sections)
    assert text.count("Down to the line") == lines
    assert "Hollin Bay Flight Academy" in text and bundle.airframe.cautions[0][:30] in text
