"""What a mesh of one's own collides with: what came along, or bodies made for it, measured against it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.build.hulled import SolidGame
from plough.core.build.soup import Soup
from plough.core.collider import Capsule, Collider
from plough.core.matters import Matters, among
from plough.core.mesh.convex import MOST_CORNERS, convex_pieces, holds, hull_of
from plough.core.mesh.topology import closed_volume
from plough.core.parameters import choice, count

_MOST = 4_000  #: triangles that pieces are made from, and corners that are measured; of more, an even choice
_NEAR = 0.01  #: of the size, that a corner may stand out of its body


class BodyParameters(SolidGame):
    """What it brings for a game besides its mesh."""

    matters: ClassVar[Matters] = {"pieces": among("collider", "pieces")}

    collider: Literal["none", "supplied", "box", "capsule", "hull", "pieces"] = choice(  # type: ignore[assignment]
        "hull",
        "Collider",
        {
            "none": "None",
            "supplied": "As it came",
            "box": "A box",
            "capsule": "A capsule",
            "hull": "Its hull",
            "pieces": "Convex pieces",
        },
        help="As it came: what is called a collider in the file.",
    )
    pieces: int = count(4, "Pieces", (2, 24), soft=(2, 12))


@dataclass(frozen=True, slots=True)
class Body:
    """A collider and how it fits."""

    collider: Collider
    volume: (
        int | None
    )  #: of its bodies, in per cent of that of the mesh's closed bodies; None where there are none
    covered: int  #: per cent of the mesh's corners that lie in a body


def body_of(p: BodyParameters, soup: Soup, came: Soup | None) -> Body:
    """The collider that `p` asks for about `soup`; `came` is what the file brought along for that."""
    points = soup.positions[np.unique(soup.faces)]
    capsules, pieces = _bodies(p, soup, came, points)
    collider = Collider(capsules, tuple(pieces), p.movement, p.camera, p.shots)
    if not collider.count:
        return Body(collider, None, 0)
    size = soup.size
    points = points[:: max(1, len(points) // _MOST)]
    within = np.zeros(len(points), bool)
    volume = 0.0
    for piece in pieces:
        within |= holds(piece, points, _NEAR * size)
        volume += hull_of(piece.astype(np.float64))[1]
    for rod in capsules:
        a, b = np.array(rod.start), np.array(rod.end)
        length = float(np.linalg.norm(b - a))
        t = ((points - a) @ (b - a) / max(length**2, 1e-12)).clip(0, 1)
        away = np.linalg.norm(points - a - t[:, None] * (b - a), axis=1)
        within |= away <= rod.radius + _NEAR * size
        volume += np.pi * rod.radius**2 * (length + 4.0 / 3.0 * rod.radius)
    own = closed_volume(soup.corners(), soup.points())
    share = round(100 * volume / own) if own > 0 else None
    return Body(collider, share, round(100 * float(within.mean())))


def _bodies(
    p: BodyParameters, soup: Soup, came: Soup | None, points: Float64
) -> tuple[tuple[Capsule, ...], list[Float32]]:
    if p.collider == "none" or not len(points):
        return (), []
    if p.collider == "supplied":
        return (), _supplied(came)
    if p.collider == "hull":
        return (), [hull_of(points, MOST_CORNERS)[0]]
    if p.collider == "pieces":
        corners = soup.corners()
        return (), convex_pieces(corners[:: max(1, len(corners) // _MOST)], p.pieces)
    low, high = points.min(axis=0), points.max(axis=0)
    if p.collider == "box":
        thick = np.maximum(high - low, 1e-3 * soup.size)
        unit = np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
        return (), [(low + unit * thick).astype(np.float32)]
    return (_capsule(points, low, high),), []


def _capsule(points: Float64, low: Float64, high: Float64) -> Capsule:
    """An upright rod, or one along the longest side of what lies, that holds nearly all points."""
    axis = int((high - low).argmax())
    others = [k for k in range(3) if k != axis]
    middle = 0.5 * (low + high)
    radius = float(np.quantile(np.linalg.norm((points - middle)[:, others], axis=1), 0.98))
    radius = max(radius, 1e-3)
    ends = []
    for end, sign in ((low, 1.0), (high, -1.0)):
        at = middle.copy()
        at[axis] = end[axis] + sign * min(radius, 0.5 * float(high[axis] - low[axis]))
        ends.append((float(at[0]), float(at[1]), float(at[2])))
    return Capsule(ends[0], ends[1], radius)


def _supplied(came: Soup | None) -> list[Float32]:
    """The hull of each collider that came along."""
    if came is None:
        return []
    return [
        hull_of(came.positions[came.faces[came.piece == k].reshape(-1)])[0]
        for k in np.unique(came.piece)
    ]
