"""Tags and images of assets, and the versions of them that are kept."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("asset", sa.Column("tags", pg.JSONB, nullable=False, server_default="[]"))
    op.add_column("asset", sa.Column("images", pg.JSONB, nullable=False, server_default="{}"))
    op.create_table(
        "picture",
        sa.Column("hash", sa.String(40), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.Column("width", sa.Integer, nullable=False),
        sa.Column("height", sa.Integer, nullable=False),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id"), nullable=False),
        sa.Column(
            "at", pg.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")
        ),
    )
    op.create_table(
        "revision",
        sa.Column(
            "scene_id",
            sa.String(24),
            sa.ForeignKey("scene.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("asset_id", sa.String(64), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id"), nullable=False),
        sa.Column(
            "at", pg.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")
        ),
        sa.Column("note", sa.String(120), nullable=False),
        sa.Column("parameters", pg.JSONB, nullable=False),
        sa.Column("seeds", pg.JSONB, nullable=False),
        sa.Column("images", pg.JSONB, nullable=False, server_default="{}"),
        sa.Column("picture", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("revision")
    op.drop_table("picture")
    op.drop_column("asset", "images")
    op.drop_column("asset", "tags")
