"""The plan of a building: rings of edges, each with a name of its own that it keeps whatever becomes of the others."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from plough.core.arrays import Float64
from plough.core.house.roof import area_of, normals_of
from plough.core.kernels import kernel

LEAST = 0.02  #: metres that an edge is long
_GRID = 1e-4  # metres, that corners are rounded to where plans are cut
_SHARPEST = math.radians(8)  #: of a corner that is moved out with its edges


@kernel
def _side(ax: float, ay: float, bx: float, by: float, x: float, y: float) -> float:
    """On which side of the line from a to b a place is: above 0 to the left."""
    return (bx - ax) * (y - ay) - (by - ay) * (x - ax)


@kernel
def _simple(ring: Float64) -> bool:
    """Whether a ring (n, 2) neither crosses nor touches itself."""
    n = ring.shape[0]
    for k in range(n):
        ax, ay = ring[k, 0], ring[k, 1]
        bx, by = ring[(k + 1) % n, 0], ring[(k + 1) % n, 1]
        if ax == bx and ay == by:
            return False
        for m in range(k + 1, n):
            cx, cy = ring[m, 0], ring[m, 1]
            dx, dy = ring[(m + 1) % n, 0], ring[(m + 1) % n, 1]
            if m == k + 1 or (m + 1) % n == k:
                # neighbours share a corner: they must not run back along each other
                px, py = (cx, cy) if m == k + 1 else (ax, ay)
                ux, uy = (ax - px, ay - py) if m == k + 1 else (bx - px, by - py)
                vx, vy = (dx - px, dy - py) if m == k + 1 else (cx - px, cy - py)
                if ux * vy - uy * vx == 0.0 and ux * vx + uy * vy > 0.0:
                    return False
                continue
            one, other = _side(ax, ay, bx, by, cx, cy), _side(ax, ay, bx, by, dx, dy)
            here, there = _side(cx, cy, dx, dy, ax, ay), _side(cx, cy, dx, dy, bx, by)
            if ((one > 0.0) != (other > 0.0) or one == 0.0 or other == 0.0) and (
                (here > 0.0) != (there > 0.0) or here == 0.0 or there == 0.0
            ):
                # in one line they may still lie apart
                if one == 0.0 and other == 0.0:
                    if max(ax, bx) < min(cx, dx) or max(cx, dx) < min(ax, bx):
                        continue
                    if max(ay, by) < min(cy, dy) or max(cy, dy) < min(ay, by):
                        continue
                return False
    return True


@dataclass(frozen=True, eq=False)
class Ring:
    """An outline, counter-clockwise seen from above."""

    corners: Float64  #: (n, 2) metres east and north
    names: tuple[str, ...]  #: of the edge from each corner to the next

    def __len__(self) -> int:
        return len(self.names)

    def edge(self, name: str) -> int:
        """The row of the edge that is called so; -1 where none is."""
        return self.names.index(name) if name in self.names else -1

    def ends(self, k: int) -> tuple[Float64, Float64]:
        """Where an edge begins and ends."""
        return self.corners[k], self.corners[(k + 1) % len(self.names)]

    @property
    def lengths(self) -> Float64:
        """(n,) metres."""
        return normals_of(self.corners)[1]

    @property
    def sound(self) -> bool:
        """Whether it neither crosses nor touches itself, and encloses something."""
        return bool(area_of(self.corners) > 0.25 and _simple(self.corners))


def pulled(ring: Ring, edge: int, along: tuple[float, float], out: float, called: str = "") -> Ring:
    """A ring with a part of an edge moved outwards, or inwards where `out` is below 0.

    Args:
        along: metres from the beginning of the edge, from and to.
        called: what is put there; the edge then keeps its name. Without it the part that is moved does, and the new edges are called after it.

    Returns:
        One with up to five edges for one: the first part of the edge, the near side, the front, the far side, the last part.
    """
    name = ring.names[edge]
    a, b = ring.ends(edge)
    way = (b - a) / math.hypot(*(b - a))
    away = np.array([way[1], -way[0]]) * out
    long = math.hypot(*(b - a))
    start, end = max(0.0, along[0]), min(long, along[1])
    corners, names = [ring.corners[: edge + 1]], list(ring.names[:edge])
    moved = [a + start * way, a + start * way + away, a + end * way + away, a + end * way]
    first, last = start < LEAST, end > long - LEAST
    own = [f"{called or name}-near", f"{called}-front" if called else name, f"{called or name}-far"]
    if first:
        corners.append(np.array(moved[1:]))
        names += own
    else:
        corners.append(np.array(moved))
        names += [name if called else f"{name}-first", *own]
    if last:
        corners[-1] = corners[-1][:-1]
    else:
        names.append(name if called and first else f"{name}-last")
    corners.append(ring.corners[edge + 1 :])
    names += ring.names[edge + 1 :]
    return Ring(np.concatenate(corners), tuple(names))


def moved(ring: Ring, by: Callable[[str], float]) -> Ring:
    """A ring whose edges have moved outwards by so much each; corners stay where their edges cross."""
    normals, _ = normals_of(ring.corners)
    level = np.einsum("ij,ij->i", normals, ring.corners) - [by(name) for name in ring.names]
    before = np.roll(np.arange(len(ring)), 1)
    n, m, a, b = normals[before], normals, level[before], level
    whole = n[:, 0] * m[:, 1] - n[:, 1] * m[:, 0]
    fine = np.abs(whole) > math.sin(_SHARPEST)
    safe = np.where(fine, whole, 1.0)
    crossing = np.stack([a * m[:, 1] - b * n[:, 1], n[:, 0] * b - m[:, 0] * a], axis=1)
    # where two edges all but run on in one line the corner moves with the first
    lean = ring.corners + (a - np.einsum("ij,ij->i", n, ring.corners))[:, None] * n
    return replace(ring, corners=np.where(fine[:, None], crossing / safe[:, None], lean))


def tidied(ring: Ring) -> Ring:
    """A ring without edges that are shorter than two centimetres, or run back along the one before them."""
    corners, names = ring.corners, list(ring.names)
    k = 0
    while k < len(names) and len(names) > 3:
        n = len(names)
        here, after, before = corners[k], corners[(k + 1) % n], corners[k - 1]
        come, go = here - before, after - here
        long, own = math.hypot(*come), math.hypot(*go)
        cross = come[0] * go[1] - come[1] * go[0]
        back = abs(cross) < 1e-6 * max(long * own, 1e-9) and come @ go < 0
        if own > LEAST and not back:
            k += 1
            continue
        # its corner goes; of two that lie on each other the longer one keeps its name
        if back and long > own:
            names[k] = names[k - 1]
        if own > LEAST or back:
            del names[k - 1]
        else:
            del names[k]
        corners = np.delete(corners, k, axis=0)
        k = 0
    return ring if len(names) == len(ring) else Ring(corners, tuple(names))


@dataclass(frozen=True, slots=True)
class Region:
    """A flat part of a plan: an outline, and holes in it."""

    rings: list[Float64]  #: (n, 2) the outline counter-clockwise, holes clockwise
    names: list[str]  #: of the edges of all rings; "" where none has one


def difference(ring: Ring, less: Ring | None) -> list[Region]:
    """What of an outline is not covered by another; its edges keep their names, those along the other get none."""
    import shapely
    from scipy.spatial import cKDTree
    from shapely import Polygon

    if less is None:
        return [Region([ring.corners], list(ring.names))]
    whole, cut = Polygon(ring.corners), Polygon(less.corners)
    if whole.contains_properly(cut):
        return [Region([ring.corners, less.corners[::-1]], [*ring.names, *([""] * len(less))])]
    shape = shapely.difference(whole, cut, grid_size=_GRID)
    own = np.concatenate([ring.corners, less.corners])
    known = cKDTree(own)
    parts = [shape] if shape.geom_type == "Polygon" else list(getattr(shape, "geoms", ()))
    out = []
    for part in parts:
        if part.geom_type != "Polygon" or part.buffer(-0.02).is_empty:
            continue
        rings = []
        for k, line in enumerate([part.exterior, *part.interiors]):
            corners = np.array(line.coords)[:-1]
            away, near = known.query(corners)
            corners = np.where((away < 2 * _GRID)[:, None], own[near], corners)
            rings.append(corners if (area_of(corners) > 0) == (k == 0) else corners[::-1])
        names = [_named(ring, a, b) for r in rings for a, b in _edges(r)]
        out.append(Region(rings, names))
    return out


def _edges(ring: Float64) -> Sequence[tuple[Float64, Float64]]:
    return list(zip(ring, np.roll(ring, -1, axis=0), strict=True))


def _named(ring: Ring, a: Float64, b: Float64) -> str:
    """The edge of a ring on which a stretch lies; "" where none is."""
    middle = 0.5 * (a + b)
    for k, name in enumerate(ring.names):
        p, q = ring.ends(k)
        way = q - p
        long = math.hypot(*way)
        s, off = (middle - p) @ way / long, (way[0] * (middle - p)[1] - way[1] * (middle - p)[0])
        if abs(off) / long < 2e-3 and -1e-3 < s < long + 1e-3 and (b - a) @ way > 0:
            return name
    return ""
