"""What a scene comes to: evaluation, drafts, meshes and buffers. It speaks in facets, of whatever kind a layer is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Header, Query, Response
from pydantic import BaseModel

from plough.core.bake.bundle import Baker
from plough.core.ground.classes import GroundClass
from plough.core.ground.conditions import MEASURES, Condition, MeasureFacts
from plough.core.ground.cover import METRES, TONES
from plough.core.ground.splat import TEXELS, splat_squares, square_side
from plough.core.kinds import all_kinds, get_kind
from plough.core.lamp import Lamp
from plough.core.library import Variant, resolve, variant_of
from plough.core.library.library import switch_distances
from plough.core.matters import declared
from plough.core.parameters import build, describe
from plough.core.scene.adjust import adjust
from plough.core.scene.document import (
    Layer,
    LayerGame,
    MixEntry,
    OwnProfile,
    SceneDocument,
    Sky,
    Viewpoint,
    share_field,
    with_layer,
)
from plough.core.scene.evaluation import Evaluation, LayerResult
from plough.core.scene.facets import Ground, Solid, TiledPlacements
from plough.core.scene.gains import gains_of
from plough.core.scene.registry import all_layer_kinds, get_layer_kind
from plough.core.scene.weight import PROFILES, Weight, profile_of, weigh_layer
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.context import Context, Ctx, Me, Session
from plough.service.api.models import (
    PROBLEMS,
    CardOut,
    ClassOut,
    CoverOut,
    CurveOut,
    Draft,
    EvaluationOut,
    FindingOut,
    GainOut,
    GainsOut,
    KindOut,
    KindsOut,
    LampOut,
    LayerView,
    LevelOut,
    MeasureOut,
    NamesOut,
    PackIn,
    PlacementsOut,
    ProfileOut,
    RegionOut,
    SolidLevelOut,
    SolidOut,
    SplatOut,
    SquareOut,
    StopOut,
    SurfaceOut,
    TileOut,
    VariantOut,
    WeightOut,
)
from plough.service.errors import NotFound
from plough.service.fields import flatten, nested
from plough.service.meshes import (
    Detail,
    card_of,
    cover_images,
    drawn,
    level_glb,
    solid_glb,
    surface_glb,
    surface_heights,
)

router = APIRouter(prefix="/api", tags=["evaluation"], responses=PROBLEMS)
GLB: dict[int | str, dict[str, Any]] = {
    200: {"content": {"model/gltf-binary": {}}, "description": "A GLB."}
}
MOST_PACKED = 32_000_000  #: bytes of one answer with several blobs
PLAIN = {"Content-Encoding": "identity"}  #: meshes and images hardly shrink when packed
_FOREVER = {"Cache-Control": "private, max-age=31536000, immutable", **PLAIN}
Check = Callable[[], None]
Eye = tuple[float, float, float]


class Transport:
    """Turns what a scene came to into what travels."""

    def __init__(self, ctx: Context, scene_id: str, eye: Eye, keep: bool, check: Check) -> None:
        self.ctx, self.scene_id, self.eye, self.keep, self.check = ctx, scene_id, eye, keep, check

    def layer(self, r: LayerResult, ground: Ground) -> LayerView:
        """One layer, facet by facet."""
        o = r.output
        return LayerView(
            id=r.layer.id,
            key=r.key,
            weight=weight_out(weigh_layer(o, self.ctx.library, self.eye, self.check)),
            findings=[
                FindingOut(code=f.code, text=f.text, severity=f.severity, place=f.place)
                for f in o.findings
            ],
            surface=self._surface(ground) if o.surface is not None else None,
            curves=[
                CurveOut(
                    line=self.ctx.results.put(c.line.astype("<f4").tobytes()),
                    length=c.length,
                    width=c.width,
                )
                for c in o.curves
            ],
            regions=[
                RegionOut(rings=[r.tolist() for r in region.rings], area=region.area)
                for region in o.regions
            ],
            placements=self._placements(o.placements) if o.placements is not None else None,
            solids=[self._solid(s) for s in o.solids],
        )

    def _surface(self, ground: Ground) -> SurfaceOut:
        surface, cover = ground.surface, ground.cover
        heights, samples, size = surface_heights(self.ctx.results, surface, self.keep)
        looks = cover.looks
        mesh = surface_glb(self.ctx.results, ground, self.keep)
        return SurfaceOut(
            heights=heights,
            samples=samples,
            size=size,
            covers=[
                CoverOut(
                    name=name,
                    metres=METRES[name],
                    tone=TONES[name],
                    albedo=maps["albedo"],
                    normal=maps["normal"],
                )
                for name, maps in cover_images(self.ctx.results, looks, self.keep).items()
            ],
            classes=[
                ClassOut(key=c.key, name=c.name, cover=looks.index(c.look), tint=c.tint)
                for c in cover.classes
            ],
            splat=self._splat(ground),
            mesh=f"/api/blobs/{mesh}" if mesh else "",
            bare=surface.own is not None and not surface.own.materials,
        )

    def _splat(self, ground: Ground) -> SplatOut:
        squares = splat_squares(ground.cover, ground.surface, self.ctx.library.cache, self.check)
        side = square_side(ground.surface)
        x0, z0 = min(s.x for s in squares), min(s.z for s in squares)
        return SplatOut(
            east=x0 * side,
            south=z0 * side,
            side=side,
            across=max(s.x for s in squares) - x0 + 1,
            down=max(s.z for s in squares) - z0 + 1,
            texels=TEXELS,
            squares=[
                SquareOut(
                    x=s.x - x0,
                    z=s.z - z0,
                    data=self.ctx.results.hold(s.hash, s.data.tobytes),
                )
                for s in squares
            ],
        )

    def _solid(self, s: Solid) -> SolidOut:
        results, cache = self.ctx.results, self.ctx.library.cache

        def address(detail: int) -> str:
            return f"/api/blobs/{solid_glb(results, s, cache, self.keep, detail)}"

        # while something is dragged the nearest level is enough
        coarser = [
            SolidLevelOut(
                mesh=address(d), triangles=s.level(d, cache).triangles, switch_distance=near
            )
            for d, near in enumerate(s.switch_distances if self.keep else (), 1)
        ]
        return SolidOut(
            name=s.name,
            mesh=address(0),
            finish=s.finish,
            triangles=s.mesh.triangles,
            coarser=coarser,
        )

    def _placements(self, placed: TiledPlacements) -> PlacementsOut:
        counts = placed.per_variant.tolist()
        return PlacementsOut(
            count=placed.count,
            share=placed.share,
            spin=placed.spin,
            variants=[self._variant(v, n) for v, n in zip(placed.variants, counts, strict=True)],
            tiles=[
                TileOut(
                    x=t.x,
                    z=t.z,
                    count=t.placements.count,
                    data=self.ctx.results.hold(t.key, t.placements.to_bytes),
                )
                for t in placed.tiles
            ],
        )

    def _variant(self, v: Variant, count: int) -> VariantOut:
        self.check()
        library = self.ctx.library
        height, canopy = library.size(v, self.check)
        levels = library.levels_of(v)
        limits = [*switch_distances((height, canopy), levels), None]
        facts = [library.facts(v, d, self.check) for d in range(levels)]
        card = card_of(self.ctx.results, v)
        base = f"/api/scenes/{quote(self.scene_id)}/meshes/{quote(v.asset)}/{v.seed}"
        over = "&mirrored=true" if v.mirror_of else ""
        return VariantOut(
            asset=v.asset,
            name=v.name,
            seed=v.seed,
            count=count,
            height=height,
            canopy_radius=canopy,
            hard=get_kind(v.kind).hard,
            stops=[
                StopOut(ring=[(float(x), float(z)) for x, z in s.ring], round=s.round)
                for s in (library.stops(v, self.check) if count else ())
            ],
            card=CardOut(**card) if card else None,
            lamps=[lamp_out(x) for x in library.lamps(v, self.check)],
            levels=[
                LevelOut(
                    mesh=f"{base}/{shown}?key={self.ctx.code[:8]}{v.key}{over}",
                    triangles=f.triangles,
                    bytes=f.bytes,
                    switch_distance=limit,
                )
                for shown, f, limit in zip(drawn(library, v), facts, limits, strict=True)
            ],
        )


def lamp_out(lamp: Lamp) -> LampOut:
    """A lamp as it travels."""
    return LampOut(reach=lamp.reach, **asdict(lamp))


def weight_out(w: Weight) -> WeightOut:
    """A weight as it travels."""
    return WeightOut(**{n: getattr(w, n) for n in Weight.__slots__})


def _evaluation_out(transport: Transport, evaluation: Evaluation, edits: int) -> EvaluationOut:
    layers = [transport.layer(r, evaluation.ground) for r in evaluation.layers]
    total = Weight()
    for layer in layers:
        total += Weight(**layer.weight.model_dump())
    p = profile_of(evaluation.document.settings)
    target = WeightOut(
        triangles=p.triangles,
        triangles_near=0,
        instances=p.instances,
        draw_calls=p.draw_calls,
        bytes=p.bytes,
    )
    return EvaluationOut(edits=edits, layers=layers, total=weight_out(total), target=target)


Axis = Annotated[float, Query(ge=-10_000, le=10_000)]


@router.get("/scenes/{scene_id}/evaluation")
def evaluate(
    scene_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    x: Axis | None = None,
    y: Axis | None = None,
    z: Axis | None = None,
) -> EvaluationOut:
    """Every layer's result, with its weight seen from (x, y, z) in metres; what is left out is the first viewpoint's."""
    scene = scene_for(db, me, scene_id)
    document, edits = documents.document_of(db, scene), scene.edits
    db.commit()  # nothing of the database is held while computing
    first = next((v.eye for v in document.settings.viewpoints), (0.0, 2.0, 0.0))
    east, up, south = (b if a is None else a for a, b in zip((x, y, z), first, strict=True))
    transport = Transport(ctx, scene_id, (east, up, south), True, lambda: None)
    return _evaluation_out(transport, ctx.evaluator.evaluate(document), edits)


@router.get("/scenes/{scene_id}/names")
def names(
    scene_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    pattern: Annotated[str, Query(max_length=120)] = "",
) -> NamesOut:
    """What a bake would call its levels by a pattern such as `{asset}_{seed}_lod{level}`; by default by that of the scene."""
    document = documents.document_of(db, scene_for(db, me, scene_id))
    db.commit()  # nothing of the database is held while computing
    if pattern:
        last = document.layers[-1]
        values = {"parameters": {**last.parameters, "names": pattern}}
        document = with_layer(document, last.model_copy(update=values))
    found = list(Baker(ctx.evaluator.evaluate(document), ctx.library).level_names())
    return NamesOut(names=found[:10], total=len(found))


@router.get("/scenes/{scene_id}/gains")
def gains(
    scene_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    x: Axis = 0.0,
    y: Axis = 2.0,
    z: Axis = 0.0,
) -> GainsOut:
    """By how much the scene is over what its profile bears, seen from (x, y, z) in metres, and what could give way."""
    document = documents.document_of(db, scene_for(db, me, scene_id))
    db.commit()  # nothing of the database is held while computing
    over, found = gains_of(ctx.evaluator, document, (x, y, z))
    told = [
        GainOut(layer=g.layer, name=g.name, share=g.share, saves=weight_out(g.saves)) for g in found
    ]
    return GainsOut(over=over, field=share_field(document.settings.tier), gains=told)


@router.post("/scenes/{scene_id}/draft")
def draft(scene_id: str, body: Draft, db: Session, me: Me, ctx: Ctx) -> EvaluationOut:
    """The scene as it would be with a layer changed; nothing is kept. A newer draft of the same client ends this one with 409."""
    ctx.latest.enter(scene_id, body.client, body.serial)
    scene = scene_for(db, me, scene_id)
    document, edits = documents.document_of(db, scene), scene.edits
    db.commit()

    def check() -> None:
        ctx.latest.check(scene_id, body.client, body.serial)

    drafted = changed(document, layer_of(document, body.layer), body.parameters)
    if body.adjust is not None:
        things, change = body.adjust.things, body.adjust.change
        made = adjust(ctx.evaluator, drafted, body.layer, things, change, check)
        drafted = changed(drafted, layer_of(drafted, body.layer), made.parameters)

    transport = Transport(ctx, scene_id, body.eye, False, check)
    light = body.layer if body.light else ""
    return _evaluation_out(transport, ctx.evaluator.evaluate(drafted, check, light=light), edits)


def layer_of(document: SceneDocument, layer_id: str) -> Layer:
    """A layer by its id. Raises `NotFound`."""
    layer = next((x for x in document.layers if x.id == layer_id), None)
    if layer is None:
        raise NotFound(f"there is no layer {layer_id!r} in this scene; it may have been removed")
    return layer


def changed(document: SceneDocument, layer: Layer, parameters: dict[str, Any]) -> SceneDocument:
    """`document` with some parameters of a layer changed, as an edit would do it: a list with ids by element."""
    prefix = "parameters"
    fields = flatten(layer.parameters, prefix) | flatten(parameters, prefix)
    values = nested(fields, prefix)
    build(get_layer_kind(layer.kind).parameters, values, prefix)
    return with_layer(document, layer.model_copy(update={"parameters": values}))


@router.get(
    "/scenes/{scene_id}/meshes/{asset_id}/{seed}/{detail}",
    response_class=Response,
    responses=GLB,
)
def level_mesh(
    scene_id: str,
    asset_id: str,
    seed: int,
    detail: Detail,
    db: Session,
    me: Me,
    ctx: Ctx,
    key: str = "",
    mirrored: bool = False,
) -> Response:
    """An asset of the scene at one level of detail, as an evaluation tells; it is made when first asked for.

    Detail `dome` is the card that faces the eye, which the view draws the farthest with: a quad, and a sheet of pictures
    from all sides above; the material's extras tell how it is laid out.

    `key` tells what the asset is made from: an address whose key is no longer the asset's gives 404.
    """
    scene = scene_for(db, me, scene_id)
    assets = {a.id: a for a in documents.document_of(db, scene).assets}
    db.commit()
    asset = assets.get(asset_id)
    if asset is None:
        raise NotFound(f"there is no asset {asset_id!r} in this scene; it may have been removed")
    found = resolve(asset, assets, asset.id)
    variant = variant_of(asset.id, asset.name, asset.kind, found.parameters, seed, asset.images)
    if mirrored:
        variant = variant.mirrored()
    if key and key != ctx.code[:8] + variant.key:
        raise NotFound("the asset has been changed since; ask for the evaluation again")
    if detail not in (*range(ctx.library.levels_of(variant)), *drawn(ctx.library, variant)):
        raise NotFound(f"there is no level of detail {detail} of this asset")

    data = ctx.results.get(level_glb(ctx.results, ctx.library, variant, detail))
    headers = _FOREVER if key else PLAIN
    return Response(data, media_type="model/gltf-binary", headers=headers)


@router.get(
    "/blobs/{name}",
    response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)
def blob(
    name: str,
    me: Me,
    ctx: Ctx,
    if_none_match: Annotated[str | None, Header(include_in_schema=False)] = None,
) -> Response:
    """Bytes by their hash: meshes (GLB), images (PNG) and buffers. They never change, so they may be kept for good."""
    headers = {"ETag": f'"{name}"', **_FOREVER}
    if if_none_match == f'"{name}"':
        return Response(status_code=304, headers=headers)
    data = ctx.results.get(name)
    if data is None:
        raise NotFound("this result is no longer held; ask for the evaluation again")
    kind = "application/octet-stream"
    if data.startswith(b"\x89PNG"):
        kind = "image/png"
    elif data.startswith(b"glTF"):
        kind = "model/gltf-binary"
    return Response(data, media_type=kind, headers=headers)


@router.post(
    "/blobs/pack",
    response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)
def pack(body: PackIn, me: Me, ctx: Ctx) -> Response:
    """Several blobs in one answer: for each, in the order asked for, its length as uint32 little-endian and its bytes.

    The answer holds the first, and as many of the next as stay within 32 MB: ask again for the others.
    """
    data = packed(body.names, ctx.results.get)
    return Response(data, media_type="application/octet-stream", headers=PLAIN)


def packed(names: Sequence[str], get: Callable[[str], bytes | None]) -> bytes:
    """The first of the blobs `names`, and as many of the next as stay within `MOST_PACKED` bytes, each behind its length."""
    parts: list[bytes] = []
    total = 0
    for name in names:
        data = get(name)
        if data is None:
            raise NotFound("a result is no longer held; ask for the evaluation again")
        total += 4 + len(data)
        if parts and total > MOST_PACKED:
            break
        parts += [len(data).to_bytes(4, "little"), data]
    return b"".join(parts)


@router.get("/kinds")
def kinds(me: Me, ctx: Ctx) -> KindsOut:
    """The kinds of asset and of layer, with every parameter's title, unit, limits, step, default and help."""
    assets = [
        KindOut(
            name=k.name,
            title=k.title,
            summary=k.summary,
            parameters=describe(k.parameters),
            levels=k.levels + k.impostor,
            seeded=k.seeded,
            parts=k.parts,
            fills=k.fills,
            slow=k.slow,
            told=declared(k.parameters, "told"),
        )
        for k in all_kinds().values()
    ]
    layers = [
        KindOut(
            name=k.name,
            title=k.title,
            summary=k.summary,
            parameters=describe(k.parameters),
            place=k.place,
            gives=list(k.gives),
        )
        for k in all_layer_kinds().values()
    ]
    models: dict[str, type[BaseModel]] = {
        "sky": Sky,
        "viewpoint": Viewpoint,
        "condition": Condition,
        "class": GroundClass,
        "mix": MixEntry,
        "game": LayerGame,
        "profile": OwnProfile,
    }
    settings = {name: describe(model) for name, model in models.items()}
    measures = [
        MeasureOut(
            name=name,
            low=m.limits[0],
            high=m.limits[1],
            **_served(m),
        )
        for name, m in MEASURES.items()
    ]
    return KindsOut(assets=assets, layers=layers, settings=settings, measures=measures)


def _served(facts: MeasureFacts) -> dict[str, Any]:
    return {k: v for k, v in asdict(facts).items() if k in MeasureOut.model_fields}


@router.get("/profiles")
def profiles(me: Me) -> list[ProfileOut]:
    """The target profiles and what a frame may weigh on each."""
    return [
        ProfileOut(**{n: getattr(p, n) for n in ProfileOut.model_fields}) for p in PROFILES.values()
    ]
