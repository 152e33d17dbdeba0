"""The manifest of a bake: what each file is, what stands in the scene, what it weighs and where that came from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

import plough
from plough.core.arrays import Float64
from plough.core.bake.instances import Counts
from plough.core.bake.lattice import Square
from plough.core.bake.pieces import Stored
from plough.core.bake.shop import Made
from plough.core.bake.tiled import Tiles, bounds_of, layer_facts
from plough.core.ground.mesh import Network
from plough.core.library.library import Library, switch_distances
from plough.core.library.variants import Variant
from plough.core.scene.document import files_of
from plough.core.scene.evaluation import Evaluation
from plough.core.scene.weight import profile_of
from plough.core.tiles import SIZE, tile_of


def manifest_of(
    evaluation: Evaluation,
    library: Library,
    variants: Mapping[str, Variant],
    made: Mapping[str, Made],
    files: Mapping[str, Stored],
    counts: Counts,
    ground: Mapping[str, Any],
    tiles: Mapping[str, Any] | None,
    notes: Mapping[str, dict[str, str]],
) -> dict[str, Any]:
    """What is told of a bake.

    Args:
        variants, made: by label.
        ground: how true the ground is.
        notes: on assets, by their ids.
    """
    document = evaluation.document
    layers = [
        {
            "id": r.layer.id,
            "name": r.layer.name,
            "kind": r.layer.kind,
            "key": r.key,
            "placements": r.output.placements.count if r.output.placements else 0,
            "findings": [f.text for f in r.output.findings],
            **layer_facts(r.layer),
        }
        for r in evaluation.layers
    ]
    return {
        "plough": plough.__version__,
        "scene": document.name,
        "document_version": document.version,
        "units": "metres, right-handed, Y up",
        "profile": asdict(profile_of(document.settings)),
        "counts": asdict(counts),
        "weight": _weight(evaluation, made),
        "ground": ground,
        "viewpoints": [
            v.model_dump(mode="json", include={"name", "eye", "target"})
            for v in document.settings.viewpoints
        ],
        "layers": layers,
        "assets": [
            _asset_facts(v, made[label], notes.get(v.asset, {}), library.levels_of(v))
            for label, v in variants.items()
        ],
        "origins": _origins(evaluation, variants),
        **({"tiles": tiles} if tiles is not None else {}),
        "files": [
            {"path": path, "is": _what(path), "bytes": file.bytes, "blake2b": file.hash}
            for path, file in files.items()
        ],
    }


def tile_facts(tiles: Tiles, counts: Mapping[Square, Mapping[str, int]]) -> dict[str, Any]:
    """The squares: where they lie, and what each holds."""
    return {
        "side": tiles.lattice.across(tiles.lattice.depth),
        "levels": tiles.lattice.depth + 1 if tiles.nested else 1,
        "list": [
            {
                "path": tiles.path(square),
                "level": square[0],
                "bounds": [round(v, 3) for v in bounds_of(tiles.lattice, square)],
                "instances": counts[square]["instances"],
                "triangles": counts[square]["triangles"],
            }
            for square in tiles.squares
        ],
    }


def ground_facts(evaluation: Evaluation, network: Network | None) -> dict[str, float]:
    """How well the written ground follows the one evaluated, measured at every placement and at a grid of other places."""
    if network is None:
        return {"error_under_placements": 0.0, "error": 0.0}
    x0, z0, x1, z1 = evaluation.surface.bounds
    x, z = np.meshgrid(np.linspace(x0, x1, 701), np.linspace(z0, z1, 701))
    elsewhere = _miss(network, evaluation, x.ravel(), z.ravel())
    placed = [r.output.placements for r in evaluation.layers if r.output.placements]
    under = 0.0
    for tile in (t for p in placed for t in p.tiles):
        at = tile.placements.position.astype(np.float64)
        under = max(under, _miss(network, evaluation, at[:, 0], at[:, 2]))
    return {"error_under_placements": round(under, 4), "error": round(elsewhere, 4)}


def _origins(evaluation: Evaluation, variants: Mapping[str, Variant]) -> list[dict[str, Any]]:
    """From which asset library what is written came, and on what terms."""
    document = evaluation.document
    placed = {v.asset for v in variants.values()}
    used = files_of([[a.parameters, a.images] for a in document.assets if a.id in placed])
    used |= files_of([layer.parameters for layer in document.layers])
    return [o.model_dump() for o in document.origins if o.file in used]


def _weight(evaluation: Evaluation, made: Mapping[str, Made]) -> dict[str, Any]:
    """What the scene weighs from close by, layer by layer, and over the ground."""
    layers: dict[str, Any] = {}
    squares: dict[tuple[int, int], list[int]] = {}
    for result in evaluation.layers:
        placed = result.output.placements
        own = [0, 0]
        for solid in result.output.solids:
            low, high = solid.mesh.bounds()
            middle = 0.5 * (low + high).astype(np.float64)
            tile = tile_of(middle[[0]], middle[[2]])[0]
            _add(squares, (int(tile[0]), int(tile[1])), own, 0, solid.mesh.triangles)
        if placed is not None:
            each = np.array(
                [made[v.label].triangles[0] if v.label in made else 0 for v in placed.variants]
                or [0]
            )
            for t in placed.tiles:
                triangles = int(each[t.placements.variant].sum())
                _add(squares, (t.x, t.z), own, t.placements.count, triangles)
        if any(own):
            layers[result.layer.id] = {"instances": own[0], "triangles": own[1]}
    rows = [[x, z, *squares[x, z]] for x, z in sorted(squares)]
    return {"layers": layers, "side": SIZE, "tiles": rows}


def _asset_facts(v: Variant, made: Made, notes: Mapping[str, str], levels: int) -> dict[str, Any]:
    height, canopy = made.piece.says["size"]
    return {
        "asset": v.asset,
        "name": v.name,
        "kind": v.kind,
        "seed": v.seed,
        **({"mirrored": True} if v.mirror_of else {}),
        "key": v.key,
        **({"notes": notes} if notes else {}),
        "height": round(height, 3),
        "canopy_radius": round(canopy, 3),
        **made.piece.says["measured"],
        "triangles": made.triangles,
        "switch_distances": [round(d, 2) for d in switch_distances((height, canopy), levels)],
    }


def _add(
    squares: dict[tuple[int, int], list[int]],
    tile: tuple[int, int],
    own: list[int],
    instances: int,
    triangles: int,
) -> None:
    """Add to what a layer weighs, and to the tile that it lies in."""
    for total in (own, squares.setdefault(tile, [0, 0])):
        total[0] += instances
        total[1] += triangles


_WHAT = {
    "levels": "one level of one variant",
    "marks": "what is worn, bent and high on a sheet of maps",
    "images": "an image that other files draw from",
    "domes": "a variant as a card that faces the eye",
    "splat": "ground classes",
    "ground": "the ground as a height field",
    "usd": "a part of the OpenUSD stage",
    "obj": "a level as Wavefront OBJ",
    "shapes": "meshes that tiles draw from",
    "tiles": "a tile of the scene",
    "subtrees": "which tiles there are",
    "scene.glb": "the scene",
    "tileset.json": "the tileset",
    "placements": "the table of placements",
}


def _what(path: str) -> str:
    """What a file of a bake is, in words."""
    return _WHAT[
        path.split("/", maxsplit=1)[0]
        if "/" in path or path in _WHAT
        else path.split(".", maxsplit=1)[0]
    ]


def _miss(network: Network, evaluation: Evaluation, x: Float64, z: Float64) -> float:
    """The greatest vertical distance in metres between the written ground and the one evaluated, at (x, z)."""
    there = evaluation.surface.sample(x, z)
    miss = np.abs(network.height(x, z) - there.position[:, 1])[there.hit]
    return float(miss.max()) if miss.size else 0.0
