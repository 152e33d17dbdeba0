"""Scenes in the database as documents: read whole, made from one, and where their files came from."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session as Db

from plough.core.errors import ParameterError
from plough.core.scene.document import MOST_ORIGINS, SceneDocument, files_of
from plough.core.scene.document import Origin as OriginModel
from plough.core.scene.registry import get_layer_kind
from plough.service.db.tables import Account, Asset, Layer, Member, Origin, Scene

LAST = 1e9  #: position of the bake


def position_of(kind: str, place: int) -> float:
    return LAST if get_layer_kind(kind).place == "last" else float(place)


def new_id() -> str:
    """A short random id."""
    return secrets.token_hex(6)


def layers_of(db: Db, scene_id: str) -> list[Layer]:
    """The layers, in order."""
    return list(
        db.scalars(
            select(Layer).where(Layer.scene_id == scene_id).order_by(Layer.position, Layer.id)
        )
    )


def assets_of(db: Db, scene_id: str) -> list[Asset]:
    """The assets, by name."""
    return list(
        db.scalars(select(Asset).where(Asset.scene_id == scene_id).order_by(Asset.name, Asset.id))
    )


_OF_LAYER = ("id", "kind", "name", "hidden", "locked", "shadow", "parameters")


def layer_values(row: Layer) -> dict[str, Any]:
    """A layer as the document holds it; one that is about to be added lacks what has a default."""
    values = {n: getattr(row, n) for n in _OF_LAYER if getattr(row, n) is not None}
    return {**values, "notes": row.notes or {}, "game": row.game or {}}


def document_of(db: Db, scene: Scene) -> SceneDocument:
    """The scene as a document."""
    layers = [layer_values(r) for r in layers_of(db, scene.id)]
    assets = [
        {
            "id": a.id,
            "name": a.name,
            "kind": a.kind,
            "parameters": a.parameters,
            "seeds": a.seeds,
            "tags": a.tags,
            "images": a.images,
            "notes": a.notes,
        }
        for a in assets_of(db, scene.id)
    ]
    used = _files_in(assets, layers)
    return SceneDocument.model_validate(
        {
            "name": scene.name,
            "settings": scene.settings,
            "assets": assets,
            "layers": layers,
            "origins": [
                {n: getattr(o, n) for n in OriginModel.model_fields}
                for o in origins_of(db, scene.id)
                if o.file in used
            ],
        }
    )


def _files_in(assets: Sequence[Any], layers: Sequence[Any]) -> set[str]:
    return files_of([[a["parameters"], a["images"]] for a in assets] + list(layers))


def check_origins(db: Db, scene: Scene, more: int) -> None:
    """Make room for the origins of `more` files: of those that nothing uses, only what is younger than a day is kept.

    Raises:
        ParameterError: the scene would have more than it may.
    """
    count = select(func.count()).select_from(Origin).where(Origin.scene_id == scene.id)
    if (db.scalar(count) or 0) + more <= MOST_ORIGINS:
        return
    used = {o.file for o in document_of(db, scene).origins}
    old = Origin.at < func.now() - timedelta(days=1)
    unused = delete(Origin).where(Origin.scene_id == scene.id, old, Origin.file.not_in(used))
    db.execute(unused)
    if (db.scalar(count) or 0) + more > MOST_ORIGINS:
        raise ParameterError(
            "library",
            f"the scene holds what was taken from asset libraries {MOST_ORIGINS:,} times, the most that it may; remove assets first",
            limit=str(MOST_ORIGINS),
        )


def origins_of(db: Db, scene_id: str) -> list[Origin]:
    """Where the scene's files came from, by title; of files that nothing uses any more, too."""
    wanted = select(Origin).where(Origin.scene_id == scene_id)
    return list(db.scalars(wanted.order_by(Origin.title, Origin.file)))


def create_scene(db: Db, account: Account, document: SceneDocument) -> Scene:
    """A new scene owned by `account`, from a document."""
    scene = Scene(
        id=new_id(),
        name=document.name,
        settings=document.settings.model_dump(mode="json"),
        version=1,
        edits=0,
    )
    db.add(scene)
    db.flush()
    db.add(Member(scene_id=scene.id, account_id=account.id, role="owner"))
    for place, layer in enumerate(document.layers):
        db.add(
            Layer(
                scene_id=scene.id,
                id=layer.id,
                kind=layer.kind,
                name=layer.name,
                hidden=layer.hidden,
                locked=layer.locked,
                shadow=layer.shadow,
                notes=dict(layer.notes),
                game=layer.game.model_dump(exclude_defaults=True),
                position=position_of(layer.kind, place),
                parameters=layer.parameters,
            )
        )
    for asset in document.assets:
        db.add(
            Asset(
                scene_id=scene.id,
                id=asset.id,
                kind=asset.kind,
                name=asset.name,
                parameters=asset.parameters,
                seeds=list(asset.seeds),
                tags=list(asset.tags),
                images=dict(asset.images),
                notes=dict(asset.notes),
            )
        )
    for origin in document.origins:
        db.add(Origin(scene_id=scene.id, **origin.model_dump()))
    db.flush()
    return scene
