"""What carries storeys that stand out: posts down to the ground where they stand far out, struts against the wall where they do not."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from shapely import LineString, Point, Polygon, union_all

from plough.core.arrays import Float64
from plough.core.house.body import Storey
from plough.core.house.forms import Drawing
from plough.core.house.plan import difference
from plough.core.house.soup import Soup

_FAR = 1.0  # metres out from which a post stands under it
_NEAR = 0.22  # metres out below which it needs nothing
_APART = 2.4  # metres between any two along an edge, at most
_THICK = 0.16  # metres of a post; a strut is a little thinner
_IN = 0.12  # metres that they stand in from the ends of an edge


def supports(soup: Soup, storeys: Sequence[Storey], deep: float) -> None:
    """Add what carries each storey beyond those below it.

    Args:
        deep: metres below the ground that posts go down.
    """
    for n, s in enumerate(storeys[1:], 1):
        if np.array_equal(s.ring.corners, storeys[n - 1].ring.corners):
            continue
        below = union_all([Polygon(o.ring.corners) for o in storeys[:n]])
        wall = LineString([*(under := storeys[n - 1].ring.corners), under[0]])
        stands: list[Float64] = []  # where something does
        for region in difference(s.ring, storeys[n - 1].ring):
            ring = region.rings[0]
            for k in range(len(ring)):
                a, b = ring[k], ring[(k + 1) % len(ring)]
                # of the borders of what stands out only those that are not on the wall below
                if not region.names[k] or wall.distance(Point(0.5 * (a + b))) < _NEAR:
                    continue
                for i, at in enumerate(_places(a, b)):
                    out = float(wall.distance(Point(at)))
                    if out < _NEAR or any(math.hypot(*(at - o)) < 2.0 * _THICK for o in stands):
                        continue
                    stands.append(at)
                    owner = f"support {region.names[k]}-{s.number} {i}"
                    _support(
                        soup, owner, s, at, out, (b - a) / math.hypot(*(b - a)), wall, below, deep
                    )


def _places(a: Float64, b: Float64) -> list[Float64]:
    """Under one border of what stands out, from `a` to `b`, a little within it."""
    long = math.hypot(*(b - a))
    if long < 2.0 * _IN:
        return []
    way = (b - a) / long
    inwards = np.array([-way[1], way[0]])
    many = max(2, math.ceil((long - 2.0 * _IN) / _APART) + 1)
    return [a + along * way + _IN * inwards for along in np.linspace(_IN, long - _IN, many)]


def _support(
    soup: Soup,
    owner: str,
    s: Storey,
    at: Float64,
    out: float,
    way: Float64,
    wall: LineString,
    below: Polygon,
    deep: float,
) -> None:
    drawing, half = Drawing(), 0.5 * _THICK
    if out >= _FAR - _IN and not below.buffer(half).contains(Point(at)):
        drawing.box((-half, half), (-deep, s.low), (-half, half), "timber")
        origin, across, front = np.array([*at, 0.0]), way, np.array([way[1], -way[0]])
    else:
        # from the wall straight behind it, as far below as it stands out; drawn along the way outwards
        back = np.asarray(wall.interpolate(wall.project(Point(at))).coords[0])
        across = (at - back) / out
        reach, thin = out + 0.5 * _IN, 0.4 * _THICK
        drawing.bar((0.0, -reach), (reach, -thin), 2.0 * thin, (-thin, thin), "timber")
        origin, front = np.array([*back, s.low]), np.array([across[1], -across[0]])
    soup.drawn(*drawing.drawn, owner, (origin, across, front))
