"""Teasel Fen: a drained fenland with a mere, a causeway and a walled pear orchard."""

from __future__ import annotations

from typing import Any

from plough.core.parameters import with_values
from plough.core.presets import preset
from plough.core.scene.document import SceneDocument, read_document

MERE_X, MERE_Z = 36.0, -48.0
WATER = -1.15

PEAR: dict[str, Any] = with_values(preset("old-orchard-standard").parameters, {"complexity": 0.55, "texture_size": "512"})
ALDER: dict[str, Any] = with_values(preset("multi-stem-carr").parameters, {"stems": 3, "spread": 12, "complexity": 0.5})
SALLOW: dict[str, Any] = {
    "height": 3.8, "stems": 7, "spread": 38, "girth": 2.4, "crookedness": 0.35, "straighten": 0.3, "flare": 0.1, "lobes": 0,
    "first": {"count": 14, "start": 0.14, "end": 0.98, "angle": 46, "tip_angle": 28, "length": 0.4, "thickness": 0.55, "crookedness": 0.35, "pull": 0.35,
              "profile": [[0, 0.8], [0.4, 1], [1, 0.3]]},
    "second": {"count": 6, "start": 0.15, "end": 0.97, "angle": 46, "tip_angle": 32, "length": 0.5, "thickness": 0.6, "pull": 0.2},
    "third": {"count": 0}, "leaf_count": 5.4, "leaf_size": 0.36, "leaf_tint": 0.6, "leaf_tilt": 40, "complexity": 0.7,
    "sprig_leaves": 15, "sprig_length": 0.3, "sprig_angle": 46,
    "leaf": {"length": 6, "width": 0.34, "outline": [[0, 0.25], [0.45, 1], [0.8, 0.6], [1, 0]], "teeth": 0.05, "blade_color": "#6f8752", "tip_color": "#8fa06a",
             "edge_color": "#65784c", "rib_color": "#a9b58a"},
    "bark": "smooth", "bark_light": "#8b8571", "bark_dark": "#4b463c", "bark_furrows": 0.5, "bark_tile": 0.4,
}  # fmt: skip

TEASEL: dict[str, Any] = with_values(preset("teasel").parameters, {"head_parts": 60, "heads": 5})

REED: dict[str, Any] = {
    "height": 1.9, "blades": 46, "variation": 0.4, "width": 2.2, "spread": 0.42, "lean": 11, "bend": 34, "heads": 0.26, "head_length": 0.15,
    "head_width": 8, "green": "#7d8b4c", "dead": "#c2ab72", "dead_share": 0.5, "head_color": "#6d5344",
}  # fmt: skip

GRASS: dict[str, Any] = {
    "height": 0.42, "blades": 44, "variation": 0.5, "width": 1.0, "spread": 0.3, "lean": 34, "bend": 60, "heads": 0.14, "head_length": 0.25,
    "head_width": 2.2, "green": "#7c9046", "dead": "#b8a868", "dead_share": 0.22, "head_color": "#a08c5c",
}  # fmt: skip


def teasel_fen() -> SceneDocument:
    """The demo scene's document."""
    orchard = [[-118, 12], [-46, 2], [-38, 70], [-110, 84]]
    causeway = [[-252, 40], [-180, 4], [-112, -12], [-44, -18], [-20, 24], [22, 44], [86, 34], [150, 58], [252, 50]]
    document = {
        "version": 1,
        "name": "Teasel Fen",
        "settings": {
            "sun": {"azimuth": 238, "elevation": 27},
            "wind": {"azimuth": 250, "speed": 4},
            "profile": "console",
            "viewpoints": [
                {"id": "causeway", "name": "Down the causeway", "eye": [-92, 3.1, -14], "target": [-40, 0.6, -22]},
                {"id": "orchard", "name": "Orchard corner", "eye": [-30, 2.9, 40], "target": [-70, 2.2, 42]},
                {"id": "above", "name": "From above", "eye": [-150, 92, 150], "target": [-8, -6, -2]},
            ],
        },
        "assets": [
            {"id": "pear", "name": "Pear, old standard", "kind": "tree", "parameters": PEAR, "seeds": [27, 41, 55], "tags": ["orchard"]},
            {"id": "alder", "name": "Alder, carr", "kind": "tree", "parameters": ALDER, "seeds": [3, 8, 21], "tags": ["carr", "wet"]},
            {"id": "sallow", "name": "Sallow", "kind": "tree", "parameters": SALLOW, "seeds": [5, 12], "tags": ["carr", "wet"]},
            {"id": "reed", "name": "Reed", "kind": "tuft", "parameters": REED, "seeds": [1, 2, 3], "tags": ["wet"]},
            {"id": "grass", "name": "Tussock grass", "kind": "tuft", "parameters": GRASS, "seeds": [1, 2], "tags": ["verge"]},
            {"id": "teasel", "name": "Teasel", "kind": "plant", "parameters": TEASEL, "seeds": [5, 9], "tags": ["verge"]},
            {"id": "hedge", "name": "Orchard hedge", "kind": "shrub", "parameters": preset("clipped-hedge").parameters, "seeds": [2], "tags": ["orchard"]},
            {"id": "pear-leaf", "name": "Pear leaf", "kind": "leaf", "parameters": preset("pear-leaf").parameters, "seeds": [1], "tags": ["orchard"]},
        ],
        "layers": [
            {
                "id": "ground", "kind": "ground", "name": "Ground",
                "parameters": {
                    "size": 512, "resolution": 2, "seed": 14, "relief": 6.5, "feature": 150, "roughness": 0.36,
                    "basin": True, "basin_radius": 88, "basin_depth": 2.3, "basin_x": MERE_X, "basin_z": MERE_Z,
                    "water": True, "water_level": WATER,
                },
            },
            {"id": "causeway", "kind": "path", "name": "Causeway", "parameters": {"points": causeway, "width": 4.2, "surface": "earth"}},
            {"id": "orchard", "kind": "area", "name": "Walled orchard", "parameters": {"corners": orchard}},
            {
                "id": "pears", "kind": "scatter", "name": "Orchard pears",
                "parameters": {
                    "seed": 27, "mix": [{"asset": "pear", "weight": 1}], "areas": ["orchard"], "spacing": 6.5, "fill": 86, "apart": 0,
                    "paths": ["causeway"], "clearance": 5, "size": [85, 115], "sink": [3, 8], "slope": [0, 18],
                },
            },
            {
                "id": "carr", "kind": "scatter", "name": "Alder carr",
                "parameters": {
                    "seed": 6, "mix": [{"asset": "alder", "weight": 3}, {"asset": "sallow", "weight": 2}], "spacing": 7, "fill": 58, "apart": 6,
                    "height": [-1.0, 0.2], "paths": ["causeway"], "clearance": 8, "size": [75, 120], "sink": [4, 12],
                },
            },
            {
                "id": "reeds", "kind": "scatter", "name": "Reed beds",
                "parameters": {
                    "seed": 4, "mix": [{"asset": "reed", "weight": 1}], "spacing": 0.95, "fill": 62, "apart": 1.5,
                    "height": [-1.62, -1.08], "paths": ["causeway"], "clearance": 3.5, "size": [75, 125], "sink": [0, 10],
                },
            },
            {
                "id": "tussocks", "kind": "scatter", "name": "Tussocks",
                "parameters": {
                    "seed": 9, "mix": [{"asset": "grass", "weight": 1}], "spacing": 1.7, "fill": 46, "apart": 0.6,
                    "height": [-1.0, 5000], "paths": ["causeway"], "clearance": 2.6, "size": [70, 170], "sink": [0, 3], "lean": 60,
                },
            },
            {
                "id": "teasels", "kind": "scatter", "name": "Teasels",
                "parameters": {
                    "seed": 12, "mix": [{"asset": "teasel", "weight": 1}], "spacing": 2.6, "fill": 7, "apart": 0.8,
                    "height": [-0.9, 5000], "paths": ["causeway"], "clearance": 2.8, "size": [70, 115], "sink": [0, 3],
                },
            },
            {"id": "bake", "kind": "bake", "name": "Bake", "parameters": {}},
        ],
    }  # fmt: skip
    return read_document(document)
