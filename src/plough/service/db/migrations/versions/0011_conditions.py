"""Borders of scatters are conditions, in layers and in the edit log."""

from alembic import op

from plough.service.db.renaming import borders_to_conditions

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    borders_to_conditions(op.get_bind())


def downgrade() -> None:
    """The borders are not put back: no release before this one reads a newer database."""
