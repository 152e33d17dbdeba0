"""What a scene comes to: evaluation, drafts, meshes and buffers."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Header, Query, Response

from plough.core.bake.colliders import convex_mesh
from plough.core.formats.glb import mesh_glb
from plough.core.ground.areas import polygon_area
from plough.core.kinds import all_kinds
from plough.core.mesh.material import Material
from plough.core.parameters import build, describe, with_values
from plough.core.scene.document import SceneDocument
from plough.core.scene.evaluation import Evaluation, LayerResult, Variant, switch_distances, with_layer
from plough.core.scene.layers import LAYER_KINDS
from plough.core.scene.weight import PROFILES, Weight, layer_weight
from plough.service import scenes
from plough.service.accounts import scene_for
from plough.service.api.bench import borrowed, draft_variant
from plough.service.api.context import Context, Ctx, Me, Session
from plough.service.api.models import (
    PROBLEMS,
    Draft,
    EvaluationOut,
    KindOut,
    KindsOut,
    LayerView,
    LevelOut,
    MakeAsset,
    ProfileOut,
    VariantOut,
    WeightOut,
)  # fmt: skip
from plough.service.errors import NotFound

router = APIRouter(prefix="/api", tags=["evaluation"], responses=PROBLEMS)
_GLB: dict[int | str, dict[str, Any]] = {200: {"content": {"model/gltf-binary": {}}, "description": "A GLB."}}
_PLAIN = {"Content-Encoding": "identity"}  #: meshes and images hardly shrink; packing them would only cost time


def _weight(w: Weight) -> WeightOut:
    return WeightOut(**{n: getattr(w, n) for n in Weight.__slots__})


def _variant(ctx: Context, variant: Variant, count: int, keep: bool) -> VariantOut:
    products = ctx.evaluator.levels(variant)
    limits = [*switch_distances(products[0].height), None]
    levels = []
    for detail, (product, until) in enumerate(zip(products, limits, strict=True)):

        def make(product=product) -> dict[str, bytes]:  # type: ignore[no-untyped-def]
            return {"glb": mesh_glb(product.mesh, product.materials, variant.label, ctx.results.images(keep))}

        names = ctx.results.result(f"glb {variant.key} {detail}", make, keep)
        levels.append(LevelOut(mesh=names["glb"], triangles=product.mesh.triangles, bytes=product.mesh.nbytes, until=until))
    first = products[0]
    return VariantOut(
        asset=variant.asset,
        name=variant.name,
        seed=variant.seed,
        count=count,
        height=first.height,
        canopy_radius=first.canopy_radius,
        levels=levels,
    )


def _layer_view(ctx: Context, r: LayerResult, eye: tuple[float, float, float], keep: bool) -> LayerView:
    view = LayerView(id=r.layer.id, key=r.key, count=1, weight=_weight(layer_weight(r, ctx.evaluator, eye)), notes=list(r.notes))
    if r.ground is not None:
        field = r.ground
        view.heights = ctx.results.result(f"ground {r.key}", lambda: {"heights": field.heights.astype("<f4").tobytes()}, keep)["heights"]
        view.samples, view.size = field.heights.shape[0], field.size
        view.water = r.layer.parameters.water_level if r.layer.parameters.water else None  # type: ignore[union-attr]
    elif r.path is not None:
        path = r.path
        names = ctx.results.result(f"path {r.key}", lambda: {"glb": mesh_glb(path.mesh, {"path": Material("path")}, r.layer.id)}, keep)
        view.mesh, view.length = names["glb"], path.length
    elif r.area is not None:
        view.area = polygon_area(r.area)
    elif r.scattered is not None:
        scattered = r.scattered
        view.count = scattered.placements.count
        view.placements = ctx.results.put(scattered.placements.to_bytes())
        counts = scattered.per_variant().tolist()
        view.variants = [_variant(ctx, v, n, keep) for v, n in zip(scattered.variants, counts, strict=True)]
    else:
        view.count = 0
    return view


def _evaluation_out(ctx: Context, evaluation: Evaluation, edits: int, eye: tuple[float, float, float], keep: bool) -> EvaluationOut:
    layers = [_layer_view(ctx, r, eye, keep) for r in evaluation.layers]
    total = Weight()
    for layer in layers:
        total += Weight(**layer.weight.model_dump())
    p = PROFILES[evaluation.document.settings.profile]
    target = WeightOut(triangles=p.triangles, triangles_near=0, instances=p.instances, draw_calls=p.draw_calls, bytes=p.bytes)
    return EvaluationOut(edits=edits, layers=layers, total=_weight(total), target=target)


Axis = Annotated[float, Query(ge=-10_000, le=10_000)]


@router.get("/scenes/{scene_id}/evaluation")
def evaluate(scene_id: str, db: Session, me: Me, ctx: Ctx, x: Axis = 0, y: Axis = 2, z: Axis = 0) -> EvaluationOut:
    """Every layer's result, with its weight seen from (x, y, z) in metres."""
    scene = scene_for(db, me, scene_id)
    document, edits = scenes.document_of(db, scene), scene.edits
    db.commit()  # no transaction is held while computing
    return _evaluation_out(ctx, ctx.evaluator.evaluate(document), edits, (x, y, z), keep=True)


@router.post("/scenes/{scene_id}/draft")
def draft(scene_id: str, body: Draft, db: Session, me: Me, ctx: Ctx) -> EvaluationOut:
    """The scene as it would be with a layer changed; nothing is kept. A newer draft of the same client ends this one with 409."""
    ctx.latest.enter(scene_id, body.client, body.serial)
    scene = scene_for(db, me, scene_id)
    document, edits = scenes.document_of(db, scene), scene.edits
    db.commit()
    changed = _with_draft(document, body)

    def check() -> None:
        ctx.latest.check(scene_id, body.client, body.serial)

    return _evaluation_out(ctx, ctx.evaluator.evaluate(changed, check), edits, body.eye, keep=False)


def _with_draft(document: SceneDocument, body: Draft) -> SceneDocument:
    layer = next((x for x in document.layers if x.id == body.layer), None)
    if layer is None:
        raise NotFound(f"there is no layer {body.layer!r} in this scene; it may have been removed")
    values = with_values(layer.parameters.model_dump(mode="json"), body.parameters)
    parameters = build(LAYER_KINDS[layer.kind].parameters, values, "parameters")
    return with_layer(document, layer.model_copy(update={"parameters": parameters}))


@router.post("/make", response_class=Response, responses=_GLB)
def make_asset(body: MakeAsset, db: Session, me: Me, ctx: Ctx) -> Response:
    """An asset's mesh at one level of detail as GLB; the scene's extras hold triangles, counts and sizes. Nothing is kept."""
    variant = draft_variant(body.kind, borrowed(db, me, body.scene, body.kind, body.parameters), body.seed, body.images)
    product = ctx.evaluator.level(variant, body.detail)
    extras = {
        "triangles": product.mesh.triangles, "vertices": product.mesh.vertices, "bytes": product.mesh.nbytes, "height": product.height,
        "canopy_radius": product.canopy_radius, "counts": product.counts, "until": [*switch_distances(product.height)],
        "ranges": product.ranges, "changed": product.changed,
        "slots": [slot for slot, material in product.materials.items() if material.maps is not None],
        "collider": {
            "capsules": [[*c.start, *c.end, c.radius] for c in product.collider.capsules],
            "pieces": [convex_mesh(piece).positions.tolist() for piece in product.collider.pieces],
            "faces": [convex_mesh(piece).indices.tolist() for piece in product.collider.pieces],
        },
    }  # fmt: skip
    return Response(
        mesh_glb(product.mesh, product.materials, body.kind, ctx.results.images(False), extras),
        media_type="model/gltf-binary",
        headers=_PLAIN,
    )


@router.get("/blobs/{name}", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}})
def blob(name: str, me: Me, ctx: Ctx, if_none_match: Annotated[str | None, Header(include_in_schema=False)] = None) -> Response:
    """Bytes by their hash: meshes (GLB), images (PNG) and buffers. They never change, so they may be kept for good."""
    headers = {"Cache-Control": "private, max-age=31536000, immutable", "ETag": f'"{name}"', **_PLAIN}
    if if_none_match == f'"{name}"':
        return Response(status_code=304, headers=headers)
    data = ctx.results.get(name)
    if data is None:
        raise NotFound("this result is no longer held; ask for the evaluation again")
    kind = "image/png" if data.startswith(b"\x89PNG") else "model/gltf-binary" if data.startswith(b"glTF") else "application/octet-stream"
    return Response(data, media_type=kind, headers=headers)


@router.get("/kinds")
def kinds(me: Me) -> KindsOut:
    """The kinds of asset and of layer, with every parameter's title, unit, limits, step, default and help."""
    assets = [KindOut(name=k.name, title=k.title, summary=k.summary, parameters=describe(k.parameters)) for k in all_kinds().values()]
    layers = [KindOut(name=k.name, title=k.title, summary=k.summary, parameters=describe(k.parameters)) for k in LAYER_KINDS.values()]
    return KindsOut(assets=assets, layers=layers)


@router.get("/profiles")
def profiles(me: Me) -> list[ProfileOut]:
    """The target profiles and what a frame may weigh on each."""
    return [ProfileOut(**{n: getattr(p, n) for n in ProfileOut.model_fields}) for p in PROFILES.values()]
