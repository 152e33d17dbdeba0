"""Starting points: recipes that differ in kind."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from plough.core.errors import ParameterError


@dataclass(frozen=True, slots=True)
class Preset:
    """A recipe to begin with."""

    name: str
    title: str
    kind: str
    seed: int
    parameters: dict[str, Any] = field(repr=False)


_PEAR_LEAF: dict[str, Any] = {
    "length": 7,
    "width": 0.6,
    "stalk": 0.2,
    "outline": [[0, 0.2], [0.4, 1], [0.8, 0.62], [1, 0]],
    "teeth": 0.15,
    "teeth_count": 22,
}
_LINEAR_LEAF: dict[str, Any] = {
    "width": 0.2,
    "outline": [[0, 0.3], [0.3, 1], [0.75, 0.6], [1, 0]],
    "teeth": 0.1,
    "stalk": 0.06,
    "fold": 14,
    "bend": 40,
}
_NEEDLE: dict[str, Any] = {
    "width": 0.09, "outline": [[0, 0.7], [0.2, 1], [0.85, 0.8], [1, 0]], "teeth": 0, "stalk": 0.0, "veins": 0.3, "vein_count": 0, "fold": 0, "bend": 12,
    "curl": 0, "divisions": 1, "texture_size": "128", "translucency": 0.15,
}  # fmt: skip

_OLD_ORCHARD: dict[str, Any] = {
    "height": 6.2, "stem_length": 0.5, "girth": 5.6, "lean": 4, "crookedness": 0.24, "twist": 90, "straighten": 0.3, "taper": 0.3, "pipe": 2.3,
    "first": {"count": 13, "start": 0.5, "end": 1.0, "angle": 66, "tip_angle": 22, "length": 0.56, "profile": [[0, 0.8], [0.5, 1], [1, 0.95]],
              "thickness": 0.6, "crookedness": 0.46, "twist": 120, "lift": 0.22, "pull": 0.2, "droop": 0.2, "variation": 0.18, "stubs": 8},
    "second": {"count": 10, "start": 0.22, "end": 0.98, "angle": 62, "tip_angle": 40, "flat": 0.3, "length": 0.44, "profile": [[0, 0.9], [1, 0.55]],
               "thickness": 0.6, "crookedness": 0.5, "pull": 0.12, "droop": 0.3, "dead": 4},
    "third": {"count": 4, "start": 0.12, "end": 0.97, "angle": 56, "tip_angle": 40, "length": 0.42, "thickness": 0.62, "crookedness": 0.4, "pull": 0.15},
    "leaf_count": 4.8, "leaf_size": 0.42, "leaf_droop": 0.2, "sprig_leaves": 40, "sprig_twigs": 5, "sprig_length": 0.2, "sprig_angle": 58, "clear": 0.2,
    "leaf": {**_PEAR_LEAF, "blade_color": "#5b7a35", "tip_color": "#7f9a48", "edge_color": "#55722f", "rib_color": "#9fae66"},
    "bark": "plated", "bark_light": "#8a8073", "bark_dark": "#322c27", "bark_scale": 9, "bark_lichen": 0.5, "bark_tile": 0.5, "bark_furrows": 0.9,
    "flare": 0.7, "flare_height": 0.07, "lobes": 5, "lobe_depth": 0.14, "roots": 6, "root_length": 0.2, "root_thickness": 0.55, "moss": 0.35, "moss_height": 1.6, "moss_side": 340,
}  # fmt: skip

_CONIFER: dict[str, Any] = {
    "height": 16, "girth": 2.5, "lean": 1, "crookedness": 0.04, "straighten": 0.6, "taper": 0.2, "pipe": 2.6,
    "first": {"count": 86, "start": 0.05, "end": 0.985, "angle": 98, "tip_angle": 48, "length": 0.29, "profile": [[0, 0.88], [0.12, 1], [0.6, 0.5], [1, 0.04]],
              "thickness": 0.34, "crookedness": 0.1, "pull": 0.26, "droop": 0.28, "variation": 0.16},
    "second": {"count": 13, "start": 0.12, "end": 0.98, "angle": 62, "tip_angle": 46, "flat": 0.8, "arrangement": "alternate", "length": 0.36,
               "profile": [[0, 0.7], [0.3, 1], [1, 0.25]], "thickness": 0.5, "crookedness": 0.12, "pull": -0.05, "droop": 0.7},
    "third": {"count": 0}, "thinnest": 4,
    "leaf_orders": 2, "leaf_count": 5.2, "leaf_size": 0.78, "leaf_aspect": 0.72, "leaf_tilt": 34, "leaf_droop": 0.22, "leaf_light": 0.85, "leaf_bare": 0.05,
    "leaf_normals": 0.6, "leaf_fold": 0.35, "leaf_inside": 0.9, "leaf_top": 0.12, "leaf_tint": 0.35, "sprig_leaves": 200, "sprig_twigs": 8, "sprig_length": 0.14,
    "sprig_angle": 46, "sprig_rise": 0.8,
    "leaf": {**_NEEDLE, "blade_color": "#3d5a3c", "tip_color": "#5d7c4c", "edge_color": "#47654a", "rib_color": "#6d8762"},
    "bark": "plated", "bark_light": "#7d6a5a", "bark_dark": "#33271f", "bark_scale": 8, "bark_tile": 0.4, "bark_furrows": 0.6, "bark_lichen": 0.2,
    "flare": 0.55, "flare_height": 0.03, "lobes": 6, "lobe_depth": 0.1, "roots": 6, "root_length": 0.07,
}  # fmt: skip

_WEEPING: dict[str, Any] = {
    "height": 10, "stem_length": 0.58, "girth": 5.2, "lean": 3, "crookedness": 0.18, "straighten": 0.1, "taper": 0.35, "pipe": 2.4, "twist": 60,
    "first": {"count": 15, "start": 0.5, "end": 1.0, "angle": 50, "tip_angle": 14, "length": 0.5, "profile": [[0, 0.8], [0.5, 1], [1, 0.9]],
              "thickness": 0.62, "crookedness": 0.34, "pull": 0.1, "droop": 0.75, "lift": 0.2},
    "second": {"count": 15, "start": 0.22, "end": 0.99, "angle": 48, "tip_angle": 34, "length": 0.56, "profile": [[0, 0.8], [0.5, 1], [1, 0.9]],
               "thickness": 0.42, "crookedness": 0.2, "pull": -0.35, "droop": 1.5},
    "third": {"count": 5, "start": 0.1, "end": 0.95, "angle": 34, "tip_angle": 24, "length": 0.75, "profile": [[0, 0.9], [1, 0.6]], "thickness": 0.4,
              "crookedness": 0.1, "pull": -1.3, "droop": 2.2},
    "thinnest": 3, "leaf_orders": 2, "leaf_count": 4.2, "leaf_size": 0.46, "leaf_aspect": 0.62, "leaf_tilt": 24, "leaf_droop": 1.3, "leaf_light": 0.35, "leaf_bare": 0.05,
    "leaf_normals": 0.6, "leaf_fold": 0.35, "sprig_leaves": 26, "sprig_twigs": 3, "sprig_length": 0.3, "sprig_angle": 34, "sprig_rise": 0.6, "clear": 0.12,
    "leaf": {**_LINEAR_LEAF, "width": 0.15, "blade_color": "#7b9447", "tip_color": "#a3b45f", "edge_color": "#6f8a45", "rib_color": "#c0c883"},
    "bark": "furrowed", "bark_light": "#8c8372", "bark_dark": "#38322b", "bark_scale": 7, "bark_tile": 0.8, "flare": 0.7, "flare_height": 0.06, "roots": 6,
    "root_length": 0.13, "moss": 0.25,
}  # fmt: skip

_CARR: dict[str, Any] = {
    "height": 12, "stems": 5, "spread": 15, "girth": 2.2, "lean": 4, "crookedness": 0.22, "straighten": 0.3, "taper": 0.4,
    "first": {"count": 20, "start": 0.24, "end": 0.98, "angle": 70, "tip_angle": 36, "length": 0.27, "profile": [[0, 0.7], [0.25, 1], [0.65, 0.72], [1, 0.18]],
              "thickness": 0.48, "crookedness": 0.3, "pull": 0.18, "dead": 8, "stubs": 5},
    "second": {"count": 8, "start": 0.16, "end": 0.98, "angle": 56, "tip_angle": 38, "flat": 0.35, "length": 0.48, "thickness": 0.58, "crookedness": 0.32, "droop": 0.2},
    "third": {"count": 0},
    "leaf_count": 3.6, "leaf_size": 0.6, "leaf_tint": 0.5, "leaf_droop": 0.2, "sprig_leaves": 26, "sprig_twigs": 4, "sprig_length": 0.21, "sprig_angle": 64,
    "leaf": {"length": 8, "width": 0.86, "stalk": 0.16, "outline": [[0, 0.35], [0.55, 1], [0.85, 0.85], [1, 0.45]], "teeth": 0.5, "teeth_count": 14,
             "blade_color": "#4a6c33", "tip_color": "#6c8a40", "edge_color": "#43632f", "rib_color": "#8ea25c", "veins": 0.6},
    "bark": "furrowed", "bark_light": "#746b60", "bark_dark": "#2b2724", "bark_scale": 8, "bark_lichen": 0.35, "bark_tile": 0.5, "flare": 0.5, "flare_height": 0.03,
    "moss": 0.5, "moss_height": 2.6, "moss_side": 330,
}  # fmt: skip

_WIND_BENT: dict[str, Any] = {
    "height": 4.6, "stem_length": 0.8, "girth": 5.6, "taper": 0.4, "crookedness": 0.3, "pipe": 2.3, "twist": 90,
    "guide": [[0.038, 0.127, 0.0], [0.152, 0.267, 0.019], [0.356, 0.368, 0.0], [0.603, 0.419, -0.025]],
    "first": {"count": 26, "start": 0.3, "end": 0.99, "angle": 52, "tip_angle": 26, "length": 0.42, "profile": [[0, 0.7], [0.4, 1], [1, 0.55]], "thickness": 0.56,
              "crookedness": 0.55, "lift": 0.5, "pull": 0.0, "variation": 0.35, "dead": 12, "stubs": 6},
    "second": {"count": 9, "start": 0.2, "end": 0.98, "angle": 52, "tip_angle": 34, "flat": 0.5, "length": 0.48, "thickness": 0.6, "crookedness": 0.5, "pull": 0.0},
    "third": {"count": 3, "start": 0.2, "end": 0.97, "angle": 48, "tip_angle": 36, "flat": 0.3, "length": 0.5, "crookedness": 0.4},
    "leaf_count": 7, "leaf_size": 0.2, "leaf_light": 0.8, "leaf_tilt": 46, "leaf_upward": 0.2, "sprig_leaves": 30, "sprig_twigs": 4, "sprig_length": 0.2,
    "leaf": {"length": 4, "width": 0.7, "lobes": 0.55, "lobe_count": 2, "teeth": 0.3, "teeth_count": 9, "outline": [[0, 0.35], [0.45, 1], [0.8, 0.7], [1, 0.1]],
             "blade_color": "#4f6b34", "tip_color": "#6f8844", "edge_color": "#48632f"},
    "bark": "plated", "bark_light": "#8b857a", "bark_dark": "#3a352f", "bark_scale": 10, "bark_tile": 0.35, "bark_lichen": 0.7, "flare": 0.8, "roots": 6,
    "root_length": 0.24, "moss": 0.3, "moss_height": 1.0,
}  # fmt: skip

_SNAG: dict[str, Any] = {
    "height": 8.5, "stem_length": 0.72, "girth": 6.4, "lean": 6, "crookedness": 0.24, "twist": 160, "straighten": 0.0, "taper": 0.75, "pipe": 2.6,
    "first": {"count": 17, "start": 0.28, "end": 0.98, "angle": 66, "tip_angle": 34, "length": 0.38, "profile": [[0, 0.9], [0.5, 1], [1, 0.6]], "thickness": 0.52,
              "crookedness": 0.6, "twist": 120, "pull": 0.12, "variation": 0.5, "stubs": 52},
    "second": {"count": 7, "start": 0.3, "end": 0.98, "angle": 62, "tip_angle": 42, "flat": 0.2, "length": 0.4, "thickness": 0.55, "crookedness": 0.6, "stubs": 35},
    "third": {"count": 3, "start": 0.3, "angle": 55, "length": 0.45, "crookedness": 0.5, "stubs": 30}, "thinnest": 6,
    "leaves": False, "bark": "furrowed", "bark_light": "#a39a8b", "bark_dark": "#4a4238", "bark_scale": 6, "bark_tile": 0.7, "bark_furrows": 1.0, "bark_lichen": 0.25,
    "flare": 1.0, "flare_height": 0.06, "lobes": 6, "lobe_depth": 0.22, "roots": 7, "root_length": 0.2, "moss": 0.45, "moss_height": 2.2, "moss_side": 350,
}  # fmt: skip

_PALM: dict[str, Any] = {
    "height": 7.5, "girth": 3.6, "lean": 9, "crookedness": 0.1, "straighten": 0.5, "taper": 0.05, "pipe": 3.0, "first": {"count": 0}, "second": {"count": 0}, "third": {"count": 0},
    "leaf_form": "shaped", "leaf_count": 5.6, "leaf_bare": 0.965, "leaf_size": 2.4, "leaf_variation": 0.16, "leaf_tilt": 62, "leaf_droop": -0.05, "leaf_light": 0.95,
    "leaf_normals": 0.15, "leaf_upward": 0.1, "leaf_inside": 0.55, "leaf_tint": 0.3, "leaf_top": 0.0,
    "leaf": {"form": "frond", "length": 250, "leaflets": 61, "leaflet_size": 0.3, "leaflet_profile": [[0, 0.35], [0.2, 0.95], [0.6, 1], [1, 0.3]], "leaflet_angle": 66,
             "width": 0.11, "outline": [[0, 0.5], [0.2, 1], [0.7, 0.7], [1, 0]], "stalk": 0.16, "bend": 82, "curl": 30, "fold": 24, "teeth": 0, "veins": 0.35, "vein_count": 0,
             "divisions": 3, "blade_color": "#5c7a35", "tip_color": "#7f9447", "edge_color": "#68823c", "rib_color": "#a3a763", "stalk_color": "#8b8a4d"},
    "bark": "smooth", "bark_light": "#9b8d77", "bark_dark": "#4a3d30", "bark_scale": 12, "bark_tile": 0.45, "bark_furrows": 0.9, "bark_lichen": 0.1,
    "flare": 0.45, "flare_height": 0.04, "lobes": 0,
}  # fmt: skip

_COLUMN: dict[str, Any] = {
    "height": 15, "girth": 2.8, "lean": 1, "crookedness": 0.06, "straighten": 0.5, "taper": 0.3,
    "first": {"count": 62, "start": 0.08, "end": 0.98, "angle": 36, "tip_angle": 16, "length": 0.26, "profile": [[0, 0.6], [0.2, 1], [0.7, 0.7], [1, 0.2]], "thickness": 0.42,
              "crookedness": 0.18, "pull": 0.62},
    "second": {"count": 8, "start": 0.15, "end": 0.97, "angle": 34, "tip_angle": 24, "length": 0.42, "thickness": 0.55, "crookedness": 0.2, "pull": 0.4},
    "third": {"count": 0}, "leaf_count": 3.6, "leaf_size": 0.5, "leaf_tilt": 44, "sprig_leaves": 26, "sprig_length": 0.21, "leaf_normals": 0.65,
    "leaf": {"length": 7, "width": 0.95, "stalk": 0.32, "outline": [[0, 0.6], [0.22, 1], [0.6, 0.6], [1, 0]], "teeth": 0.2, "blade_color": "#54743a", "tip_color": "#7b9549",
             "edge_color": "#4d6c35"},
    "bark": "furrowed", "bark_light": "#8f8676", "bark_dark": "#413931", "bark_scale": 8, "flare": 0.6, "flare_height": 0.03, "roots": 5, "root_length": 0.07,
}  # fmt: skip

_BIRCH: dict[str, Any] = {
    "height": 11.5, "girth": 2.1, "lean": 4, "crookedness": 0.16, "straighten": 0.35, "taper": 0.3, "pipe": 2.5,
    "first": {"count": 32, "start": 0.26, "end": 0.98, "angle": 46, "tip_angle": 24, "length": 0.3, "profile": [[0, 0.75], [0.25, 1], [0.7, 0.65], [1, 0.15]], "thickness": 0.4,
              "crookedness": 0.22, "pull": 0.12, "droop": 0.3},
    "second": {"count": 10, "start": 0.2, "end": 0.98, "angle": 46, "tip_angle": 32, "length": 0.46, "thickness": 0.45, "crookedness": 0.2, "pull": -0.25, "droop": 0.9},
    "third": {"count": 2, "start": 0.2, "angle": 40, "length": 0.6, "crookedness": 0.15, "pull": -0.8, "droop": 1.2},
    "thinnest": 3, "leaf_count": 4.6, "leaf_size": 0.48, "leaf_aspect": 0.8, "leaf_droop": 0.8, "leaf_light": 0.4, "leaf_tilt": 36, "sprig_leaves": 24, "sprig_twigs": 3, "sprig_length": 0.2,
    "sprig_angle": 54, "leaf_inside": 0.6,
    "leaf": {"length": 5, "width": 0.8, "stalk": 0.26, "outline": [[0, 0.4], [0.25, 1], [0.6, 0.62], [1, 0]], "teeth": 0.5, "teeth_count": 11, "blade_color": "#6d8b3b",
             "tip_color": "#93a850", "edge_color": "#65833a"},
    "bark": "peeling", "bark_light": "#e4ddd0", "bark_dark": "#453c36", "bark_scale": 6, "bark_tile": 0.55, "bark_furrows": 0.5, "bark_lichen": 0.1, "flare": 0.45,
    "flare_height": 0.035, "lobes": 4, "lobe_depth": 0.08, "moss": 0.15, "moss_height": 0.8,
}  # fmt: skip

_FIELD: dict[str, Any] = {
    "height": 12, "stem_length": 0.5, "girth": 7, "lean": 2, "crookedness": 0.16, "taper": 0.3, "straighten": 0.2, "growth": "mixed", "pipe": 2.3,
    "first": {"count": 7, "start": 0.5, "end": 0.98, "angle": 64, "tip_angle": 24, "length": 0.36, "profile": [[0, 1], [1, 0.8]], "thickness": 0.7, "crookedness": 0.5,
              "lift": 0.15, "pull": 0.15, "droop": 0.1},
    "crown_profile": [[0, 0.55], [0.3, 1], [0.7, 0.86], [1, 0.25]], "crown_low": 0.24, "crown_width": 1.15, "crown_points": 2000, "crown_shell": 0.35, "crown_step": 2.0,
    "crown_reach": 60, "crown_stop": 3.4, "crown_wander": 0.2, "crown_up": 0.04, "thinnest": 6,
    "leaf_count": 3.0, "leaf_size": 0.85, "leaf_bare": 0.1, "sprig_leaves": 44, "sprig_twigs": 5, "sprig_length": 0.19, "sprig_angle": 58, "leaf_outward": 0.25,
    "leaf": {"length": 10, "width": 0.6, "lobes": 0.6, "lobe_count": 4, "teeth": 0, "stalk": 0.05, "outline": [[0, 0.25], [0.6, 1], [0.88, 0.75], [1, 0.2]],
             "blade_color": "#56713a", "tip_color": "#7c8f48", "edge_color": "#4d6833"},
    "bark": "furrowed", "bark_light": "#857b6d", "bark_dark": "#332c26", "bark_scale": 6, "bark_tile": 0.9, "flare": 0.9, "flare_height": 0.05, "lobes": 6, "lobe_depth": 0.18,
    "roots": 8, "root_length": 0.14, "moss": 0.3, "moss_height": 3,
}  # fmt: skip

_AUTUMN: dict[str, Any] = {
    "height": 8, "stem_length": 0.7, "girth": 3.8, "lean": 2, "crookedness": 0.16, "taper": 0.35,
    "first": {"count": 16, "start": 0.4, "end": 0.98, "angle": 58, "tip_angle": 24, "length": 0.42, "profile": [[0, 0.8], [0.4, 1], [1, 0.7]], "thickness": 0.6, "crookedness": 0.36,
              "pull": 0.3, "arrangement": "opposite"},
    "second": {"count": 9, "start": 0.2, "angle": 52, "tip_angle": 34, "length": 0.46, "thickness": 0.6, "crookedness": 0.34, "arrangement": "opposite", "pull": 0.15},
    "third": {"count": 4, "start": 0.2, "angle": 48, "length": 0.46, "arrangement": "opposite"},
    "leaf_count": 4.4, "leaf_size": 0.4, "leaf_tint": 0.8, "leaf_droop": 0.35, "sprig_leaves": 18, "sprig_twigs": 3, "sprig_length": 0.3, "sprig_angle": 66,
    "leaf": {"length": 9, "width": 1.05, "lobes": 0.75, "lobe_count": 2, "teeth": 0.2, "teeth_count": 8, "stalk": 0.3, "outline": [[0, 0.5], [0.35, 1], [0.7, 0.8], [1, 0]],
             "blade_color": "#8f8a35", "tip_color": "#b39a3a", "edge_color": "#a07a2f", "rib_color": "#d0b05a", "season": 0.55, "season_color": "#c2611f"},
    "bark": "furrowed", "bark_light": "#8b7f70", "bark_dark": "#40362e", "bark_scale": 9, "bark_tile": 0.45, "flare": 0.6, "roots": 4, "root_length": 0.12,
}  # fmt: skip

_POLLARD: dict[str, Any] = {
    "height": 6.4, "stem_length": 0.4, "girth": 10, "lean": 3, "crookedness": 0.1, "taper": 0.0, "straighten": 0.1, "pipe": 3.0, "twist": 60,
    "first": {"count": 46, "start": 0.86, "end": 1.0, "angle": 62, "tip_angle": 16, "length": 0.6, "profile": [[0, 0.85], [0.5, 1], [1, 0.95]], "thickness": 0.16,
              "crookedness": 0.14, "lift": 0.25, "pull": 0.28, "taper": 0.6, "stubs": 6},
    "second": {"count": 7, "start": 0.25, "end": 0.98, "angle": 36, "tip_angle": 28, "length": 0.3, "thickness": 0.5, "crookedness": 0.15, "pull": 0.1},
    "third": {"count": 0}, "thinnest": 3, "leaf_count": 4.4, "leaf_size": 0.42, "leaf_aspect": 0.62, "leaf_tilt": 36, "leaf_droop": 0.2, "leaf_bare": 0.2, "sprig_leaves": 24, "sprig_twigs": 2,
    "sprig_length": 0.3, "sprig_angle": 36,
    "leaf": {**_LINEAR_LEAF, "width": 0.19, "blade_color": "#71885a", "tip_color": "#93a472", "edge_color": "#7f9468", "rib_color": "#b8c295"},
    "bark": "furrowed", "bark_light": "#8c8270", "bark_dark": "#37302a", "bark_scale": 7, "bark_tile": 0.9, "bark_furrows": 1.0, "flare": 0.35, "flare_height": 0.05, "lobes": 7,
    "lobe_depth": 0.12, "roots": 6, "root_length": 0.14, "moss": 0.4, "moss_height": 2.4,
}  # fmt: skip

_FLAT_TOP: dict[str, Any] = {
    "height": 13, "stem_length": 0.8, "girth": 4.0, "lean": 4, "crookedness": 0.14, "straighten": 0.2, "taper": 0.3, "growth": "crown",
    "crown_profile": [[0, 0.15], [0.35, 0.85], [0.65, 1], [1, 0.45]], "crown_low": 0.66, "crown_width": 0.9, "crown_points": 1100, "crown_shell": 0.3, "crown_step": 2.2,
    "crown_reach": 60, "crown_stop": 4.0, "crown_up": 0.1, "crown_wander": 0.2, "thinnest": 7,
    "leaf_count": 3.2, "leaf_size": 0.95, "leaf_aspect": 0.9, "leaf_tilt": 50, "leaf_upward": 0.45, "leaf_light": 0.9, "sprig_leaves": 170, "sprig_twigs": 6, "sprig_length": 0.17,
    "sprig_angle": 66, "sprig_rise": 1.0, "leaf_bare": 0.25, "leaf_normals": 0.8, "leaf_inside": 0.9,
    "leaf": {**_NEEDLE, "width": 0.045, "blade_color": "#4d6b3a", "tip_color": "#6e8a4a", "edge_color": "#557244", "rib_color": "#7c9059"},
    "bark": "plated", "bark_light": "#a07c5f", "bark_dark": "#41302a", "bark_scale": 6, "bark_tile": 0.8, "bark_furrows": 0.9, "bark_lichen": 0.1, "flare": 0.4, "flare_height": 0.04,
    "roots": 5, "root_length": 0.1,
}  # fmt: skip

_BLOSSOM: dict[str, Any] = {
    "height": 5.6, "stem_length": 0.5, "girth": 4.6, "lean": 2, "crookedness": 0.14, "taper": 0.3, "straighten": 0.1,
    "first": {"count": 12, "start": 0.55, "end": 1.0, "angle": 58, "tip_angle": 18, "length": 0.58, "profile": [[0, 0.85], [1, 0.95]], "thickness": 0.56, "crookedness": 0.34, "lift": 0.2,
              "pull": 0.2, "droop": 0.2},
    "second": {"count": 10, "start": 0.2, "angle": 52, "tip_angle": 36, "flat": 0.3, "length": 0.46, "thickness": 0.56, "crookedness": 0.34, "pull": 0.05, "droop": 0.25},
    "third": {"count": 4, "angle": 50, "length": 0.45, "crookedness": 0.3},
    "clear": 0.24, "leaf_count": 9, "leaf_size": 0.3, "leaf_cluster": 0.7, "leaf_clusters": 4, "leaf_tint": 0.25, "leaf_inside": 0.45, "leaf_top": 0.05, "sprig_leaves": 60, "sprig_twigs": 5, "sprig_length": 0.13,
    "sprig_angle": 84, "sprig_rise": 1.0, "leaf_normals": 0.55,
    "leaf": {"length": 2, "width": 0.85, "stalk": 0.3, "outline": [[0, 0.35], [0.6, 1], [0.92, 0.75], [1, 0.4]], "teeth": 0, "fold": 10, "bend": 30, "curl": 30, "veins": 0.2, "vein_count": 4,
             "blade_color": "#e6b9bb", "tip_color": "#f6e6e2", "edge_color": "#f2d9d6", "rib_color": "#cf8f95", "stalk_color": "#8c9a55", "translucency": 0.6},
    "bark": "smooth", "bark_light": "#7b625a", "bark_dark": "#3b2a28", "bark_scale": 9, "bark_tile": 0.4, "bark_furrows": 0.7, "bark_lichen": 0.15, "flare": 0.5, "roots": 4,
    "root_length": 0.12,
}  # fmt: skip

_LOW: dict[str, Any] = {"leaf_form": "lumps", "faceted": True, "least_sides": 5, "sides": 0.5, "third": {"count": 0}, "lobes": 0, "flare": 0.5, "bark_furrows": 0.0, "bark_lichen": 0.0,
        "texture_size": "128"}  # fmt: skip

_HEDGE_LEAF: dict[str, Any] = {
    "length": 3.2,
    "width": 0.62,
    "stalk": 0.08,
    "outline": [[0, 0.3], [0.45, 1], [0.8, 0.8], [1, 0.15]],
    "teeth": 0.1,
    "bend": 20,
    "curl": 6,
}
_CLIPPED: dict[str, Any] = {
    "body": "hedge", "height": 1.5, "width": 0.9, "foot": 0.05, "uneven": 0.12, "growth": "clipped", "shell": 0.2, "density": 88, "upward": 0.35, "stems": 5, "limbs": 11,
    "line": [[-2.2, 0], [-0.7, 0.3], [0.8, -0.25], [2.2, 0]], "profile": [[0, 0.9], [0.55, 1], [0.9, 0.92], [1, 0.55]],
    "twigs": False, "leaf_bare": 0.45, "leaf_count": 21, "leaf_size": 0.14, "leaf_tilt": 62, "leaf_light": 0.95, "leaf_inside": 0.5, "leaf_tint": 0.5, "sprig_leaves": 24, "sprig_twigs": 3, "sprig_length": 0.24,
    "leaf": {**_HEDGE_LEAF, "blade_color": "#4c6b30", "tip_color": "#6a8a3c", "edge_color": "#466329", "rib_color": "#8aa05a"},
    "bark": "smooth", "bark_light": "#857a68", "bark_dark": "#4a4034",
}  # fmt: skip

PRESETS: tuple[Preset, ...] = (
    Preset("old-orchard-standard", "Old orchard standard", "tree", 27, _OLD_ORCHARD),
    Preset("upright-conifer", "Upright conifer", "tree", 4, _CONIFER),
    Preset("weeping", "Weeping, by the water", "tree", 12, _WEEPING),
    Preset("multi-stem-carr", "Multi-stem, carr", "tree", 8, _CARR),
    Preset("wind-bent", "Wind-bent thorn", "tree", 3, _WIND_BENT),
    Preset("dead-snag", "Dead snag", "tree", 5, _SNAG),
    Preset("fronds-on-one-stem", "Fronds on one stem", "tree", 6, _PALM),
    Preset("sapling", "Sapling", "tree", 27, {**_CARR, "stems": 1, "age": 0.22, "height": 11, "girth": 1.8, "moss": 0.0, "leaf_count": 9, "leaf_size": 0.34,
                                             "sprig_leaves": 9, "sprig_twigs": 0, "sprig_length": 0.36}),
    Preset("column", "Column", "tree", 2, _COLUMN),
    Preset("drooping-twigs", "White bark, drooping twigs", "tree", 9, _BIRCH),
    Preset("field-standard", "Field standard, filled crown", "tree", 7, _FIELD),
    Preset("autumn", "Autumn, opposite limbs", "tree", 14, _AUTUMN),
    Preset("pollard", "Pollard", "tree", 21, _POLLARD),
    Preset("flat-topped-pine", "Flat-topped, needles", "tree", 11, _FLAT_TOP),
    Preset("blossom", "In blossom", "tree", 16, _BLOSSOM),
    Preset("veteran", "Veteran of the orchard", "tree", 33, {
        **_OLD_ORCHARD, "height": 5.6, "age": 1.6, "girth": 9, "lean": 9, "crookedness": 0.34, "stem_length": 0.56, "first": {**_OLD_ORCHARD["first"], "count": 12, "dead": 22, "stubs": 26},
        "second": {**_OLD_ORCHARD["second"], "dead": 14, "stubs": 8}, "lobes": 7, "lobe_depth": 0.3, "flare": 1.0, "roots": 9, "root_length": 0.24, "moss": 0.8,
        "bark_scale": 12, "bark_lichen": 0.7}),
    Preset("low-poly-round", "Low-poly, round", "tree", 3, {
        **_LOW, "height": 5, "stem_length": 0.55, "girth": 6, "lean": 2, "crookedness": 0.1, "first": {"count": 6, "start": 0.6, "length": 0.4, "angle": 50, "thickness": 0.6}, "second": {"count": 3, "length": 0.5},
        "lumps": 12, "lump_size": 0.17, "lump_rough": 0.9, "leaf": {"blade_color": "#5d8a45", "tip_color": "#a3bf58"}, "bark_light": "#9a7a58", "bark_dark": "#7d6145"}),
    Preset("low-poly-tall", "Low-poly, tall", "tree", 5, {
        **_LOW, "height": 8, "girth": 4, "crookedness": 0.1, "first": {"count": 14, "start": 0.22, "length": 0.2, "end": 1.0, "angle": 80, "tip_angle": 50, "profile": [[0, 1], [1, 0.1]], "pull": 0.0},
        "second": {"count": 0}, "lumps": 20, "lump_size": 0.1, "lump_rough": 0.8, "leaf": {"blade_color": "#3f6b52", "tip_color": "#7fa568"}, "bark_light": "#7d6a58", "bark_dark": "#665443"}),
    Preset("low-poly-bush", "Low-poly, bush", "tree", 8, {
        **_LOW, "height": 1.5, "stems": 5, "spread": 40, "girth": 4, "first": {"count": 5, "start": 0.4, "length": 0.35}, "second": {"count": 0}, "lumps": 11, "lump_size": 0.24, "lump_rough": 0.9,
        "leaf": {"blade_color": "#6d7f3a", "tip_color": "#b8b455"}, "bark_light": "#8a6f52", "bark_dark": "#6d5640"}),
    Preset("hedge-shrub", "Hedge shrub, loose", "shrub", 4, {
        "height": 1.7, "width": 1.8, "depth": 1.7, "foot": 0.0, "growth": "loose", "shell": 0.4, "overshoot": 1.1, "upward": 0.7, "density": 44, "uneven": 0.5,
        "leaf_count": 13, "leaf_size": 0.17, "sprig_leaves": 22, "sprig_twigs": 3, "sprig_length": 0.26,
        "leaf": {**_HEDGE_LEAF, "length": 4.5, "blade_color": "#5a7a3a", "tip_color": "#83a04d", "edge_color": "#52713a", "rib_color": "#a0b070"}}),
    Preset("clipped-hedge", "Clipped hedge along a line", "shrub", 2, _CLIPPED),
    Preset("clipped-ball", "Clipped ball", "shrub", 3, {
        **_CLIPPED, "body": "ball", "height": 1.1, "width": 1.15, "depth": 1.15, "uneven": 0.06, "foot": 0.02, "density": 150, "leaf_size": 0.1, "shell": 0.18,
        "leaf": {**_HEDGE_LEAF, "length": 2, "blade_color": "#3f5f2c", "tip_color": "#587a36", "edge_color": "#3a5828", "rib_color": "#7a9050"}}),
    Preset("field-hedge", "Field hedge, grown out", "shrub", 6, {
        **_CLIPPED, "height": 2.4, "width": 1.7, "uneven": 0.75, "growth": "loose", "overshoot": 1.5, "shell": 0.5, "density": 36, "upward": 0.9, "leaf_size": 0.23, "leaf_count": 9,
        "line": [[-3, 0.2], [-1, -0.3], [1.2, 0.3], [3, -0.1]], "profile": [[0, 0.8], [0.4, 1], [0.8, 0.85], [1, 0.35]]}),
    Preset("ox-eye", "White rays, yellow disc", "plant", 3, {"head_size": 8, "head_parts": 18, "face": 0.6, "heads": 3}),
    Preset("teasel", "Spiny globes on tall stems", "plant", 5, {
        "height": 1.7, "stems": 1, "thickness": 13, "lean": 3, "crookedness": 0.06, "nod": 0.0, "stem_color": "#8d8a56",
        "low": {"leaves": 11, "size": 38, "pitch": 62, "extent": 0.03}, "middle": {"leaves": 10, "pairs": 2, "turn": 90, "at": 0.12, "extent": 0.62, "size": 34, "pitch": 48, "smaller": 0.6},
        "top": {"leaves": 0}, "leaf": {"length": 26, "width": 0.26, "outline": [[0, 0.8], [0.3, 1], [0.7, 0.6], [1, 0]], "stalk": 0.0, "teeth": 0.5, "teeth_count": 20, "bend": 46, "fold": 26, "rib_color": "#c9cfa0"},
        "head": "globe", "head_size": 10.5, "head_parts": 130, "heads": 6, "head_from": 0.5, "side_length": 0.3, "side_angle": 34, "face": 0.0, "opened": 0.5,
        "petal_color": "#a98bb8", "middle_color": "#8f8a58"}),
    Preset("cow-parsley", "Umbels over cut leaves", "plant", 8, {
        "height": 1.0, "stems": 3, "spread": 16, "foot": 3, "thickness": 7, "low": {"leaves": 7, "size": 34, "pitch": 58}, "middle": {"leaves": 4, "at": 0.2, "extent": 0.5, "size": 22, "pitch": 50},
        "leaf": {"form": "frond", "length": 30, "leaflets": 25, "leaflet_size": 0.42, "leaflet_angle": 56, "leaflet_profile": [[0, 1], [1, 0.15]], "width": 0.46, "lobes": 0.75, "lobe_count": 5,
                 "teeth": 0.4, "stalk": 0.3, "bend": 40, "divisions": 2, "blade_color": "#587f3a", "tip_color": "#7c9c4b"},
        "head": "umbel", "head_size": 9, "head_parts": 22, "heads": 5, "head_from": 0.55, "side_length": 0.34, "side_angle": 30, "face": 0.0, "opened": 0.9, "petal_color": "#f2f0e2"}),
    Preset("spire", "Purple spires", "plant", 4, {
        "height": 1.2, "stems": 5, "spread": 10, "foot": 6, "nod": 0.0, "low": {"leaves": 0}, "middle": {"leaves": 16, "pairs": 2, "turn": 90, "at": 0.04, "extent": 0.6, "size": 10, "pitch": 62, "smaller": 0.5},
        "leaf": {"length": 10, "width": 0.24, "outline": [[0, 0.9], [0.25, 1], [0.7, 0.55], [1, 0]], "stalk": 0, "bend": 24, "blade_color": "#57753a"},
        "head": "spike", "head_size": 26, "head_parts": 90, "heads": 3, "head_from": 0.66, "side_length": 0.14, "face": 0.0, "opened": 0.75, "petal_color": "#9a4f93"}),
    Preset("fern", "Fern", "plant", 7, {
        "height": 0.1, "stems": 1, "thickness": 18, "low": {"leaves": 14, "at": 0.3, "extent": 0.6, "size": 72, "pitch": 34, "smaller": 0.35, "variation": 0.35}, "middle": {"leaves": 0}, "head": "none",
        "leaf": {"form": "frond", "length": 72, "leaflets": 51, "leaflet_size": 0.24, "leaflet_angle": 74, "leaflet_profile": [[0, 0.5], [0.3, 1], [0.7, 0.72], [1, 0.08]], "width": 0.26, "lobes": 0.85,
                 "lobe_count": 9, "stalk": 0.14, "bend": 62, "curl": 20, "fold": 12, "teeth": 0, "divisions": 3, "blade_color": "#5c8a37", "tip_color": "#86a94d", "edge_color": "#55822f"}}),
    Preset("nodding-bells", "Nodding bells", "plant", 2, {
        "height": 0.38, "stems": 6, "spread": 14, "foot": 5, "nod": 0.9, "thickness": 4, "low": {"leaves": 5, "size": 26, "pitch": 30, "extent": 0.01}, "middle": {"leaves": 0},
        "leaf": {"length": 26, "width": 0.06, "outline": [[0, 0.8], [0.4, 1], [0.8, 0.7], [1, 0]], "stalk": 0, "teeth": 0, "bend": 66, "veins": 0.2, "vein_count": 0},
        "head": "bell", "head_size": 4.4, "head_parts": 6, "heads": 7, "head_from": 0.6, "side_length": 0.1, "side_angle": 60, "opened": 0.7, "petal_color": "#6a72b8"}),
    Preset("reed", "Reed with plumes", "tuft", 1, {
        "height": 1.9, "blades": 46, "variation": 0.4, "width": 2.2, "spread": 0.42, "lean": 11, "bend": 34, "heads": 0.26, "head_length": 0.15, "head_width": 8, "green": "#7d8b4c",
        "dead": "#c2ab72", "dead_share": 0.5, "head_color": "#6d5344"}),
    Preset("tussock-sedge", "Tussock sedge", "tuft", 2, {
        "height": 0.75, "blades": 130, "variation": 0.4, "width": 1.1, "spread": 0.16, "lean": 52, "bend": 96, "heads": 0.06, "head_width": 1.6, "green": "#6f8a3f", "dead_share": 0.18}),
    Preset("meadow-grass", "Meadow grass in flower", "tuft", 3, {
        "height": 0.5, "blades": 60, "variation": 0.5, "width": 0.5, "spread": 0.1, "lean": 30, "bend": 60, "heads": 0.3, "head_length": 0.3, "head_width": 2.4, "green": "#83984a",
        "dead_share": 0.12, "head_color": "#a2845f"}),
    Preset("pear-leaf", "Pear leaf", "leaf", 1, _PEAR_LEAF),
    Preset("oak-like-leaf", "Lobed leaf", "leaf", 1, {
        "length": 11, "width": 0.6, "outline": [[0, 0.16], [0.3, 0.6], [0.66, 1], [0.92, 0.7], [1, 0.2]], "lobes": 0.62, "lobe_count": 4, "teeth": 0, "stalk": 0.07, "veins": 0.7, "vein_count": 5}),
    Preset("pinnate-leaf", "Pinnate leaf", "leaf", 1, {
        "form": "pinnate", "length": 24, "leaflets": 11, "leaflet_size": 0.34, "width": 0.36, "teeth": 0.3, "stalk": 0.22, "leaflet_angle": 64, "outline": [[0, 0.3], [0.4, 1], [0.8, 0.6], [1, 0]]}),
    Preset("palmate-leaf", "Palmate leaf", "leaf", 1, {
        "form": "palmate", "length": 22, "leaflets": 7, "leaflet_size": 0.62, "leaflet_angle": 62, "width": 0.34, "stalk": 0.42, "outline": [[0, 0.1], [0.6, 0.9], [0.72, 1], [1, 0]], "teeth": 0.35, "teeth_count": 24}),
    Preset("torn-leaf", "Broad leaf, torn by wind", "leaf", 1, {
        "length": 60, "width": 0.5, "outline": [[0, 0.5], [0.3, 1], [0.75, 0.85], [1, 0.1]], "teeth": 0, "cuts": 0.8, "cut_count": 26, "stalk": 0.16, "bend": 70, "fold": 16, "divisions": 10,
        "blade_color": "#6c8f3a", "tip_color": "#8aa64c", "veins": 0.6, "vein_count": 22}),
)  # fmt: skip


def preset(name: str) -> Preset:
    """The preset called `name`. Raises `ParameterError` naming the known ones."""
    found = next((p for p in PRESETS if p.name == name), None)
    if found is None:
        known = ", ".join(p.name for p in PRESETS)
        raise ParameterError("preset", f"there is no preset {name!r}; known: {known}", limit=known, value=name)
    return found
