"""A school with classes: heads of training, groups, lessons, practice, what was voided, headings that a school uses.

The longest-standing instructor of an older school becomes its head of training: somebody has to be able to add people.
"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


WORDS = """
UPDATE runs SET outcome_words = CASE
  WHEN outcome = 'pass' THEN 'Passed'
  WHEN outcome = 'unfinished' THEN 'Not finished'
  WHEN EXISTS (SELECT 1 FROM json_each(ledger, '$.gates') WHERE json_extract(value, '$.kind') = 'limit')
    THEN 'Not passed: hazard'
  WHEN EXISTS (SELECT 1 FROM json_each(ledger, '$.gates') WHERE json_extract(value, '$.kind') = 'item')
    THEN 'Not passed: critical item missed'
  WHEN EXISTS (SELECT 1 FROM json_each(ledger, '$.gates') WHERE json_extract(value, '$.kind') = 'aim')
    THEN 'Not passed: aim missed'
  WHEN json_extract(ledger, '$.pass_mark') IS NULL THEN 'Not passed'
  ELSE 'Not passed: below ' || printf('%g', json_extract(ledger, '$.pass_mark')) || ' %' END
WHERE ledger IS NOT NULL AND id NOT IN (SELECT run_id FROM overrides)
"""
"""As pages say outcomes; those with overrides are put into words when they are listed."""


ITEMS = """
INSERT OR IGNORE INTO run_items (run_id, item, trainee_id, exercise_id, verdict, earned, possible, reached)
SELECT runs.id, json_extract(value, '$.item'), runs.trainee_id, exercise_versions.exercise_id,
  json_extract(value, '$.verdict'), json_extract(value, '$.earned'), json_extract(value, '$.possible'),
  coalesce(json_extract(value, '$.reached'), 1)
FROM runs JOIN exercise_versions ON exercise_versions.digest = runs.digest, json_each(runs.ledger, '$.items')
WHERE runs.ledger IS NOT NULL AND runs.draft_id IS NULL AND json_extract(value, '$.item') IS NOT NULL
"""
"""Items as they were computed; overrides of earlier releases stand in their debriefs."""


TOTALS = """
INSERT INTO item_totals (trainee_id, exercise_id, item, verdict, times, missed)
SELECT trainee_id, exercise_id, item, verdict, count(*), sum(earned < possible) FROM run_items
WHERE reached AND possible > 0 GROUP BY trainee_id, exercise_id, item, verdict
"""


def upgrade() -> None:
    """Go forward."""
    _people()
    _groups()
    _lessons()
    _runs()
    _lists()


def _people() -> None:
    with op.batch_alter_table("people", recreate="always") as people:
        people.add_column(sa.Column("active", sa.Boolean(), nullable=False, server_default=sa.true()))
        people.add_column(sa.Column("must_change", sa.Boolean(), nullable=False, server_default=sa.false()))
        people.add_column(sa.Column("time_zone", sa.String(length=40), nullable=False, server_default="UTC"))
        people.add_column(sa.Column("edition", sa.Integer(), nullable=False, server_default="0"))
        people.create_check_constraint("ck_people_role", "role in ('trainee', 'instructor', 'head')")
    op.execute("UPDATE people SET role = 'head' WHERE id = (SELECT min(id) FROM people WHERE role = 'instructor')")
    op.create_table(
        "invitations",
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("expires", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("token_hash"),
    )


def _groups() -> None:
    op.create_table(
        "groups",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("instructor_id", sa.Integer(), nullable=False),
        sa.Column("archived", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("edition", sa.Integer(), nullable=False, server_default="0"),
        sa.ForeignKeyConstraint(["instructor_id"], ["people.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "memberships",
        sa.Column("group_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["group_id"], ["groups.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("group_id", "person_id"),
    )
    op.create_index("ix_memberships_person", "memberships", ["person_id"])
    op.create_table(
        "opened",
        sa.Column("group_id", sa.Integer(), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["group_id"], ["groups.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("group_id", "exercise_id"),
    )


def _lessons() -> None:
    op.create_table(
        "lessons",
        sa.Column("id", sa.String(length=32), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("group_id", sa.Integer(), nullable=True),
        sa.Column("instructor_id", sa.Integer(), nullable=False),
        sa.Column("together", sa.Boolean(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["group_id"], ["groups.id"]),
        sa.ForeignKeyConstraint(["instructor_id"], ["people.id"]),
        sa.PrimaryKeyConstraint("id"),
    )


def _runs() -> None:
    for column in (
        sa.Column("mode", sa.String(length=10), nullable=False, server_default="assessed"),
        sa.Column("lesson_id", sa.String(length=32), nullable=True),
        sa.Column("station", sa.Integer(), nullable=True),
        sa.Column("variant", sa.String(length=200), nullable=True),
        sa.Column("like_digest", sa.String(length=64), nullable=True),
        sa.Column("join_code", sa.String(length=6), nullable=True),
        sa.Column("outcome", sa.String(length=12), nullable=True),
        sa.Column("outcome_words", sa.String(length=60), nullable=True),
        sa.Column("percent", sa.Float(), nullable=True),
        sa.Column("voided_at", sa.DateTime(), nullable=True),
        sa.Column("voided_by", sa.String(length=80), nullable=True),
        sa.Column("void_reason", sa.Text(), nullable=True),
        sa.Column("archived", sa.Boolean(), nullable=False, server_default=sa.false()),
    ):
        op.add_column("runs", column)
    op.execute(
        "UPDATE runs SET outcome = json_extract(ledger, '$.outcome'), percent = json_extract(ledger, '$.percent') "
        "WHERE ledger IS NOT NULL"
    )
    op.execute(WORDS)
    op.create_table(
        "run_items",
        sa.Column("run_id", sa.String(length=32), nullable=False),
        sa.Column("item", sa.String(length=64), nullable=False),
        sa.Column("trainee_id", sa.Integer(), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("verdict", sa.String(length=16), nullable=False),
        sa.Column("earned", sa.Float(), nullable=False),
        sa.Column("possible", sa.Float(), nullable=False),
        sa.Column("reached", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["trainee_id"], ["people.id"]),
        sa.PrimaryKeyConstraint("run_id", "item"),
    )
    told = ("trainee_id", "exercise_id", "item", "verdict", "reached", "possible", "earned", "run_id")
    op.create_index("ix_run_items_trainee", "run_items", [*told])
    op.create_table(
        "item_totals",
        sa.Column("trainee_id", sa.Integer(), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("item", sa.String(length=64), nullable=False),
        sa.Column("verdict", sa.String(length=16), nullable=False),
        sa.Column("times", sa.Integer(), nullable=False),
        sa.Column("missed", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["trainee_id"], ["people.id"]),
        sa.PrimaryKeyConstraint("trainee_id", "exercise_id", "item", "verdict"),
    )
    op.drop_index("ix_runs_trainee", "runs")
    ones_own = ("trainee_id", "created", "state", "outcome", "percent", "mode", "voided_at", "archived", "draft_id")
    op.create_index("ix_runs_trainee", "runs", [*ones_own, "instructor_id", "digest", "id"])
    op.execute(ITEMS)
    op.execute(TOTALS)
    # Whoever flew on from a run, or flew a draft, did so by themselves: none of that was assessed.
    op.execute("UPDATE runs SET mode = 'practice' WHERE origin_id IS NOT NULL OR draft_id IS NOT NULL")
    op.create_index("ix_runs_lesson", "runs", ["lesson_id", "station"])
    listed = ("created", "trainee_id", "instructor_id", "digest", "state", "mode", "outcome", "percent", "archived")
    op.create_index("ix_runs_list", "runs", [*listed, "voided_at", "signed_by", "id"])
    op.create_index("ix_runs_join_code", "runs", ["join_code"], unique=True)
    op.add_column("sign_ins", sa.Column("run_id", sa.String(length=32), nullable=True))


def _lists() -> None:
    op.add_column("drafts", sa.Column("archived", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("exercise_versions", sa.Column("withdrawn", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "headings",
        sa.Column("heading", sa.String(length=80), nullable=False),
        sa.Column("field", sa.String(length=20), nullable=False),
        sa.PrimaryKeyConstraint("heading"),
    )
    op.create_table(
        "abbreviations",
        sa.Column("short", sa.String(length=40), nullable=False),
        sa.Column("long", sa.String(length=80), nullable=False),
        sa.PrimaryKeyConstraint("short"),
    )
