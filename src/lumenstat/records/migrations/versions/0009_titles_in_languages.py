"""Titles of exercises with their words of each language, for lists."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Go forward. Documents of before had no words of their own, so the plain title is all there is."""
    op.add_column("exercise_versions", sa.Column("named", sa.Text(), nullable=False, server_default=""))
    op.execute("UPDATE exercise_versions SET named = title")
