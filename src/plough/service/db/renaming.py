"""Brings parameters that the database holds under the names of today."""

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql as pg

from plough.core.migrate import migrated_layer, migrated_parameters

_TABLES = {
    "asset": (("scene_id", "id"), ("parameters",)),
    "revision": (("scene_id", "asset_id", "number"), ("parameters",)),
    "layer": (("scene_id", "id"), ("parameters",)),
    "edit": (("scene_id", "number"), ("forward", "inverse")),
}


def rename_parameters(bind: sa.Connection) -> None:
    """Rewrite the parameters of assets, kept versions and layers, and the edit log, where names have changed."""
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
