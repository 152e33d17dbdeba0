"""The bench: pictures of seeds, cousins and presets; levels; what meets a number of triangles; exports."""

from __future__ import annotations

import base64
import dataclasses
import io
import zipfile
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Annotated, Any

from fastapi import APIRouter, Header, Request, Response
from fastapi.concurrency import run_in_threadpool
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from plough.core.arrays import UInt8
from plough.core.bake.bundle import embedded_images
from plough.core.bake.colliders import collider_meshes
from plough.core.bake.film import film_glb
from plough.core.errors import ParameterError
from plough.core.formats.glb import GlbBuilder, Images, no_images
from plough.core.formats.images import check_image, jpeg, png
from plough.core.formats.obj import mesh_obj
from plough.core.formats.solids import measured
from plough.core.formats.usd import asset_usd
from plough.core.grow.fullness import fit
from plough.core.grow.habit import TreeParameters
from plough.core.hashing import digest, key_of
from plough.core.kinds import get_kind
from plough.core.library import Variant, resolve, variant_of
from plough.core.library.library import SCREEN_COVERAGE, switch_distances
from plough.core.library.references import parts_of, references
from plough.core.mesh.mask_map import mask_map
from plough.core.mesh.picture import frame_of
from plough.core.parameters import build, describe
from plough.core.presets import all_presets, preset
from plough.core.recipe import read_recipe, write_recipe
from plough.core.scene.document import Asset
from plough.core.vary import cousins
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.bench_models import (
    CousinOut,
    CousinsIn,
    ExportIn,
    FitIn,
    FitOut,
    FormOut,
    ImageOut,
    LevelFacts,
    PictureOut,
    PicturesIn,
    PresetOut,
    RecipeIn,
    RecipeOut,
    SheetFacts,
)
from plough.service.api.context import Context, Ctx, Me, Session
from plough.service.api.models import PROBLEMS, MakeAsset
from plough.service.db.tables import Account, Picture
from plough.service.errors import NotFound

router = APIRouter(prefix="/api/bench", tags=["bench"], responses=PROBLEMS)
_SIZE = (188, 164)  #: pixels of a picture in the tray
PRESET_SIZE = (300, 270)
_threads = ThreadPoolExecutor(4, "picture")


def borrowed(
    db: Db, me: Account, scene_id: str | None, kind: str, values: dict[str, Any]
) -> dict[str, Any]:
    """The whole parameters of a recipe, with what it borrows from the assets of a scene put in.

    Raises:
        ParameterError: a field is unknown or out of its limits. A leaf that is missing leaves the recipe its own.
    """
    found = get_kind(kind)
    whole = build(found.parameters, values, "parameters").model_dump(mode="json")
    if scene_id is None or not (any(references(found.parameters)) or parts_of(found.parameters)):
        return whole
    scene = scene_for(db, me, scene_id)
    assets = {
        a.id: Asset(
            id=a.id, name=a.name, kind=a.kind, parameters=a.parameters, seeds=tuple(a.seeds)
        )
        for a in documents.assets_of(db, scene.id)
    }
    db.commit()  # nothing of the database is held while computing
    recipe = Asset(id="draft", name="draft", kind=kind, parameters=whole)
    lent = resolve(recipe, assets, "draft").parameters
    return build(found.parameters, lent, "parameters").model_dump(mode="json")


def draft_variant(
    kind: str, parameters: dict[str, Any], seed: int, images: Mapping[str, str]
) -> Variant:
    """A recipe that is no asset yet."""
    return variant_of("draft", "draft", kind, parameters, seed, images)


def _address(image: UInt8) -> str:
    return "data:image/jpeg;base64," + base64.b64encode(jpeg(image)).decode()


@router.post("/pictures")
def pictures(body: PicturesIn, db: Session, me: Me, ctx: Ctx) -> list[PictureOut]:
    """Lit pictures of several seeds of one recipe, all to one scale; those of the lowest detail are half the size."""
    parameters = borrowed(db, me, body.scene, body.kind, body.parameters)
    variants = [draft_variant(body.kind, parameters, seed, body.images) for seed in body.seeds]
    products = list(_threads.map(lambda v: ctx.library.level(v, body.detail), variants))
    frame = frame_of([p.mesh for p in products], _SIZE[0] / _SIZE[1])
    size = (_SIZE[0] // 2, _SIZE[1] // 2) if body.detail == 2 else _SIZE
    images = _threads.map(
        lambda v: _address(ctx.library.picture(v, size, body.detail, frame)), variants
    )
    return [
        PictureOut(seed=v.seed, picture=image, triangles=p.mesh.triangles)
        for v, p, image in zip(variants, products, images, strict=True)
    ]


@router.post("/cousins")
def make_cousins(body: CousinsIn, db: Session, me: Me, ctx: Ctx) -> list[CousinOut]:
    """Eight recipes about the present one, with their pictures: numbers, curves and colours varied, locked ones as they are."""
    known = {row.path for row in describe(get_kind(body.kind).parameters)}
    for path in body.locked:
        if path not in known:
            raise ParameterError("locked", f"there is no parameter {path!r}", value=path)
    found = cousins(get_kind(body.kind), body.parameters, body.strength, body.locked, body.walk)
    variants = [
        draft_variant(body.kind, borrowed(db, me, body.scene, body.kind, p), body.seed, body.images)
        for p in found
    ]
    images = list(_threads.map(lambda v: _address(ctx.library.picture(v, _SIZE, 1)), variants))
    return [CousinOut(parameters=p, picture=image) for p, image in zip(found, images, strict=True)]


@router.post("/levels")
def levels(body: MakeAsset, db: Session, me: Me, ctx: Ctx) -> list[LevelFacts]:
    """Every level of detail: triangles, distance up to which it is shown, and how much its silhouette differs from the nearest."""
    variant = draft_variant(
        body.kind, borrowed(db, me, body.scene, body.kind, body.parameters), body.seed, body.images
    )
    products = ctx.library.levels(variant)
    limits = [
        *switch_distances((products[0].height, products[0].canopy_radius), len(products)),
        None,
    ]
    differences = ctx.library.differences(variant)
    written = [ctx.library.facts(variant, k) for k in range(len(products))]
    return [
        LevelFacts(
            triangles=f.triangles,
            vertices=f.vertices,
            bytes=f.bytes,
            switch_distance=u,
            difference=d,
            coverage=SCREEN_COVERAGE[k] if k < len(products) - 1 else 0.0,
        )
        for k, (f, u, d) in enumerate(zip(written, limits, differences, strict=True))
    ]


@router.post("/sheet")
def sheet(body: MakeAsset, db: Session, me: Me, ctx: Ctx) -> list[SheetFacts]:
    """How near each level comes that is written with maps of its own; empty where none is."""
    variant = draft_variant(
        body.kind, borrowed(db, me, body.scene, body.kind, body.parameters), body.seed, body.images
    )
    found = [(d, ctx.library.sheet(variant, d)) for d in range(get_kind(variant.kind).levels)]
    return [
        SheetFacts(
            level=d, texels=len(s.marks), triangles=s.mesh.triangles, **dataclasses.asdict(s.look)
        )
        for d, s in found
        if s is not None
    ]


@router.post("/fit")
def fit_triangles(body: FitIn, db: Session, me: Me, ctx: Ctx) -> FitOut:
    """The greatest fullness at which the recipe has at most so many triangles."""
    parameters = borrowed(db, me, body.scene, body.kind, body.parameters)
    if "fullness" not in parameters:
        raise ParameterError(
            "kind", f"a {body.kind} has no fullness to fit; only trees have", value=body.kind
        )

    def count(fullness: float) -> int:
        product = get_kind(body.kind).make(
            build(TreeParameters, {**parameters, "fullness": fullness}), body.seed, 0
        )
        return int(product.mesh.triangles)

    fullness, triangles = fit(count, body.triangles)
    return FitOut(fullness=fullness, triangles=triangles)


@router.get("/presets")
def presets(me: Me) -> list[PresetOut]:
    """Recipes to begin with."""
    return [
        PresetOut(
            name=p.name,
            title=p.title,
            kind=p.kind,
            seed=p.seed,
            parameters=p.parameters,
            picture=f"/api/bench/presets/{p.name}/picture?v={_key(p.name)[:8]}",
        )
        for p in all_presets()
    ]


def _key(name: str) -> str:
    p = preset(name)
    return key_of("preset", p.kind, get_kind(p.kind).version, p.parameters, p.seed, PRESET_SIZE)


@router.get(
    "/presets/{name}/picture",
    response_class=Response,
    responses={200: {"content": {"image/jpeg": {}}}},
)
def preset_picture(
    name: str,
    me: Me,
    ctx: Ctx,
    if_none_match: Annotated[str | None, Header(include_in_schema=False)] = None,
) -> Response:
    """A preset's picture."""
    p, key = preset(name), _key(name)
    headers = {"Cache-Control": "private, max-age=604800", "ETag": f'"{key}"'}
    if if_none_match == f'"{key}"':
        return Response(status_code=304, headers=headers)
    variant = draft_variant(
        p.kind, build(get_kind(p.kind).parameters, p.parameters).model_dump(mode="json"), p.seed, {}
    )
    names = ctx.results.result(
        key, lambda: {"jpeg": jpeg(ctx.library.picture(variant, PRESET_SIZE), 90)}, True
    )
    return Response(ctx.results.get(names["jpeg"]), media_type="image/jpeg", headers=headers)


def keep_image(ctx: Context, account: int, data: bytes) -> ImageOut:
    """Keep an image for `account`. Raises `ParameterError` unless it can stand in for a map."""
    width, height = check_image(data)
    values = {
        "hash": digest(data),
        "data": data,
        "width": width,
        "height": height,
        "account_id": account,
    }
    with ctx.database.session() as db:
        db.execute(insert(Picture).values(**values).on_conflict_do_nothing())
    return ImageOut(hash=digest(data), width=width, height=height)


@router.post(
    "/images",
    status_code=201,
    openapi_extra={
        "requestBody": {"content": {"image/png": {}, "image/jpeg": {}}, "required": True}
    },
)
async def take_image(request: Request, me: Me, ctx: Ctx) -> ImageOut:
    """Take in a PNG or JPEG that may stand in for a map of an asset's materials."""
    data = await request.body()

    return await run_in_threadpool(keep_image, ctx, me.id, data)


@router.get(
    "/images/{name}",
    response_class=Response,
    responses={200: {"content": {"image/png": {}, "image/jpeg": {}}}},
)
def read_image(name: str, db: Session, me: Me) -> Response:
    """An image that was taken in."""
    row = db.get(Picture, name)
    if row is None:
        raise NotFound(f"there is no image {name!r}")
    media = "image/png" if row.data.startswith(b"\x89PNG") else "image/jpeg"
    return Response(
        row.data,
        media_type=media,
        headers={"Cache-Control": "private, max-age=31536000, immutable"},
    )


@router.post(
    "/form",
    openapi_extra={"requestBody": {"content": {"application/octet-stream": {}}, "required": True}},
)
async def take_form(request: Request, me: Me, kind: str) -> FormOut:
    """Measures a mesh (OBJ, GLB, STL, PLY) as a body for crowns and shrubs."""
    data = await request.body()
    form, height, width = await run_in_threadpool(measured, data, kind)
    return FormOut(form=form.tolist(), height=height, width=width)


@router.post("/recipe")
def check_recipe(body: RecipeIn, me: Me) -> RecipeOut:
    """Reads a recipe from JSON text; a fault names its field."""
    recipe = read_recipe(body.text.encode())
    return RecipeOut(
        kind=recipe.kind, name=recipe.name, parameters=recipe.parameters, seeds=list(recipe.seeds)
    )


_FILE: dict[int | str, dict[str, Any]] = {
    200: {"content": {"application/octet-stream": {}}, "description": "The file."}
}


@router.post("/export", response_class=Response, responses=_FILE)
def export(body: ExportIn, db: Session, me: Me, ctx: Ctx) -> Response:
    """The recipe as a file: GLB with levels and colliders, OBJ with MTL, USD with a variant for each seed, texture maps, a film, or JSON."""
    if body.format == "recipe":
        return download(
            write_recipe(body.kind, body.name, body.parameters, body.seeds),
            f"{body.name}.json",
            "application/json",
        )
    parameters = borrowed(db, me, body.scene, body.kind, body.parameters)
    variants = [draft_variant(body.kind, parameters, seed, body.images) for seed in body.seeds]
    images = embedded_images(ctx.library.cache) if body.textures else no_images
    if body.format == "film":
        if body.kind != "tree":
            raise ParameterError(
                "format",
                f"a {body.kind} has no age, so there is no film of its growth; only trees have",
                value=body.format,
            )
        made = film_glb(
            build(TreeParameters, parameters), body.seeds[0], body.steps, body.seconds, images
        )
        return download(made, f"{body.name}-growth.glb", "model/gltf-binary")
    if body.format == "glb":
        return download(
            _glb(ctx, variants, images, body.name), f"{body.name}.glb", "model/gltf-binary"
        )
    files: dict[str, bytes] = {}
    if body.format == "obj":
        for variant in variants:
            product = ctx.library.written(variant, 0)
            files |= mesh_obj(
                product.mesh, product.materials, f"{body.name}-{variant.seed}", images
            )
    elif body.format == "usd":
        written = [(v.seed, ctx.library.written(v, 0)) for v in variants]
        made_seeds = [(seed, p.mesh, p.materials) for seed, p in written]
        lamps = ctx.library.level(variants[0], 0).lamps
        files = asset_usd(made_seeds, body.name, images, lamps)
    else:
        for slot, material in {
            **ctx.library.written(variants[0], 0).materials,
            **ctx.library.levels(variants[0])[-1].materials,
        }.items():
            files |= {
                f"{slot.replace(' ', '-')}-{name}.png": data
                for name, data in embedded_images(ctx.library.cache)(material).items()
                if isinstance(data, bytes)
            }
        for variant in variants:
            masks = mask_map(ctx.library.written(variant, 0).mesh)
            if masks is not None:
                files[f"masks-{variant.seed}.png"] = png(masks)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
        for name, data in files.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), data)
    return download(packed.getvalue(), f"{body.name}-{body.format}.zip", "application/zip")


def _glb(ctx: Context, variants: Sequence[Variant], images: Images, name: str) -> bytes:
    """All seeds side by side, each with its levels and colliders."""
    builder = GlbBuilder(images)
    roots: list[int] = []
    at = 0.0
    for variant in variants:
        many = ctx.library.levels_of(variant)
        products = [ctx.library.written(variant, d) for d in range(many)]
        label = f"{name}-{variant.seed}"
        nearest = products[0]
        named = builder.add_named(nearest.mesh, nearest.materials, nearest.nodes)
        meshes = [
            None if named and d == 0 else builder.add_mesh(p.mesh, p.materials, f"{label}-{d}")
            for d, p in enumerate(products)
        ]
        at += products[0].canopy_radius if roots else 0.0
        place = (at, 0.0, 0.0)
        lower = [
            builder.add_node(f"{label}-level-{d}", mesh, translation=place)
            for d, mesh in enumerate(meshes[1:], start=1)
        ]
        roots.append(
            builder.add_node(
                label,
                meshes[0],
                children=named,
                levels=lower,
                coverage=[*SCREEN_COVERAGE[: len(lower)], 0.0],
                translation=place,
                extras={"seed": variant.seed},
            )
        )
        for k, lamp in enumerate(products[0].lamps):
            light = builder.add_light(lamp, f"{name}-{k}")
            x, y, z = lamp.position
            roots.append(
                builder.add_node(f"lamp-{label}-{k}", light=light, translation=(at + x, y, z))
            )
        collider = products[0].collider
        for k, body in enumerate(collider_meshes(collider)):
            mesh = builder.add_mesh(body, {}, f"collider-{label}-{k}")
            roots.append(
                builder.add_node(
                    f"collider-{label}-{k}", mesh, translation=place, extras=collider.extras()
                )
            )
        at += products[0].canopy_radius * 1.3 + 0.2
    return builder.finish(roots)


def download(data: bytes, name: str, media: str) -> Response:
    return Response(
        data,
        media_type=media,
        headers={
            "Content-Disposition": f'attachment; filename="{name}"',
            "Content-Encoding": "identity",
        },
    )


def asset_picture(ctx: Context, asset: Asset, assets: dict[str, Asset]) -> bytes:
    """A JPEG of an asset's first seed."""
    parameters = resolve(asset, assets, asset.id).parameters
    return jpeg(
        ctx.library.picture(
            variant_of(asset.id, asset.name, asset.kind, parameters, asset.seeds[0], asset.images),
            PRESET_SIZE,
        )
    )
