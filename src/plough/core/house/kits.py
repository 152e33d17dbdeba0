"""Kits: the pieces, claddings and colours of one way of building."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, get_args

from plough.core.house.cladding import Cladding
from plough.core.house.pieces import Brought, PieceParameters
from plough.core.mesh.material import Material
from plough.core.parameters import linear, parse_color

KitName = Literal["timber", "flint", "pump", "board"]
RoleName = Literal["front", "lower", "upper", "gable"]
ROLES: tuple[RoleName, ...] = get_args(RoleName)
Covering = Literal["tiles", "shingles", "thatch", "turf", "boards"]


@dataclass(frozen=True, slots=True)
class Cover:
    """What a surface is clad with."""

    stuff: str
    light: str
    dark: str
    joint: str = "#6b6358"
    relief: float = 0.6
    rows: int = 8
    worn: float = 0.5
    repeat: float = 1.2  #: metres of one repeat

    def material(self, slot: str, size: int) -> Material:
        """As a material: the same for all houses, so that a street draws its images once."""
        light, dark, joint = (parse_color(c) for c in (self.light, self.dark, self.joint))
        maps = Cladding(self.stuff, 0, size, light, dark, joint, self.relief, self.rows, self.worn)
        return Material(slot, maps, roughness=1.0)


@dataclass(frozen=True, slots=True)
class Plain:
    """One colour."""

    color: str
    roughness: float = 0.8
    repeat: float = 1.0

    def material(self, slot: str, size: int) -> Material:
        """As a material."""
        return Material(slot, color=linear(self.color), roughness=self.roughness)


@dataclass(frozen=True, slots=True)
class Role:
    """What the faces of a role are filled with."""

    wide: float  #: metres that a cell is about wide
    filled: float  #: share of the cells that have a piece
    pieces: tuple[tuple[str, float], ...]  #: names and weights
    rest: str = ""  #: of the others


@dataclass(frozen=True, slots=True)
class Kit:
    """A way of building."""

    title: str
    covers: Mapping[str, Cover | Plain]  #: by slot
    pieces: Mapping[str, PieceParameters | Brought]
    roles: Mapping[RoleName, Role]
    door: str  #: the piece that the front has
    covering: Covering
    posts: float = 0.0  #: metres wide, between cells
    corner: Literal["none", "post", "quoins"] = "none"
    band: tuple[float, float, str] = (
        0.0,
        0.0,
        "",
    )  #: between storeys: metres high, metres out, slot
    cap: str = "roof"  #: the slot of ridges
    extra: Mapping[str, float] = field(default_factory=dict)


_OAK = Cover("boards", "#695b4b", "#39302a", "#241c15", 0.8, 1, 0.4, 0.5)
_GREY_OAK = Cover("boards", "#8f8674", "#4f483d", "#332d26", 0.8, 1, 0.4, 0.5)
_GLASS = Plain("#26323a", 0.12)
_IRON = Plain("#2b2a29", 0.6)
_BRICK = Cover("brick", "#a3705a", "#7a4f40", "#b9ad98", 0.7, 12, 0.7, 0.9)
_POT = Plain("#8d5a45", 0.9)
_STEP = Cover("concrete", "#a39a8a", "#7f776a", "#5c564d", 0.7, 2, 0.3, 1.6)


def _window(**own: Any) -> PieceParameters:
    return PieceParameters(what="window", **own)


def _door(**own: Any) -> PieceParameters:
    return PieceParameters(what="door", sill=0.0, **own)


def _panel(**own: Any) -> PieceParameters:
    return PieceParameters(what="panel", **own)


KITS: dict[KitName, Kit] = {
    "timber": Kit(
        "Fen timber",
        {
            "wall": Cover("render", "#ddd3bf", "#bfb197", relief=0.5, worn=0.6, repeat=2.4),
            "upper": Cover("render", "#d7cab3", "#b5a588", relief=0.5, worn=0.7, repeat=2.4),
            "plinth": Cover("flint", "#8e8a80", "#4a4842", "#a79c88", 0.8, 9, 0.7, 1.1),
            "timber": _OAK,
            "frame": Plain("#564a3d", 0.8),
            "door": Cover("boards", "#6d7662", "#4c5444", "#2e3326", 0.5, 1, 0.3, 0.6),
            "lintel": _OAK,
            "ledge": _OAK,
            "floor": _OAK,
            "glass": _GLASS,
            "iron": _IRON,
            "roof": Cover("thatch", "#978766", "#5a4e3a", "#41351f", 0.9, 5, 0.5, 2.0),
            "cap": Cover("thatch", "#a3926f", "#63563f", "#41351f", 0.9, 4, 0.4, 1.0),
            "chimney": _BRICK,
            "step": _STEP,
            "pot": _POT,
        },
        {
            "casement": _window(wide=0.62, high=0.46, sill=0.36, head=0.0, across=2, up=3),
            "wide casement": _window(wide=0.84, high=0.4, sill=0.42, head=0.0, across=3, up=2),
            "boarded door": _door(wide=0.62, high=0.82, head=0.0, boards=5),
            "panel": _panel(),
            "brace left": _panel(brace="left", timber=0.14),
            "brace right": _panel(brace="right", timber=0.14),
            "loft hatch": _window(
                wide=0.7, high=0.4, sill=0.25, head=0.0, across=1, up=2, shutters=False
            ),
        },
        {
            "front": Role(1.7, 0.55, (("casement", 3), ("wide casement", 1)), "panel"),
            "lower": Role(
                1.7, 0.35, (("casement", 3), ("brace left", 1), ("brace right", 1)), "panel"
            ),
            "upper": Role(
                1.7, 0.6, (("casement", 3), ("brace left", 1), ("brace right", 1)), "panel"
            ),
            "gable": Role(1.5, 1.0, (("loft hatch", 1),)),
        },
        "boarded door",
        "thatch",
        posts=0.16,
        corner="post",
        band=(0.2, 0.05, "timber"),
        cap="cap",
    ),
    "flint": Kit(
        "Brick and flint",
        {
            "wall": Cover("flint", "#9a978c", "#3f3e3b", "#b3a68e", 0.8, 11, 0.8, 1.1),
            "upper": Cover("flint", "#9a978c", "#3f3e3b", "#b3a68e", 0.8, 11, 0.8, 1.1),
            "plinth": _BRICK,
            "timber": _GREY_OAK,
            "frame": Plain("#d9d4c4", 0.7),
            "door": Cover("boards", "#4f6470", "#35454e", "#20292f", 0.5, 1, 0.3, 0.6),
            "lintel": _BRICK,
            "ledge": Cover("tiles", "#96705a", "#6d4d3e", "#5c4536", 0.5, 6, 0.5, 1.0),
            "floor": _GREY_OAK,
            "glass": _GLASS,
            "iron": _IRON,
            "roof": Cover("tiles", "#9a6a52", "#5f4033", "#3d251b", 0.8, 9, 0.8, 1.6),
            "cap": Cover("render", "#9a6a52", "#6e4a3a", relief=0.7, worn=0.5, repeat=0.7),
            "chimney": _BRICK,
            "step": _STEP,
            "pot": _POT,
        },
        {
            "sash": _window(wide=0.5, high=0.56, sill=0.28, head=0.2, across=2, up=4, ledge=0.06),
            "shuttered": _window(
                wide=0.42, high=0.52, sill=0.3, head=0.2, across=2, up=3, shutters=True
            ),
            "panelled door": _door(wide=0.52, high=0.82, head=0.22, boards=3),
            "blank": _panel(),
            "slit": _window(wide=0.26, high=0.4, sill=0.3, head=0.14, across=1, up=2),
        },
        {
            "front": Role(2.1, 0.8, (("sash", 3), ("shuttered", 1)), "blank"),
            "lower": Role(2.3, 0.45, (("sash", 2), ("slit", 1)), "blank"),
            "upper": Role(2.1, 0.7, (("sash", 1),), "blank"),
            "gable": Role(1.6, 1.0, (("slit", 1),)),
        },
        "panelled door",
        "tiles",
        corner="quoins",
        band=(0.15, 0.02, "chimney"),
        cap="cap",
    ),
    "pump": Kit(
        "Limewashed pump works",
        {
            "wall": Cover("brick", "#e9e6dc", "#c8c3b4", "#d8d3c6", 0.8, 12, 0.35, 0.9),
            "upper": Cover("brick", "#e9e6dc", "#c8c3b4", "#d8d3c6", 0.8, 12, 0.35, 0.9),
            "plinth": Cover("render", "#3a3733", "#24221f", relief=0.5, worn=0.6, repeat=2.0),
            "timber": _GREY_OAK,
            "frame": Plain("#33443f", 0.5),
            "door": Cover("boards", "#39554c", "#263b35", "#172420", 0.5, 1, 0.3, 0.6),
            "lintel": Cover("brick", "#99604c", "#724838", "#b9ad98", 0.7, 12, 0.6, 0.9),
            "ledge": Cover("concrete", "#b8b2a4", "#8f897b", relief=0.5, rows=2, repeat=1.6),
            "floor": _IRON,
            "glass": _GLASS,
            "iron": _IRON,
            "roof": Cover("tiles", "#6f757b", "#42474c", "#2a2d30", 0.6, 8, 0.6, 2.0),
            "cap": Plain("#7d8286", 0.5),
            "chimney": Cover("brick", "#99604c", "#724838", "#b9ad98", 0.7, 12, 0.6, 0.9),
            "step": _STEP,
            "pot": _POT,
        },
        {
            "works window": _window(
                wide=0.6, high=0.68, sill=0.18, head=0.26, across=4, up=6, frame=0.05
            ),
            "double door": _door(wide=0.78, high=0.86, head=0.28, boards=8),
            "blank": _panel(),
            "round light": _window(
                wide=0.5, high=0.36, sill=0.3, head=0.2, across=3, up=3, frame=0.05
            ),
        },
        {
            "front": Role(2.6, 1.0, (("works window", 1),), "blank"),
            "lower": Role(2.6, 0.85, (("works window", 1),), "blank"),
            "upper": Role(2.6, 0.85, (("works window", 1),), "blank"),
            "gable": Role(2.0, 1.0, (("round light", 1),)),
        },
        "double door",
        "tiles",
        corner="none",
        band=(0.22, 0.05, "lintel"),
        cap="cap",
    ),
    "board": Kit(
        "Drainage board concrete",
        {
            "wall": Cover(
                "concrete", "#b3aea3", "#858075", relief=0.7, rows=12, worn=0.5, repeat=3.0
            ),
            "upper": Cover(
                "concrete", "#b3aea3", "#858075", relief=0.7, rows=12, worn=0.5, repeat=3.0
            ),
            "plinth": Cover(
                "concrete", "#8b867c", "#666259", relief=0.6, rows=4, worn=0.8, repeat=2.4
            ),
            "timber": _GREY_OAK,
            "frame": Plain("#4c5654", 0.4),
            "door": Plain("#5b6f62", 0.5),
            "lintel": Cover("concrete", "#a8a398", "#7d786e", relief=0.5, rows=2, repeat=2.0),
            "ledge": Cover("concrete", "#a8a398", "#7d786e", relief=0.5, rows=2, repeat=2.0),
            "floor": Cover("concrete", "#a8a398", "#7d786e", relief=0.5, rows=2, repeat=2.0),
            "glass": _GLASS,
            "iron": _IRON,
            "roof": Cover("render", "#5f5d59", "#454340", relief=0.8, worn=0.7, repeat=2.0),
            "cap": Cover("concrete", "#a8a398", "#7d786e", relief=0.5, rows=2, repeat=2.0),
            "chimney": Cover("concrete", "#a8a398", "#7d786e", relief=0.6, rows=6, repeat=2.0),
            "step": _STEP,
            "pot": _POT,
        },
        {
            "strip window": _window(
                wide=0.9, high=0.36, sill=0.42, head=0.0, across=3, up=1, depth=0.16, frame=0.045
            ),
            "tall window": _window(
                wide=0.4, high=0.76, sill=0.12, head=0.0, across=1, up=4, depth=0.2, frame=0.045
            ),
            "steel door": _door(wide=0.46, high=0.8, head=0.0, boards=2),
            "blank": _panel(),
            "balcony": PieceParameters(
                what="balcony", wide=0.6, high=0.8, head=0.0, across=2, up=1
            ),
        },
        {
            "front": Role(2.8, 0.75, (("strip window", 2), ("tall window", 1)), "blank"),
            "lower": Role(2.8, 0.6, (("strip window", 2), ("tall window", 1)), "blank"),
            "upper": Role(
                2.8, 0.85, (("strip window", 4), ("tall window", 1), ("balcony", 1)), "blank"
            ),
            "gable": Role(2.0, 0.0, ()),
        },
        "steel door",
        "boards",
        band=(0.12, 0.03, "lintel"),
        cap="cap",
    ),
}
"""By name."""

COVERINGS: dict[Covering, Cover] = {
    "tiles": Cover("tiles", "#9a6a52", "#5f4033", "#3d251b", 0.8, 9, 0.8, 1.6),
    "shingles": Cover("shingles", "#8f8472", "#554c40", "#332d26", 0.8, 9, 0.8, 1.6),
    "thatch": Cover("thatch", "#978766", "#5a4e3a", "#41351f", 0.9, 5, 0.5, 2.0),
    "turf": Cover("turf", "#7d8a4a", "#45542a", "#5a4a35", 0.9, 6, 0.6, 2.2),
    "boards": Cover("boards", "#8c8170", "#4f473c", "#2d2822", 0.8, 6, 0.7, 1.6),
}
"""What roofs may be covered with."""
