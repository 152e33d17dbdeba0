"""When blobs were last written, so that tidying leaves young ones alone."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    now = sa.text("now()")
    at = sa.Column("at", pg.TIMESTAMP(timezone=True), nullable=False, server_default=now)
    op.add_column("blob", at)
    op.create_index("release_file_pieces", "release_file", ["pieces"], postgresql_using="gin")


def downgrade() -> None:
    op.drop_index("release_file_pieces")
    op.drop_column("blob", "at")
