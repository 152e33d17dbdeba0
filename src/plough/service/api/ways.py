"""Ways to begin a layer: what they are, what they look like, and to begin so."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Header
from fastapi.responses import Response
from pydantic import BaseModel, Field

from plough.core.demo import mesh_parameters
from plough.core.formats.images import jpeg
from plough.core.hashing import key_of
from plough.core.presets import preset
from plough.core.scene.registry import get_layer_kind
from plough.core.scene.ways import Way, assets_of, draw_way, way, ways_of
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.bench import PRESET_SIZE
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.items import add_asset, add_layer
from plough.service.api.models import PROBLEMS, NewAsset, NewLayer
from plough.service.demo.load import keep_demo_meshes
from plough.service.scenes import Editing

router = APIRouter(prefix="/api", tags=["ways"], responses=PROBLEMS)


class WayOut(BaseModel):
    """Parameters of a layer to begin with."""

    name: str
    title: str
    text: str
    parameters: dict[str, Any]
    picture: str = Field(description="Its address.")


class BegunOut(BaseModel):
    """What was added."""

    layers: list[str] = Field(description="Ids, from left to right.")


@router.get("/ways/{kind}")
def ways(kind: str, me: Me) -> list[WayOut]:
    """Ways to begin a layer of a kind."""
    return [
        WayOut(
            name=w.name,
            title=w.title,
            text=w.text,
            parameters=w.parameters,
            picture=f"/api/ways/{kind}/{w.name}/picture?v={_key(w)[:8]}",
        )
        for w in ways_of(kind)
    ]


def _key(w: Way) -> str:
    presets = [preset(name).parameters for name in w.assets.values()]
    presets += [mesh_parameters(name) for name in w.meshes.values()]
    version = get_layer_kind(w.kind).version
    return key_of("way", w.kind, version, w.layers, presets, w.ground, w.across, PRESET_SIZE)


@router.post("/scenes/{scene_id}/ways/{kind}/{name}", status_code=201)
def begin_way(scene_id: str, kind: str, name: str, db: Session, me: Me) -> BegunOut:
    """Add what a way brings: its assets, and its layers just before the bake."""
    chosen = way(kind, name)
    scene = scene_for(db, me, scene_id, "editor", lock=True)
    if chosen.meshes:
        keep_demo_meshes(db, me)
    editing, ids = Editing(db, scene, me), {}
    for key, asset in assets_of(chosen, documents.new_id).items():
        new_asset = NewAsset(**asset.model_dump(exclude={"id"}))
        ids[key] = add_asset(editing, new_asset)
    added = []
    for row, layer in enumerate(chosen.layers):
        parameters = chosen.made(ids)[row]["parameters"]
        new = NewLayer(kind=kind, name=layer["name"], parameters=parameters)
        ids[layer["id"]] = add_layer(editing, new)
        added.append(ids[layer["id"]])
    return BegunOut(layers=added)


@router.get(
    "/ways/{kind}/{name}/picture",
    response_class=Response,
    responses={200: {"content": {"image/jpeg": {}}}},
)
def way_picture(
    kind: str,
    name: str,
    me: Me,
    ctx: Ctx,
    if_none_match: Annotated[str | None, Header(include_in_schema=False)] = None,
) -> Response:
    """What a layer that begins so looks like."""
    chosen = way(kind, name)
    key = _key(chosen)
    headers = {"Cache-Control": "private, max-age=604800", "ETag": f'"{key}"'}
    if if_none_match == f'"{key}"':
        return Response(status_code=304, headers=headers)
    made = ctx.results.result(key, lambda: {"jpeg": jpeg(draw_way(chosen, PRESET_SIZE), 90)}, True)
    return Response(ctx.results.get(made["jpeg"]), media_type="image/jpeg", headers=headers)
