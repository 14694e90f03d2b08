"""What a row of a ledger tells its readers."""

from __future__ import annotations

import pytest

from lumenstat.assessment.ledger import ItemRow
from lumenstat.language.wording import catalogue_of, told


@pytest.mark.parametrize(
    ("corrected", "english", "german"), [(False, "Done", "Erledigt"), (True, "Done, corrected", "Erledigt, berichtigt")]
)
def test_a_verdict_is_told_whole_in_the_readers_language(corrected: bool, english: str, german: str) -> None:
    row = ItemRow(item="lights", verdict="done", at=12.0, earned=1, possible=1, corrected=corrected, says="")
    assert (str(row.words), told(row.words, catalogue_of("de"))) == (english, german)
