"""What is made and solid brings its hull for a game."""

from __future__ import annotations

from typing import Literal

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt32
from plough.core.collider import Collider, GameParameters
from plough.core.mesh.convex import MOST_CORNERS, convex_pieces, hull_of
from plough.core.parameters import choice, number, section
from plough.core.sheets import SheetParameters

POOR = 1.15  #: times the volume of a mesh, from which its hull is a poor stand-in
_WORTH = 0.95  #: of the hull's volume, that pieces must stay below
_MOST = 6  #: pieces


class SolidGame(GameParameters):
    """What a solid thing brings for a game, whatever its collider is."""

    sheet: SheetParameters = section(SheetParameters(), "One sheet of maps", "One sheet of maps")


class HulledParameters(SolidGame):
    """What a solid thing brings for a game."""

    collider: Literal["none", "convex", "close"] = choice(  # type: ignore[assignment]
        "close",
        "Collider",
        {"none": "None", "convex": "Its hull", "close": "Its hull, or convex pieces"},
        help="Pieces where the hull has over 1.15 times its volume, and they save a twentieth of that.",
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


def hull_collider(
    p: HulledParameters,
    points: Float32 | Float64,
    faces: UInt32 | Int64 | None = None,
) -> Collider:
    """The hull of `points` (n, 3), or none; with `faces` (m, 3), pieces where they are asked for and the hull stands far out."""
    if p.collider == "none":
        return Collider((), (), p.movement, p.camera, p.shots)
    at = points.astype(np.float64)
    hull, room = hull_of(at, MOST_CORNERS)
    pieces = [hull]
    if p.collider == "close" and faces is not None:
        a, b, c = (at[faces[:, k]] for k in range(3))
        own = float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6.0)
        if room > POOR * own:
            closer = convex_pieces(np.stack([a, b, c], axis=1), _MOST)
            if sum(hull_of(q.astype(np.float64))[1] for q in closer) < _WORTH * room:
                pieces = closer
    return Collider((), tuple(pieces), p.movement, p.camera, p.shots)
