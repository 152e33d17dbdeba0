"""Edits that are sent twice are made once."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("edit", sa.Column("key", sa.String(64)))
    op.create_unique_constraint("edit_key", "edit", ["scene_id", "key"])


def downgrade() -> None:
    op.drop_constraint("edit_key", "edit")
    op.drop_column("edit", "key")
