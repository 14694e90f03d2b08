"""Runs that name their origin; overrides of an instructor; the signature that freezes a record."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Go forward."""
    for column in (
        sa.Column("origin_id", sa.String(length=32), nullable=True),
        sa.Column("origin_tick", sa.Integer(), nullable=True),
        sa.Column("signed_by", sa.String(length=80), nullable=True),
        sa.Column("signed_at", sa.DateTime(), nullable=True),
        sa.Column("chain", sa.Text(), nullable=True),
        sa.Column("seal", sa.String(length=64), nullable=True),
    ):
        op.add_column("runs", column)
    op.create_table(
        "overrides",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.String(length=32), nullable=False),
        sa.Column("item", sa.String(length=64), nullable=False),
        sa.Column("verdict", sa.String(length=16), nullable=False),
        sa.Column("points", sa.Float(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_overrides_run_id", "overrides", ["run_id"])
