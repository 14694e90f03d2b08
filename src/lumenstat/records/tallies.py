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


TALLY = """
INSERT INTO item_totals (trainee_id, exercise_id, item, verdict, times, missed)
SELECT trainee_id, exercise_id, item, verdict, :sign, :sign * (earned < possible) FROM run_items
WHERE run_id = :run AND reached AND possible > 0
ON CONFLICT DO UPDATE SET times = times + excluded.times, missed = missed + excluded.missed
"""


def forget_items(session: Session, run_id: str) -> None:
    """Take what a run's items came to out of the statistics."""
    session.flush()
    session.execute(text(TALLY), {"run": run_id, "sign": -1})
    session.execute(delete(RunItem).where(RunItem.run_id == run_id))


def count_as(session: Session, run: Run, counted: Ledger) -> None:
    """Remember what a run counts as."""
    run.outcome, run.outcome_words, run.percent = counted.outcome, counted.outcome_words, counted.percent
    forget_items(session, run.id)
    if run.draft_id is not None:
        return  # whoever flies a draft tries the exercise, not themselves
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
