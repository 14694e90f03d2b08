"""The debrief on paper: outcome, ledger, what was not on the card, limits, time, and who signed it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lumenstat.assessment.appraisal import Appraisal
from lumenstat.assessment.ledger import VERDICT_WORDS, Ledger
from lumenstat.assessment.overriding import Overridden, computed_of, said_by, subject_of, with_overrides
from lumenstat.documents.bundles import Bundle
from lumenstat.exchange.printed_sheet import BRICK, QUIET, Sheet
from lumenstat.language.values import clock


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
    hashes: tuple[tuple[str, str], ...] = ()
    """What a signed record can be held against: a name and a hash each."""


def debrief_pdf(bundle: Bundle, computed: Ledger, overrides: Sequence[Overridden], about: About) -> bytes:
    """The whole debrief as a PDF: as it counts, with what was computed beside what an instructor changed."""
    ledger = with_overrides(bundle, computed, list(overrides))
    sheet = Sheet(f"{bundle.exercise.title}: {about.trainee}", about.school)
    sheet.title_line(about.trainee)
    sheet.say(f"{bundle.exercise.title}, {bundle.airframe.name}. Flown {about.flown}.", colour=QUIET)
    sheet.ln(2)
    band = f", {ledger.band.lower()}" if ledger.band and ledger.outcome == "pass" else ""
    colour = {"colour": BRICK} if ledger.outcome != "pass" else {}
    sheet.say(f"{ledger.outcome_words}{band}: {ledger.percent} %", bold=True, size=13, **colour)
    points = ledger.points
    sheet.say(f"{points.earned:g} of {points.possible:g} points, pass mark {bundle.exercise.pass_mark:g} %.")
    if ledger.ending is not None:
        sheet.say(ledger.ending)
    for gate in ledger.gates:
        sheet.say(gate.says, colour=BRICK)
    _ledger_table(sheet, bundle, ledger)
    if overrides:
        sheet.heading(f"Overridden; computed was {computed.percent} %")
        for each in overrides:
            was = f"{subject_of(bundle, computed, each)}: computed {computed_of(computed, each)}"
            sheet.say(f"{was}; {each.by}, {each.at}, gave {said_by(each)}: {each.reason}")
    if ledger.aims:
        sheet.heading("At the end")
        for aim in ledger.aims:
            sheet.say(f"{'So' if aim.met else 'Not so'}: {aim.says}", colour=QUIET if aim.met else BRICK)
    sheet.heading("Limits exceeded")
    for limit in ledger.limits:
        cost = f" It costs {limit.cost:g}." if limit.cost else ""
        sheet.say(f"{limit.severity.capitalize()}, {clock(limit.start)} to {clock(limit.end)}: {limit.says}{cost}")
    if not ledger.limits:
        sheet.say("None.", colour=QUIET)
    sheet.heading("Not on the card")
    for extra in ledger.extras:
        sheet.say(f"{extra.effect.capitalize()}, {clock(extra.t)}: {extra.says}")
    if not ledger.extras:
        sheet.say("Nothing was moved that the card did not ask for.", colour=QUIET)
    if ledger.time is not None:
        sheet.heading(f"Time: {clock(ledger.time.needed)} needed, {clock(ledger.time.used)} used")
        for lost in sorted(ledger.time.lost, key=lambda each: -each.seconds)[:8]:
            sheet.say(f"{lost.seconds:+.1f} s: {lost.says}")
    if about.acts:
        sheet.heading("The instructor in the run, at no cost to the trainee")
        for seconds, says in about.acts:
            sheet.say(f"{clock(seconds)}: {says}")
    _appraisal(sheet, bundle, about.appraisal)
    sheet.heading("Record")
    sheet.say(about.signed or "Not signed yet.")
    for name, value in about.hashes:
        sheet.say(f"{name}: {value}", size=7)
    if about.hashes:
        sheet.say("`lumenstat verify RECORD` holds the stored record against them.", colour=QUIET, size=8)
    sheet.say(f"Judged by {ledger.engine}. Documents {ledger.digest[:12]}.", colour=QUIET, size=8)
    return sheet.finished()


def _appraisal(sheet: Sheet, bundle: Bundle, said: Appraisal | None) -> None:
    """What the instructor says of the run as a whole."""
    if said is None:
        return
    sheet.heading("The instructor's word")
    parts = [part for part in (said.grade, said.advice_words) if part]
    if parts:
        sheet.say(". ".join(parts) + ".", bold=True)
    if said.drill:
        names = bundle.procedure.by_id
        sheet.say("; ".join(f"{names[name].item.challenge}, {names[name].item.response}" for name in said.drill))
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
        words = VERDICT_WORDS[row.verdict] + (", corrected" if row.corrected else "")
        line = [
            str(step.number + 1),
            step.item.challenge,
            step.item.response,
            row.says,
            clock(row.at) if row.at is not None else "",
            words,
        ]
        rows.append([*line, f"{row.earned:g} / {row.possible:g}"])
    sheet.heading("Ledger")
    heads = ("No.", "Item", "Expected", "What was done", "At", "Verdict", "Points")
    sheet.rows(heads, rows, (9, 34, 28, 62, 13, 22, 17), right=(0, 4, 6))
