"""Parameters of assets under the names of today, in assets, kept versions and the edit log."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

from plough.core.migrate import migrated_layer, migrated_parameters

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_TABLES = {
    "asset": (("scene_id", "id"), ("parameters",)),
    "revision": (("scene_id", "asset_id", "number"), ("parameters",)),
    "layer": (("scene_id", "id"), ("parameters",)),
    "edit": (("scene_id", "number"), ("forward", "inverse")),
}


def upgrade() -> None:
    bind = op.get_bind()
    for name, (keys, columns) in _TABLES.items():
        table = sa.table(
            name,
            *(sa.column(k) for k in keys),
            *(sa.column(c, pg.JSONB(none_as_null=True)) for c in columns),
        )
        for row in bind.execute(sa.select(table)).mappings().all():
            values = {c: migrated_layer(migrated_parameters(row[c])) for c in columns}
            if any(values[c] != row[c] for c in columns):
                same = sa.and_(*(table.c[k] == row[k] for k in keys))
                bind.execute(sa.update(table).where(same).values(**values))


def downgrade() -> None:
    """The old names are not put back: no release before this one reads a newer database."""
