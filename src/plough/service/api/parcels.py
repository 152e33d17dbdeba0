"""Parcels: layers copied with all that they place, and put into this scene or another."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from pydantic import Field

from plough.core.scene.parcel import Parcel, pack_layers, read_parcel, unpack
from plough.service import documents, scenes
from plough.service.accounts import scene_for
from plough.service.api.context import Me, Session
from plough.service.api.items import add_asset, add_layer
from plough.service.api.models import PROBLEMS, In, NewAsset, NewLayer, SceneOut
from plough.service.api.scenes import Edited, scene_out
from plough.service.scenes import Editing, Subject

router = APIRouter(prefix="/api/scenes", tags=["scenes"], responses=PROBLEMS)


class PasteIn(In):
    """A parcel, and where its layers go."""

    parcel: dict[str, Any] = Field(description="As it was given out.")
    before: str | None = Field(
        None, description="Id of the layer they go in front of; none: just before the bake."
    )


@router.get("/{scene_id}/layers/{layer_id}/parcel")
def copy_layer(scene_id: str, layer_id: str, db: Session, me: Me) -> Parcel:
    """A layer with the assets and mixes that it places, to be put into a scene."""
    document = documents.document_of(db, scene_for(db, me, scene_id))
    return pack_layers(document, [layer_id])


@router.post("/{scene_id}/paste", status_code=201)
def paste(scene: Edited, body: PasteIn, db: Session, me: Me) -> SceneOut:
    """Puts the layers of a parcel into the scene; assets and mixes that are there already are used as they are. All of it is undone as one.

    The id that is told as made is that of the last layer.
    """
    parcel = read_parcel(body.parcel)
    brought = unpack(documents.document_of(db, scene), parcel, documents.new_id)
    editing = Editing(db, scene, me)
    key = db.info.pop(scenes.EDIT_KEY, None)  # that of the last edit: then all is made
    for asset in brought.assets:
        values = asset.model_dump(mode="json", include=set(NewAsset.model_fields))
        add_asset(editing, NewAsset(**values), asset.id)
        db.info[scenes.EDIT_JOINED] = True
    for mix in brought.mixes:
        values = mix.model_dump(mode="json", exclude={"id"})
        fields = {f"settings.mixes#{mix.id}": {"value": {**values, "id": mix.id}}}
        scenes.change(editing, Subject("scene", scene.id), fields, f"add the mix {mix.name}")
        db.info[scenes.EDIT_JOINED] = True
    for layer in brought.layers:
        if key is not None and layer is brought.layers[-1]:
            db.info[scenes.EDIT_KEY] = key
        values = layer.model_dump(mode="json", include=set(NewLayer.model_fields))
        add_layer(editing, NewLayer(**values, before=body.before), layer.id)
        db.info[scenes.EDIT_JOINED] = True
    return scene_out(db, scene, me, created_id=brought.layers[-1].id)
