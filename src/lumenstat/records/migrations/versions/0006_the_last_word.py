"""The instructor's last word on everything in a ledger, and on the run as a whole."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Go forward."""
    op.add_column("overrides", sa.Column("kind", sa.String(length=16), nullable=False, server_default="item"))
    op.create_table(
        "appraisals",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.String(length=32), nullable=False),
        sa.Column("remark", sa.Text(), nullable=False),
        sa.Column("grade", sa.String(length=60), nullable=True),
        sa.Column("advice", sa.String(length=16), nullable=True),
        sa.Column("drill", sa.Text(), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_appraisals_run_id", "appraisals", ["run_id"])
