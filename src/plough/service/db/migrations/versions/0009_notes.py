"""Notes for the game, on assets and layers."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("asset", "layer"):
        op.add_column(table, sa.Column("notes", pg.JSONB, nullable=False, server_default="{}"))


def downgrade() -> None:
    for table in ("asset", "layer"):
        op.drop_column(table, "notes")
