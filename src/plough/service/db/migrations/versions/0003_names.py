"""Parameters under the names of today, in assets, kept versions, layers and the edit log."""

from alembic import op

from plough.service.db.renaming import rename_parameters

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    rename_parameters(op.get_bind())


def downgrade() -> None:
    """The old names are not put back: no release before this one reads a newer database."""
