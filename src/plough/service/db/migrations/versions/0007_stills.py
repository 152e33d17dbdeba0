"""A still of each viewpoint is kept with a release."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "release_still",
        sa.Column(
            "release_id",
            sa.Integer,
            sa.ForeignKey("release.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("viewpoint", sa.String(64), primary_key=True),
        sa.Column("hash", sa.String(40), nullable=False),
        sa.Column("picture", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("release_still")
