"""Edits that are undone and redone together with the one before them."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "edit", sa.Column("joined", sa.Boolean(), nullable=False, server_default=sa.false())
    )
    op.alter_column("edit", "joined", server_default=None)


def downgrade() -> None:
    op.drop_column("edit", "joined")
