"""First tables: people, sign-ins, exercise versions, runs and their events."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Go forward."""
    op.create_table(
        "exercise_versions",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("exercise_id", sa.String(length=64), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("content", sa.Text(), nullable=False),
        sa.Column("added", sa.DateTime(), nullable=False),
        sa.Column("current", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("digest"),
    )
    with op.batch_alter_table("exercise_versions", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_exercise_versions_exercise_id"), ["exercise_id"], unique=False)

    op.create_table(
        "people",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("sign_in_name", sa.String(length=40), nullable=False),
        sa.Column("role", sa.String(length=12), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.CheckConstraint("role in ('instructor', 'trainee')", name="ck_people_role"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("sign_in_name"),
    )
    op.create_table(
        "runs",
        sa.Column("id", sa.String(length=32), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("trainee_id", sa.Integer(), nullable=False),
        sa.Column("instructor_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.Column("started", sa.DateTime(), nullable=True),
        sa.Column("ended", sa.DateTime(), nullable=True),
        sa.Column("engine", sa.String(length=60), nullable=False),
        sa.Column("tick", sa.Integer(), nullable=False),
        sa.Column("ledger", sa.Text(), nullable=True),
        sa.Column("trace", sa.Text(), nullable=True),
        sa.CheckConstraint("state in ('ready', 'running', 'ended')", name="ck_runs_state"),
        sa.ForeignKeyConstraint(
            ["digest"],
            ["exercise_versions.digest"],
        ),
        sa.ForeignKeyConstraint(
            ["instructor_id"],
            ["people.id"],
        ),
        sa.ForeignKeyConstraint(
            ["trainee_id"],
            ["people.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("runs", schema=None) as batch_op:
        batch_op.create_index("ix_runs_trainee", ["trainee_id", "created"], unique=False)

    op.create_table(
        "sign_ins",
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("csrf_token", sa.String(length=64), nullable=False),
        sa.Column("expires", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "run_events",
        sa.Column("run_id", sa.String(length=32), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("tick", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(length=16), nullable=False),
        sa.Column("verb", sa.String(length=16), nullable=False),
        sa.Column("args", sa.Text(), nullable=False),
        sa.Column("client_id", sa.String(length=64), nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "number"),
        sa.UniqueConstraint("run_id", "client_id", name="uq_run_events_client"),
    )


def downgrade() -> None:
    """Go back."""
    op.drop_table("run_events")
    op.drop_table("sign_ins")
    with op.batch_alter_table("runs", schema=None) as batch_op:
        batch_op.drop_index("ix_runs_trainee")

    op.drop_table("runs")
    op.drop_table("people")
    with op.batch_alter_table("exercise_versions", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_exercise_versions_exercise_id"))

    op.drop_table("exercise_versions")
