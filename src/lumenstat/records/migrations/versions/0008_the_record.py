"""The record: courses, drills, plans of days, approvals, statements, the audit list, what a school settles."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

TIMES = """
UPDATE runs SET used_seconds = json_extract(ledger, '$.time.used'),
  needed_seconds = json_extract(ledger, '$.time.needed'),
  prompted = (SELECT count(*) FROM json_each(ledger, '$.items') WHERE json_extract(value, '$.verdict') = 'prompted')
WHERE ledger IS NOT NULL
"""
ONES_OWN = (
    "trainee_id", "created", "state", "outcome", "percent", "mode", "voided_at", "archived", "draft_id", "drill_id",
    "instructor_id", "digest", "id",
)  # fmt: skip


STREAKS = """
INSERT INTO item_streaks (trainee_id, exercise_id, item, runs, assessors)
SELECT one.trainee_id, one.exercise_id, one.item, count(*), count(DISTINCT runs.instructor_id)
FROM run_items AS one JOIN runs ON runs.id = one.run_id
WHERE one.reached AND one.possible > 0 AND runs.mode = 'assessed' AND runs.created > coalesce((
  SELECT max(then_.created) FROM run_items AS other JOIN runs AS then_ ON then_.id = other.run_id
  WHERE other.trainee_id = one.trainee_id AND other.exercise_id = one.exercise_id AND other.item = one.item
    AND then_.mode = 'assessed' AND other.reached AND other.possible > 0 AND other.earned < other.possible), '')
GROUP BY one.trainee_id, one.exercise_id, one.item
"""


def upgrade() -> None:
    """Go forward."""
    op.add_column("people", sa.Column("erased_at", sa.DateTime(), nullable=True))
    op.add_column("sign_ins", sa.Column("part", sa.String(length=10), nullable=True))
    op.add_column("people", sa.Column("preferences", sa.Text(), nullable=True))
    op.add_column("exercise_versions", sa.Column("published_by_id", sa.Integer(), nullable=True))
    _runs()
    _courses()
    _days()
    _school()


def _runs() -> None:
    for column in (
        sa.Column("used_seconds", sa.Float(), nullable=True),
        sa.Column("needed_seconds", sa.Float(), nullable=True),
        sa.Column("prompted", sa.Integer(), nullable=True),
        sa.Column("drill_id", sa.String(length=32), nullable=True),
        sa.Column("drill_item", sa.String(length=64), nullable=True),
        sa.Column("erased_seal", sa.String(length=64), nullable=True),
    ):
        op.add_column("runs", column)
    op.execute(TIMES)
    op.create_table(
        "item_streaks",
        sa.Column("trainee_id", sa.Integer(), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("item", sa.String(length=64), nullable=False),
        sa.Column("runs", sa.Integer(), nullable=False),
        sa.Column("assessors", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["trainee_id"], ["people.id"]),
        sa.PrimaryKeyConstraint("trainee_id", "exercise_id", "item"),
    )
    op.execute(STREAKS)
    op.drop_index("ix_runs_trainee", "runs")
    op.create_index("ix_runs_trainee", "runs", [*ONES_OWN])
    op.create_index("ix_runs_drill", "runs", ["drill_id", "station"])
    op.create_index("ix_runs_digest", "runs", ["digest", "like_digest", "drill_id"])
    op.create_table(
        "drills",
        sa.Column("id", sa.String(length=32), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_drills_person", "drills", ["person_id", "at"])
    op.create_table(
        "statements",
        sa.Column("id", sa.String(length=36), nullable=False),
        sa.Column("run_id", sa.String(length=32), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("content", sa.Text(), nullable=False),
        sa.Column("state", sa.String(length=8), nullable=False, server_default="waiting"),
        sa.Column("tries", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("next_try", sa.DateTime(), nullable=False),
        sa.Column("says", sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_statements_run_id", "statements", ["run_id"])
    op.create_index("ix_statements_state", "statements", ["state", "next_try"])


def _courses() -> None:
    op.create_table(
        "courses",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("about", sa.Text(), nullable=False),
        sa.Column("archived", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("edition", sa.Integer(), nullable=False, server_default="0"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "course_steps",
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("passes", sa.Integer(), nullable=False),
        sa.Column("at_least", sa.Float(), nullable=True),
        sa.Column("grade", sa.String(length=60), nullable=True),
        sa.Column("within_days", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("course_id", "number"),
    )
    op.create_table(
        "enrolments",
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("since", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("course_id", "person_id"),
    )
    op.create_index("ix_enrolments_person", "enrolments", ["person_id"])


def _days() -> None:
    op.create_table(
        "day_plans",
        sa.Column("id", sa.String(length=32), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("title", sa.String(length=80), nullable=False),
        sa.Column("group_id", sa.Integer(), nullable=True),
        sa.Column("content", sa.Text(), nullable=False),
        sa.Column("edition", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("changed", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["group_id"], ["groups.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_day_plans_day", "day_plans", ["day"])
    op.create_table(
        "model_facts",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("needed_seconds", sa.Float(), nullable=False),
        sa.Column("validity", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("digest"),
    )


def _school() -> None:
    op.create_table(
        "school_settings",
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("value", sa.String(length=200), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
    op.create_table(
        "approvals",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("by_id", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("says", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["digest"], ["exercise_versions.digest"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["by_id"], ["people.id"]),
        sa.PrimaryKeyConstraint("digest"),
    )
    op.create_table(
        "audit_lines",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("subject", sa.String(length=64), nullable=False),
        sa.Column("says", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_audit_lines_at", "audit_lines", ["at"])
    op.create_index("ix_audit_lines_subject", "audit_lines", ["kind", "subject"])
