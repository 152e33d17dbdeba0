"""What people note on a release, whether it is kept from being deleted, and a scene's last number of one."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("release", sa.Column("notes", sa.String(4000), nullable=False, server_default=""))
    op.add_column(
        "release", sa.Column("pinned", sa.Boolean(), nullable=False, server_default=sa.false())
    )
    op.add_column("scene", sa.Column("releases", sa.Integer(), nullable=False, server_default="0"))
    op.execute(
        "UPDATE scene s SET releases ="
        " coalesce((SELECT max(r.number) FROM release r WHERE r.scene_id = s.id), 0)"
    )
    op.alter_column("scene", "releases", server_default=None)
    for name in ("notes", "pinned"):
        op.alter_column("release", name, server_default=None)


def downgrade() -> None:
    op.drop_column("scene", "releases")
    op.drop_column("release", "pinned")
    op.drop_column("release", "notes")
