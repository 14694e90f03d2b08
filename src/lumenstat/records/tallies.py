"""What the items of judged runs come to, added up as runs end, so that a class's page adds up nothing."""

from __future__ import annotations

from sqlalchemy import Float, ForeignKey, Index, Integer, String, delete, select, text
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.assessment.ledger import Ledger
from lumenstat.records.tables import Base, ExerciseVersion, Run

TOLD = ("trainee_id", "exercise_id", "item", "verdict", "reached", "possible", "earned", "run_id")


class RunItem(Base):
    """What one item of a judged run came to, as it counts: kept as runs end, for statistics; a voided run has none.

    Whose it was and of which exercise stand here too, so that no wide row of a run is read for it.
    """

    __tablename__ = "run_items"

    run_id: Mapped[str] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    item: Mapped[str] = mapped_column(String(64), primary_key=True)
    trainee_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    exercise_id: Mapped[str] = mapped_column(String(64))
    verdict: Mapped[str] = mapped_column(String(16))
    earned: Mapped[float] = mapped_column(Float)
    possible: Mapped[float] = mapped_column(Float)
    reached: Mapped[bool] = mapped_column(default=True)

    __table_args__ = (Index("ix_run_items_trainee", *TOLD),)


class ItemTotal(Base):
    """In how many of somebody's runs an item came to a verdict, and cost points: added up as runs end."""

    __tablename__ = "item_totals"

    trainee_id: Mapped[int] = mapped_column(ForeignKey("people.id"), primary_key=True)
    exercise_id: Mapped[str] = mapped_column(String(64), primary_key=True)
    item: Mapped[str] = mapped_column(String(64), primary_key=True)
    verdict: Mapped[str] = mapped_column(String(16), primary_key=True)
    times: Mapped[int] = mapped_column(Integer)
    missed: Mapped[int] = mapped_column(Integer)


class ItemStreak(Base):
    """In how many of somebody's latest assessed runs in a row an item cost nothing, and how many assessed those."""

    __tablename__ = "item_streaks"

    trainee_id: Mapped[int] = mapped_column(ForeignKey("people.id"), primary_key=True)
    exercise_id: Mapped[str] = mapped_column(String(64), primary_key=True)
    item: Mapped[str] = mapped_column(String(64), primary_key=True)
    runs: Mapped[int] = mapped_column(Integer)
    assessors: Mapped[int] = mapped_column(Integer)


TALLY = """
INSERT INTO item_totals (trainee_id, exercise_id, item, verdict, times, missed)
SELECT trainee_id, exercise_id, item, verdict, :sign, :sign * (earned < possible) FROM run_items
WHERE run_id = :run AND reached AND possible > 0
ON CONFLICT DO UPDATE SET times = times + excluded.times, missed = missed + excluded.missed
"""


STREAKS = """
INSERT INTO item_streaks (trainee_id, exercise_id, item, runs, assessors)
SELECT one.trainee_id, one.exercise_id, one.item, count(*), count(DISTINCT runs.instructor_id)
FROM run_items AS one JOIN runs ON runs.id = one.run_id
WHERE one.trainee_id = :trainee AND one.exercise_id = :exercise AND one.reached AND one.possible > 0
  AND runs.mode = 'assessed' AND runs.created > coalesce((
    SELECT max(then_.created) FROM run_items AS other JOIN runs AS then_ ON then_.id = other.run_id
    WHERE other.trainee_id = one.trainee_id AND other.exercise_id = one.exercise_id AND other.item = one.item
      AND then_.mode = 'assessed' AND other.reached AND other.possible > 0 AND other.earned < other.possible), '')
GROUP BY one.item
"""
"""The runs since the last one in which the item cost something."""


def forget_items(session: Session, run_id: str) -> None:
    """Take what a run's items came to out of the statistics."""
    # The statement below is plain SQL and sees only what is in the database.
    session.flush()
    whose = session.execute(select(RunItem.trainee_id, RunItem.exercise_id).where(RunItem.run_id == run_id)).first()
    session.execute(text(TALLY), {"run": run_id, "sign": -1})
    session.execute(delete(RunItem).where(RunItem.run_id == run_id))
    if whose is not None:
        _count_streaks(session, whose[0], whose[1])


def _count_streaks(session: Session, trainee_id: int, exercise_id: str) -> None:
    whose = {"trainee": trainee_id, "exercise": exercise_id}
    gone = delete(ItemStreak).where(ItemStreak.trainee_id == trainee_id, ItemStreak.exercise_id == exercise_id)
    session.execute(gone)
    session.execute(text(STREAKS), whose)


def count_as(session: Session, run: Run, counted: Ledger) -> None:
    """Remember what a run counts as."""
    run.outcome, run.outcome_words, run.percent = counted.outcome, counted.outcome_words, counted.percent
    run.prompted = sum(row.verdict == "prompted" for row in counted.items)
    if counted.time is not None:
        run.used_seconds, run.needed_seconds = counted.time.used, counted.time.needed
    # Judged again after an override: what it counted as before goes first.
    forget_items(session, run.id)
    if run.voided_at is not None:
        return  # taken out while it was being judged
    if run.draft_id is not None or run.drill_id is not None:
        return  # whoever flies a draft tries the exercise, not themselves; a drill is of what was missed already
    exercise = session.scalar(select(ExerciseVersion.exercise_id).where(ExerciseVersion.digest == run.digest)) or ""
    session.add_all(
        RunItem(
            run_id=run.id,
            item=row.item,
            trainee_id=run.trainee_id,
            exercise_id=exercise,
            verdict=row.verdict,
            earned=row.earned,
            possible=row.possible,
            reached=row.reached,
        )
        for row in counted.items
    )
    session.flush()
    session.execute(text(TALLY), {"run": run.id, "sign": 1})
    _count_streaks(session, run.trainee_id, exercise)
