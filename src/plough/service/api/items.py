"""The layers and assets of a scene: made, changed, moved, removed."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter

from plough.core.errors import ParameterError
from plough.core.kinds import get_kind
from plough.core.scene.document import LayerGame
from plough.core.scene.registry import get_layer_kind
from plough.service import documents, scenes
from plough.service.api.context import Me, Session
from plough.service.api.models import (
    PROBLEMS,
    AssetEdit,
    LayerEdit,
    LayerMove,
    NewAsset,
    NewLayer,
    SceneOut,
)
from plough.service.api.scenes import Edited, scene_out
from plough.service.db.tables import Layer
from plough.service.fields import MARK, flatten
from plough.service.scenes import Editing, Subject

router = APIRouter(prefix="/api/scenes", tags=["scenes"], responses=PROBLEMS)


@router.post("/{scene_id}/layers", status_code=201)
def create_layer(scene: Edited, body: NewLayer, db: Session, me: Me) -> SceneOut:
    """Add a layer."""
    return scene_out(db, scene, me, created_id=add_layer(Editing(db, scene, me), body))


def add_layer(editing: Editing, body: NewLayer, name: str = "") -> str:
    """Add a layer, under the id `name` where it has one; its id."""
    if get_layer_kind(body.kind).fixed:
        raise ParameterError("kind", f"a scene has one {body.kind}", value=body.kind)
    layer_id = name or documents.new_id()
    position = scenes.position_before(editing.db, editing.scene, layer_id, body.before)
    fields = {
        "kind": body.kind,
        "name": body.name,
        "hidden": False,
        "locked": False,
        "shadow": body.shadow,
        "position": position,
        "notes": body.notes,
        "game": (body.game or LayerGame()).model_dump(exclude_defaults=True),
        **flatten(body.parameters, "parameters"),
    }
    scenes.create(editing, Subject("layer", layer_id), fields, f"add {body.name}")
    return layer_id


def _check_unlocked(layer: Layer) -> None:
    """Raises `ParameterError` where a layer is locked."""
    if layer.locked:
        raise ParameterError("locked", f"{layer.name} is locked; unlock it first")


@router.patch("/{scene_id}/layers/{layer_id}")
def edit_layer(scene: Edited, layer_id: str, body: LayerEdit, db: Session, me: Me) -> SceneOut:
    """Change a layer's name, visibility or parameters."""
    layer: Layer = scenes.get(db, scene, "layer", layer_id)
    scenes.check_version(
        layer, body.version, lambda: scene_out(db, scene, me).model_dump(mode="json")
    )
    fields = _given(body.name, body.parameters)
    if body.locked is None:
        _check_unlocked(layer)
    else:
        fields["locked"] = body.locked
    if body.shadow is not None:
        fields["shadow"] = body.shadow
    if body.game is not None:
        fields["game"] = body.game.model_dump(exclude_defaults=True)
    if body.hidden is not None:
        if get_layer_kind(layer.kind).fixed:
            raise ParameterError("hidden", f"the {layer.kind} cannot be hidden", value=body.hidden)
        fields["hidden"] = body.hidden
    if body.notes is not None:
        fields["notes"] = body.notes
    scenes.change(
        Editing(db, scene, me), Subject("layer", layer_id), fields, _title(layer.name, fields)
    )
    return scene_out(db, scene, me)


@router.post("/{scene_id}/layers/{layer_id}/move")
def move_layer(scene: Edited, layer_id: str, body: LayerMove, db: Session, me: Me) -> SceneOut:
    """Give a layer another place in the order, which is the order of precedence."""
    layer: Layer = scenes.get(db, scene, "layer", layer_id)
    scenes.check_version(
        layer, body.version, lambda: scene_out(db, scene, me).model_dump(mode="json")
    )
    if get_layer_kind(layer.kind).fixed:
        raise ParameterError("layer", f"the {layer.kind} keeps its place", value=layer_id)
    _check_unlocked(layer)
    position = scenes.position_before(db, scene, layer_id, body.before)
    scenes.change(
        Editing(db, scene, me),
        Subject("layer", layer_id),
        {"position": position},
        f"move {layer.name}",
    )
    return scene_out(db, scene, me)


@router.delete("/{scene_id}/layers/{layer_id}")
def remove_layer(scene: Edited, layer_id: str, db: Session, me: Me) -> SceneOut:
    """Remove a layer; layers that refer to it say so."""
    layer: Layer = scenes.get(db, scene, "layer", layer_id)
    if get_layer_kind(layer.kind).fixed:
        raise ParameterError("layer", f"the {layer.kind} cannot be removed", value=layer_id)
    _check_unlocked(layer)
    scenes.remove(Editing(db, scene, me), Subject("layer", layer_id), f"remove {layer.name}")
    return scene_out(db, scene, me)


@router.post("/{scene_id}/assets", status_code=201)
def create_asset(scene: Edited, body: NewAsset, db: Session, me: Me) -> SceneOut:
    """Add an asset."""
    asset_id = add_asset(Editing(db, scene, me), body)
    return scene_out(db, scene, me, created_id=asset_id)


def add_asset(editing: Editing, body: NewAsset, name: str = "") -> str:
    """Add an asset, under the id `name` where it has one; its id."""
    asset_id = name or documents.new_id()
    get_kind(body.kind)
    fields = {
        "kind": body.kind,
        "name": body.name,
        "seeds": body.seeds,
        "tags": body.tags,
        "images": body.images,
        "notes": body.notes,
        **flatten(body.parameters, "parameters"),
    }
    scenes.create(editing, Subject("asset", asset_id), fields, f"add {body.name}")
    return asset_id


@router.patch("/{scene_id}/assets/{asset_id}")
def edit_asset(scene: Edited, asset_id: str, body: AssetEdit, db: Session, me: Me) -> SceneOut:
    """Change an asset's name, parameters or variants."""
    asset = scenes.get(db, scene, "asset", asset_id)
    scenes.check_version(
        asset, body.version, lambda: scene_out(db, scene, me).model_dump(mode="json")
    )
    fields = _given(body.name, body.parameters)
    if body.seeds is not None:
        fields["seeds"] = body.seeds
    if body.tags is not None:
        fields["tags"] = body.tags
    if body.images is not None:
        fields["images"] = body.images
    if body.notes is not None:
        fields["notes"] = body.notes
    scenes.change(
        Editing(db, scene, me), Subject("asset", asset_id), fields, _title(asset.name, fields)
    )
    return scene_out(db, scene, me)


@router.delete("/{scene_id}/assets/{asset_id}")
def remove_asset(scene: Edited, asset_id: str, db: Session, me: Me) -> SceneOut:
    """Remove an asset; layers that place it say so."""
    asset = scenes.get(db, scene, "asset", asset_id)
    scenes.remove(Editing(db, scene, me), Subject("asset", asset_id), f"remove {asset.name}")
    return scene_out(db, scene, me)


def _given(name: str | None, parameters: dict[str, Any] | None) -> dict[str, Any]:
    fields: dict[str, Any] = {"name": name} if name is not None else {}
    return fields | flatten(parameters or {}, "parameters")


def _title(name: str, fields: dict[str, Any]) -> str:
    parts = sorted(
        {
            k.removeprefix("parameters.").partition(MARK)[0].replace("_", " ").replace(".", " ")
            for k in fields
        }
    )
    return f"{', '.join(parts)} of {name}"
