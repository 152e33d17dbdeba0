"""What each layer is in a game: the share kept at each tier, its colliders."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("layer", sa.Column("game", JSONB, nullable=False, server_default="{}"))
    op.alter_column("layer", "game", server_default=None)


def downgrade() -> None:
    op.drop_column("layer", "game")
