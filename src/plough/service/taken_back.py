"""A scene brought back to a document that it once was, by edits that are undone together."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from plough.core.scene.document import Asset as AssetModel
from plough.core.scene.document import Layer as LayerModel
from plough.core.scene.document import SceneDocument, check_order
from plough.service import scenes
from plough.service.db.tables import Asset, Layer, Origin
from plough.service.documents import assets_of, layers_of, position_of
from plough.service.fields import Fields, flatten
from plough.service.scenes import EDIT_JOINED, EDIT_KEY, Editing, Subject


def take_back(editing: Editing, document: SceneDocument, title: str) -> int:
    """Make the scene what `document` says, its name excepted; the number of edits, all undone and redone as one.

    Raises:
        ParameterError: the document is not valid any more; nothing is changed.
    """
    db, scene, _ = editing
    made = 0

    def count(number: int | None) -> None:
        nonlocal made
        if number is not None:
            made += 1
            db.info[EDIT_JOINED] = True
            db.info.pop(EDIT_KEY, None)  # it is that of the first: the others come with it

    db.info[EDIT_JOINED] = False
    _bring_origins(editing, document)
    wanted = {x.id: x for x in document.assets}
    for asset in assets_of(db, scene.id):
        if asset.id not in wanted:
            count(scenes.remove(editing, Subject("asset", asset.id), title))
    layers = {x.id: x for x in document.layers}
    for layer in layers_of(db, scene.id):
        if layer.id not in layers:
            count(scenes.remove(editing, Subject("layer", layer.id), title))
    for name, model in wanted.items():
        count(_set(editing, Subject("asset", name), _of_asset(model), title))
    left = [x.id for x in layers_of(db, scene.id)]
    in_order = left == [*layers]
    for place, (name, own) in enumerate(layers.items()):
        fields = _of_layer(own)
        if not in_order or name not in left:
            fields["position"] = position_of(own.kind, place)
        count(_set(editing, Subject("layer", name), fields, title))
    settings = document.settings.model_dump(mode="json")
    count(_set(editing, Subject("scene", scene.id), flatten(settings, "settings"), title))
    check_order(layers_of(db, scene.id))
    return made


def _bring_origins(editing: Editing, document: SceneDocument) -> None:
    """Note again where files came from, of which that was forgotten."""
    db, scene, _ = editing
    known = set(db.scalars(select(Origin.file).where(Origin.scene_id == scene.id)))
    for origin in document.origins:
        if origin.file not in known:
            db.add(Origin(scene_id=scene.id, **origin.model_dump()))
    db.flush()


def _of_asset(asset: AssetModel) -> Fields:
    told = asset.model_dump(mode="json", exclude={"id", "parameters"})
    return told | flatten(asset.parameters, "parameters")


def _of_layer(layer: LayerModel) -> Fields:
    told = layer.model_dump(mode="json", exclude={"id", "parameters", "game"})
    game = layer.game.model_dump(mode="json", exclude_defaults=True)
    return told | {"game": game} | flatten(layer.parameters, "parameters")


def _set(editing: Editing, target: Subject, fields: Fields, title: str) -> int | None:
    """Give a target these fields and no others; it is made where it is not there."""
    row: Any = scenes.find(editing.db, editing.scene, *target)
    if row is None:
        return scenes.create(editing, target, fields, title)
    tree = "settings" if target.kind == "scene" else "parameters"
    assert isinstance(row, Layer | Asset) or tree == "settings"
    gone = dict.fromkeys(flatten(getattr(row, tree), tree).keys() - fields.keys())
    return scenes.change(editing, target, gone | fields, title)
