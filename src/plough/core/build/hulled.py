"""What is made and solid brings its hull for a game."""

from __future__ import annotations

from typing import Literal

from plough.core.arrays import Float32, Float64
from plough.core.collider import Collider, GameParameters
from plough.core.mesh.convex import MOST_CORNERS, hull_of
from plough.core.parameters import choice, number, section
from plough.core.sheets import SheetParameters


class SolidGame(GameParameters):
    """What a solid thing brings for a game, whatever its collider is."""

    sheet: SheetParameters = section(SheetParameters(), "One sheet of maps", "One sheet of maps")


class HulledParameters(SolidGame):
    """What a solid thing brings for a game."""

    collider: Literal["none", "convex"] = choice(
        "convex", "Collider", {"none": "None", "convex": "Its hull"}
    )
    density: float = number(
        2400,
        "Weighs",
        (5, 22000),
        soft=(100, 3500),
        unit="kg/m³",
        step=10,
        help="Of what its collider fills; mass, centre and inertia are in the manifest of a bake.",
    )


def hull_collider(p: HulledParameters, points: Float32 | Float64) -> Collider:
    """The hull of `points` (n, 3), or none."""
    pieces = () if p.collider == "none" else (hull_of(points.astype("f8"), MOST_CORNERS)[0],)
    return Collider((), pieces, p.movement, p.camera, p.shots)
