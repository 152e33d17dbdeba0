"""Layers that are locked, and whether what they place throws shadows."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    locked = sa.Column("locked", sa.Boolean, nullable=False, server_default=sa.false())
    shadow = sa.Column("shadow", sa.String(8), nullable=False, server_default="casts")
    for column in (locked, shadow):
        op.add_column("layer", column)
        op.alter_column("layer", column.name, server_default=None)


def downgrade() -> None:
    op.drop_column("layer", "shadow")
    op.drop_column("layer", "locked")
