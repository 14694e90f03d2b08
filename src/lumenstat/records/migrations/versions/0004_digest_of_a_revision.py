"""Which exercise a draft amounts to after a change, so that a list of drafts can tell which are proven."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Go forward."""
    op.add_column("draft_revisions", sa.Column("digest", sa.String(length=64), nullable=True))
