"""The debrief on paper: outcome, ledger, what was not on the card, limits, time, and who signed it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lumenstat.assessment.appraisal import Appraisal
from lumenstat.assessment.ledger import EFFECT_WORDS, STANDING_WORDS, Ledger
from lumenstat.assessment.overriding import Overridden, computed_of, said_by, subject_of, with_overrides
from lumenstat.documents.bundles import Bundle
from lumenstat.exchange.printed_sheet import BRICK, QUIET, Sheet
from lumenstat.language.values import clock
from lumenstat.language.wording import SOURCE_LANGUAGE, Names, joined, phrase


@dataclass(frozen=True)
class About:
    """Whose run it was, when, and who stands for the record."""

    trainee: str
    flown: str
    school: str
    signed: str | None = None
    appraisal: Appraisal | None = None
    acts: tuple[tuple[float, str], ...] = ()
    """What the instructor did in the run: seconds, and what it was."""
    language: str = SOURCE_LANGUAGE
    names: Names | None = None
    """What parts of the airframe are called in it."""
    hashes: tuple[tuple[str, str], ...] = ()
    """What a signed record can be held against: a name and a hash each."""


def debrief_pdf(bundle: Bundle, computed: Ledger, overrides: Sequence[Overridden], about: About) -> bytes:
    """The whole debrief as a PDF: as it counts, with what was computed beside what an instructor changed."""
    ledger = with_overrides(bundle, computed, list(overrides))
    sheet = Sheet(f"{bundle.exercise.title}: {about.trainee}", about.school, about.language, about.names)
    sheet.title_line(about.trainee)
    sheet.say(
        phrase(
            "{title}, {airframe}. Flown {flown}.",
            title=bundle.exercise.title,
            airframe=bundle.airframe.name,
            flown=about.flown,
        ),
        colour=QUIET,
    )
    sheet.ln(2)
    passed = ledger.outcome == "pass"
    outcome = joined(", ", (ledger.outcome_words, *([ledger.band] if ledger.band and passed else ())))
    colour = {} if passed else {"colour": BRICK}
    sheet.say(
        phrase("{outcome}: {percent} %", outcome=outcome, percent=ledger.percent),
        bold=True,
        size=13,
        **colour,
    )
    points = ledger.points
    sheet.say(
        phrase(
            "{earned:g} of {possible:g} points, pass mark {pass_mark:g} %.",
            earned=points.earned,
            possible=points.possible,
            pass_mark=bundle.exercise.pass_mark,
        )
    )
    if ledger.ending is not None:
        sheet.say(ledger.ending)
    for gate in ledger.gates:
        sheet.say(gate.says, colour=BRICK)
    _ledger_table(sheet, bundle, ledger)
    if overrides:
        sheet.heading(phrase("Overridden; computed was {percent} %", percent=computed.percent))
        for each in overrides:
            subject, was = subject_of(bundle, computed, each), computed_of(computed, each)
            given = phrase(
                "{by}, {at}, gave {given}: {reason}", by=each.by, at=each.at, given=said_by(each), reason=each.reason
            )
            sheet.say(phrase("{subject}: computed {was}; {given}", subject=subject, was=was, given=given))
    if ledger.aims:
        sheet.heading(phrase("At the end"))
        for aim in ledger.aims:
            sheet.say(
                phrase("So: {aim}", aim=aim.says) if aim.met else phrase("Not so: {aim}", aim=aim.says),
                colour=QUIET if aim.met else BRICK,
            )
    sheet.heading(phrase("Limits exceeded"))
    for limit in ledger.limits:
        cost = " " + phrase("It costs {cost:g}.", cost=limit.cost) if limit.cost else ""
        words, start, end = STANDING_WORDS[limit.severity], clock(limit.start), clock(limit.end)
        span = phrase(
            "{standing:high}, {start} to {end}: {limit}", standing=words, start=start, end=end, limit=limit.says
        )
        sheet.say(span + cost)
    if not ledger.limits:
        sheet.say(phrase("None."), colour=QUIET)
    sheet.heading(phrase("Not on the card"))
    for extra in ledger.extras:
        effect, at = EFFECT_WORDS[extra.effect], clock(extra.t)
        sheet.say(phrase("{effect:high}, {at}: {says}", effect=effect, at=at, says=extra.says))
    if not ledger.extras:
        sheet.say(phrase("Nothing was moved that the card did not ask for."), colour=QUIET)
    if ledger.time is not None:
        sheet.heading(
            phrase("Time: {needed} needed, {used} used", needed=clock(ledger.time.needed), used=clock(ledger.time.used))
        )
        # The eight that cost most; the rest are fractions of a second.
        for lost in sorted(ledger.time.lost, key=lambda each: -each.seconds)[:8]:
            sheet.say(phrase("{seconds:+.1f} s: {says}", seconds=lost.seconds, says=lost.says))
    if about.acts:
        sheet.heading(phrase("The instructor in the run, at no cost to the trainee"))
        for seconds, says in about.acts:
            sheet.say(phrase("{at}: {says}", at=clock(seconds), says=says))
    _appraisal(sheet, bundle, about.appraisal)
    sheet.heading(phrase("Record"))
    sheet.say(about.signed or phrase("Not signed yet."))
    for name, value in about.hashes:
        sheet.say(phrase("{name}: {value}", name=name, value=value), size=7)
    if about.hashes:
        sheet.say(phrase("`lumenstat verify RECORD` holds the stored record against them."), colour=QUIET, size=8)
    sheet.say(
        phrase("Judged by {engine}. Documents {digest}.", engine=ledger.engine, digest=ledger.digest[:12]),
        colour=QUIET,
        size=8,
    )
    return sheet.finished()


def _appraisal(sheet: Sheet, bundle: Bundle, said: Appraisal | None) -> None:
    """What the instructor says of the run as a whole."""
    if said is None:
        return
    sheet.heading(phrase("The instructor's word"))
    parts = [part for part in (said.grade, said.advice_words) if part]
    if parts:
        sheet.say(joined(". ", parts) + ".", bold=True)
    if said.drill:
        steps = bundle.procedure.by_id
        items = [steps[name].item for name in said.drill]
        sheet.say("; ".join(f"{item.challenge}, {item.response}" for item in items))
    if said.remark:
        sheet.say(said.remark)
    sheet.say(f"{said.by}, {said.at}.", colour=QUIET)


def _ledger_table(sheet: Sheet, bundle: Bundle, ledger: Ledger) -> None:
    steps = bundle.procedure.by_id
    rows = []
    for row in ledger.items:
        if not row.reached:
            continue
        step = steps[row.item]
        line = [
            str(step.number + 1),
            step.item.challenge,
            step.item.response,
            row.says,
            clock(row.at) if row.at is not None else "",
            row.words,
        ]
        rows.append([*line, f"{row.earned:g} / {row.possible:g}"])
    sheet.heading(phrase("Ledger"))
    heads = (
        phrase("No."),
        phrase("Item"),
        phrase("Expected"),
        phrase("What was done"),
        phrase("At"),
        phrase("Verdict"),
        phrase("Points"),
    )
    sheet.rows(heads, rows, (9, 34, 28, 62, 13, 22, 17), right=(0, 4, 6))
