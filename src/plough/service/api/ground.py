"""The ground: ways to begin, height maps that are brought in, the ground as a file."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Response, UploadFile
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from plough.core.bake.bundle import embedded_images
from plough.core.bake.ground_file import MEDIA, GroundFormat, ground_file
from plough.core.formats.geojson import MOST_BYTES, read_geojson, write_geojson
from plough.core.formats.heights import unpack_heights
from plough.core.formats.reading import read_heights_apart
from plough.core.scene.loose import set_loose
from plough.core.scene.masks import SIDES, mask_of
from plough.core.scene.outlines import layers_of, shapes_of
from plough.core.scene.registry import begun_with
from plough.core.scene.strips import StripMap, strip_maps
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.bench import download
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.items import add_layer
from plough.service.api.models import PROBLEMS, LinesOut, LooseOut, NewLayer
from plough.service.api.own_meshes import plain_name, reading
from plough.service.results import keep_model
from plough.service.scenes import Editing

router = APIRouter(prefix="/api", tags=["ground"], responses=PROBLEMS)


class HeightsOut(BaseModel):
    """A height map that was read."""

    file: str
    hash: str = Field(description="By which a ground names it: `source`.")
    width: int = Field(description="Samples that the file has.")
    height: int
    told: str = Field(description="What was read, in words.")
    metres: bool = Field(description="Whether it holds metres; else shares of a range.")
    low: float
    high: float
    holes: int = Field(description="Samples that held nothing; they take the nearest height.")
    parameters: dict[str, Any] = Field(description="Of a ground that begins with it.")


@router.post("/bench/heights", status_code=201)
async def take_heights(file: UploadFile, me: Me, ctx: Ctx) -> HeightsOut:
    """Takes in a height map (PNG of 8 or 16 bits, TIFF of 8, 16 or 32 bits, raw 16 bits), read in a process of its own with limits on memory and time."""
    name, data = plain_name(file.filename), await file.read()
    with reading():
        return await run_in_threadpool(keep_heights, ctx, me.id, name, data)


def keep_heights(ctx: Ctx, account: int, name: str, data: bytes) -> HeightsOut:
    """Read and keep a height map for `account`. Raises as `plough.core.formats.reading.read_heights_apart`."""
    packed = read_heights_apart(name, data)
    found = unpack_heights(packed)
    with ctx.database.session() as db:
        kept = keep_model(db, account, name, packed)
    return HeightsOut(
        file=name,
        hash=kept,
        width=found.size[0],
        height=found.size[1],
        told=found.told,
        metres=found.metres,
        low=float(found.values.min()),
        high=float(found.values.max()),
        holes=found.holes,
        parameters=begun_with(found, kept),
    )


@router.get(
    "/scenes/{scene_id}/ground",
    response_class=Response,
    responses={200: {"content": {media: {} for media in MEDIA.values()}}},
)
def read_ground(
    scene_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    form: Annotated[GroundFormat, Query(alias="format", description="`tif` holds metres.")] = "tif",
) -> Response:
    """The ground as a height map (PNG and raw of 16 bits, TIFF of floats) a mesh, or splat maps of its classes (ZIP); the header `X-Told` says what one must know to read it."""
    scene = scene_for(db, me, scene_id)
    document, name = (
        documents.document_of(db, scene),
        "".join(c for c in scene.name if c.isalnum() or c in " -_"),
    )
    db.commit()  # nothing of the database is held while computing
    found = ctx.evaluator.evaluate(document).ground
    data, told = ground_file(found, form, embedded_images(ctx.library.cache))
    answer = download(
        data,
        f"{name.strip().encode('ascii', 'ignore').decode() or 'scene'} ground.{form}",
        MEDIA[form],
    )
    answer.headers["X-Told"] = told
    return answer


@router.get(
    "/scenes/{scene_id}/layers/{layer_id}/mask",
    response_class=Response,
    responses={200: {"content": {"image/png": {}}}},
)
def read_mask(
    scene_id: str,
    layer_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    side: Annotated[int, Query(ge=SIDES[0], le=SIDES[1], description="Points a side.")] = 1024,
) -> Response:
    """Where the rule of a layer lets things stand, as an image over the whole ground (PNG of 8 bits, north up)."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()  # nothing of the database is held while computing
    data = mask_of(ctx.evaluator.evaluate(document), layer_id, side)
    return download(data, "mask.png", "image/png")


@router.get("/scenes/{scene_id}/layers/{layer_id}/strips")
def read_strips(scene_id: str, layer_id: str, db: Session, me: Me, ctx: Ctx) -> list[StripMap]:
    """The paths that a layer runs along, each made straight, with what stands along it."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()  # nothing of the database is held while computing
    return strip_maps(ctx.evaluator.evaluate(document), layer_id)


@router.get("/scenes/{scene_id}/layers/{layer_id}/loose")
def read_loose(scene_id: str, layer_id: str, db: Session, me: Me, ctx: Ctx) -> LooseOut:
    """What a layer would be with each of its placements set down by itself: its kind and its parameters."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()  # nothing of the database is held while computing
    loose = set_loose(ctx.evaluator, document, layer_id)
    return LooseOut(kind=loose.kind, parameters=loose.parameters)


@router.get("/scenes/{scene_id}/geojson", response_class=Response)
def read_lines(scene_id: str, db: Session, me: Me) -> Response:
    """The paths and areas of a scene as GeoJSON, in metres east and north of the middle of the map."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    return download(write_geojson(shapes_of(document)), "lines.geojson", "application/geo+json")


@router.post("/scenes/{scene_id}/geojson", status_code=201)
def bring_lines(
    scene_id: str,
    file: UploadFile,
    db: Session,
    me: Me,
    degrees: Annotated[
        bool, Query(description="Its coordinates are longitude and latitude.")
    ] = False,
) -> LinesOut:
    """Add a layer for each line and each polygon of a GeoJSON file, to the left of all that could refer to them."""
    scene_for(db, me, scene_id, "editor")
    db.commit()  # nobody else waits while the file is read
    made, told = layers_of(read_geojson(file.file.read(MOST_BYTES + 1), degrees))
    scene = scene_for(db, me, scene_id, "editor", lock=True)
    before = documents.layers_of(db, scene.id)[1].id
    for layer in made:
        new = NewLayer(kind=layer.kind, name=layer.name, parameters=layer.parameters, before=before)
        add_layer(Editing(db, scene, me), new)
    return LinesOut(layers=[layer.name for layer in made], told=told)
