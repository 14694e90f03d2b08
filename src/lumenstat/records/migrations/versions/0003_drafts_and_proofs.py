"""Drafts with every revision; proofs by what they prove; the documents an imported log was flown with."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Go forward."""
    op.add_column("runs", sa.Column("draft_id", sa.String(length=32), nullable=True))
    op.add_column("runs", sa.Column("flown_digest", sa.String(length=64), nullable=True))
    op.create_table(
        "drafts",
        sa.Column("id", sa.String(length=32), nullable=False),
        sa.Column("owner_id", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("edition", sa.Integer(), nullable=False),
        sa.Column("changed", sa.DateTime(), nullable=False),
        sa.Column("published_digest", sa.String(length=64), nullable=True),
        sa.ForeignKeyConstraint(["owner_id"], ["people.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "draft_revisions",
        sa.Column("draft_id", sa.String(length=32), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("content", sa.Text(), nullable=False),
        sa.Column("says", sa.String(length=200), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["draft_id"], ["drafts.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("draft_id", "number"),
    )
    op.create_table(
        "proofs",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("proof", sa.Text(), nullable=False),
        sa.Column("consequences", sa.Text(), nullable=True),
        sa.Column("made", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("digest"),
    )
