"""Every kernel compiled once, so that the first click does not wait."""

from __future__ import annotations

import numpy as np

from plough.core.bake.bundle import Baker
from plough.core.demo import demo_file, mesh_parameters, teasel_fen
from plough.core.ground.conditions import GROUND_ONLY, MEASURES
from plough.core.ground.cover import METRES, cover_material
from plough.core.ground.splat import splat_squares
from plough.core.ground.strokes import BRUSHES
from plough.core.kinds import get_kind, make
from plough.core.library import Library, resolve, variant_of
from plough.core.mesh.fuse import FuseRule, fused
from plough.core.mesh.lightmap import with_light
from plough.core.scene import Evaluator, SceneDocument, read_document
from plough.core.scene.mend import mend, remedy
from plough.core.scene.trouble import trouble
from plough.core.scene.weight import weigh


def compile_all() -> None:
    """Run what has kernels, for the demo's scene and for one that all has been done to."""
    evaluator = Evaluator(Library(load=demo_file))
    library, document = evaluator.library, teasel_fen()
    evaluation = evaluator.evaluate(document)
    weigh(evaluation, library, (0.0, 2.0, 0.0))
    assets = {a.id: a for a in document.assets}
    kinds = {a.kind: a for a in document.assets}  # one of each
    for asset in kinds.values():
        parameters = resolve(asset, assets, asset.id).parameters
        variant = variant_of(asset.id, asset.name, asset.kind, parameters, asset.seeds[0], {})
        library.levels(variant)
        library.picture(variant, (96, 96))
        if get_kind(asset.kind).impostor:
            library.dome(variant)
    for name in METRES:
        recipe = cover_material(name).maps
        assert recipe is not None
        recipe.draw()
    _ = Baker(evaluation, library).network
    trouble(evaluation, library)
    worked = evaluator.evaluate(worked_ground())
    splat_squares(worked.ground.cover, worked.surface, library.cache)
    wrong = [f.id for f in trouble(worked, library).findings if remedy(worked.document, f)]
    mend(evaluator, worked.document, wrong)
    make("building", {"body": "court", "long": 15}, 1)
    rock = make("rock", {}, 1, 2).mesh
    corners = rock.positions.astype(np.float64)[rock.indices]
    sheet = {"sheet": {"size": "512", "triangles": 100, "rays": 1}}
    sheeted = variant_of("a", "A", "rock", {"triangles": 200, "game": sheet}, 1, {})
    with_light(library.written(sheeted, 0).mesh, 8.0)
    fused(corners, FuseRule(0.05 * float(np.ptp(corners)), 0.01, True, 1, 40.0, 0.5, 200))


def worked_ground() -> SceneDocument:
    """Ground that all has been done to which the demo's has not: every brush, weather, beds, each measure of ground; and stones in each other, in the air and in the path."""
    line = [[-20, 0], [20, 10]]
    where = [{"id": of, "of": of, "between": MEASURES[of].soft} for of in GROUND_ONLY]
    half = len(where) // 2
    ground = {
        "size": 64,
        "rain": 0.1,
        "slides": 2,
        "water": True,
        "strokes": [{"id": b, "brush": b, "radius": 9, "points": line} for b in BRUSHES],
        "painted": [{"id": "p", "paint": "sand", "radius": 9, "points": line}],
        "classes": [
            {"key": "grass", "name": "Grass"},
            {"key": "a", "name": "A", "conditions": where[:half]},
            {"key": "b", "name": "B", "conditions": where[half:]},
        ],
    }
    path = {"points": line, "shapes": "bed", "flows": "balanced"}
    area = {"corners": [[0, 0], [9, 0], [9, 9]]}
    places = [([20, 20], 0), ([20.2, 20], 0), ([-20, -20], 3), ([-20, -20], 0), ([10, 5], 0)]
    stones = [
        {"id": f"s{k}", "asset": "stone", "seed": 1, "at": at, "lift": lift}
        for k, (at, lift) in enumerate(places)
    ]
    by_hand = {"mix": [{"asset": "stone"}], "placed": stones}
    wall = {
        "points": [[-20, 25], [0, 22], [20, 26]],
        "bond": "rubble",
        "ruin": 30,
        "lying": 60,
        "openings": [{"id": "o", "at": [6, 23], "head": "arch"}],
    }
    kinds = {
        "ground": ground,
        "path": path,
        "area": area,
        "by_hand": by_hand,
        "wall": wall,
        "bake": {},
    }
    layers = [{"id": k, "kind": k, "name": k, "parameters": p} for k, p in kinds.items()]
    stone = {"id": "stone", "name": "Stone", "kind": "mesh"}
    assets = [{**stone, "parameters": mesh_parameters("drift-stone")}]
    whole = {"version": 1, "name": "Worked ground", "assets": assets, "layers": layers}
    return read_document(whole)
