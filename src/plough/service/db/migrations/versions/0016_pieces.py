"""Pieces of bakes under the keys of what they hang on, and how far each part of a release is."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "piece",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("told", sa.LargeBinary(), nullable=False),
        sa.Column("blobs", JSONB(), nullable=False),
        sa.Column("used", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )
    op.create_index("piece_blobs", "piece", ["blobs"], postgresql_using="gin")
    op.create_table(
        "release_part",
        sa.Column(
            "release_id",
            sa.Integer(),
            sa.ForeignKey("release.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("ordinal", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(300), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("place", sa.String(80), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("release_part")
    op.drop_table("piece")
