"""What codes of records and documents are called on pages: most are words, and stand in the catalogues as such."""

from __future__ import annotations

from lumenstat.language.wording import phrase

WORDS: dict[str, str] = {each: each for each in (
    phrase("practice"), phrase("assessed"), phrase("guided"), phrase("coached"), phrase("examined"),
    phrase("trainee"), phrase("instructor"), phrase("head"), phrase("briefing"), phrase("flight"),
    phrase("debriefing"), phrase("ready"), phrase("running"), phrase("judging"), phrase("stuck"), phrase("ended"),
    phrase("voided"), phrase("open"), phrase("newest"), phrase("oldest"), phrase("title"), phrase("best"),
    phrase("worst"), phrase("name"), phrase("role"), phrase("done"), phrase("late"), phrase("early"),
    phrase("wrong"), phrase("omitted"), phrase("prompted"), phrase("harmless"), phrase("undone"),
    phrase("deviation"), phrase("hazard"), phrase("limit"), phrase("captain"), phrase("either"), phrase("both"),
    phrase("ground"), phrase("run"), phrase("person"), phrase("waived"), phrase("shortest"), phrase("longest"),
    phrase("items"), phrase("group"), phrase("archived"), phrase("course"), phrase("exercise"), phrase("draft"),
    phrase("plan"), phrase("school"), phrase("lesson"), phrase("drill"), phrase("pass"), phrase("unfinished"),
    phrase("held"), phrase("fail"),
)} | {
    "first-officer": phrase("first officer"), "out-of-order": phrase("out of order"),
    "not-applicable": phrase("did not apply"),
}  # fmt: skip


def code_words(code: str) -> str:
    """The words of a code; one that has none is shown as it is."""
    return WORDS.get(code, code)
