"""Where files came from that were taken from an asset library."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "origin",
        sa.Column(
            "scene_id",
            sa.String(24),
            sa.ForeignKey("scene.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("file", sa.String(40), primary_key=True),
        sa.Column("library", sa.String(120), nullable=False),
        sa.Column("item", sa.String(64), nullable=False),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("version", sa.String(40), nullable=False),
        sa.Column("by", sa.String(120), nullable=False),
        sa.Column("licence", sa.String(120), nullable=False),
        sa.Column("at", pg.TIMESTAMP(timezone=True), server_default=sa.func.now(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("origin")
