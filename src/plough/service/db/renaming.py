"""Brings parameters that the database holds into the form of today."""

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql as pg

from plough.core.migrate import (
    CHANGED,
    conditions_of_edit,
    migrated_layer,
    migrated_parameters,
)

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


def borders_to_conditions(bind: sa.Connection) -> None:
    """Rewrite scatters, and all edits of them, whose borders are conditions."""
    json = pg.JSONB(none_as_null=True)
    layer = sa.table(
        "layer", *map(sa.column, ("scene_id", "id", "kind")), sa.column("parameters", json)
    )
    held = {}
    of_kinds = sa.select(layer).where(layer.c.kind.in_(list(CHANGED)))
    for row in bind.execute(of_kinds).mappings().all():
        held[row["scene_id"], row["id"]] = row["parameters"]
        same = sa.and_(layer.c.scene_id == row["scene_id"], layer.c.id == row["id"])
        parameters = CHANGED[row["kind"]](row["parameters"])
        bind.execute(sa.update(layer).where(same).values(parameters=parameters))
    edit = sa.table(
        "edit",
        *map(sa.column, ("scene_id", "number", "target", "target_id")),
        sa.column("forward", json),
        sa.column("inverse", json),
    )
    for row in bind.execute(sa.select(edit).where(edit.c.target == "layer")).mappings().all():
        now = held.get((row["scene_id"], row["target_id"]), {})
        values = {c: conditions_of_edit(row[c], now) for c in ("forward", "inverse")}
        if any(values[c] != row[c] for c in values):
            same = sa.and_(edit.c.scene_id == row["scene_id"], edit.c.number == row["number"])
            bind.execute(sa.update(edit).where(same).values(**values))
