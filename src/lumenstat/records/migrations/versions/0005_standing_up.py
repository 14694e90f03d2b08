"""What a server needs to stand up: which runs wait for a verdict, tries at signing in, known browsers, what it keeps in
mind between starts."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Go forward."""
    op.add_column("runs", sa.Column("finished", sa.DateTime(), nullable=True))
    op.add_column("runs", sa.Column("not_judged", sa.Text(), nullable=True))
    op.execute(
        "UPDATE runs SET finished = coalesce(ended, started, created) WHERE id IN "
        "(SELECT run_id FROM run_events WHERE verb = 'finish') OR state = 'ended'"
    )
    op.create_index("ix_runs_state", "runs", ["state", "created"])
    op.add_column("sign_ins", sa.Column("seen", sa.DateTime(), nullable=True))
    op.create_table(
        "sign_in_tries",
        sa.Column("key", sa.String(length=120), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("last", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_table(
        "known_browsers",
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("seen", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("token_hash"),
    )
    op.create_table(
        "marks",
        sa.Column("name", sa.String(length=64), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
