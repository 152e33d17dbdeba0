"""Convex bodies about a mesh: its hull, or several that follow it closer."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Bool, Float32, Float64

_CUTS = (0.2, 0.35, 0.5, 0.65, 0.8)  #: where a body may be cut, along each axis
MOST_CORNERS = 64  #: of a hull that is taken as it is
_TRIED = 300  #: triangles that cuts are tried on
_LEAST = 1e-3  #: of the size: a body is at least so thick
_CLOSE, _AT_ONCE = (
    2e-3,
    6,
)  #: of the size, that a body may stand out of a hull; planes that are put to it together


def hull_of(points: Float64, most: int = 0) -> tuple[Float32, float]:
    """The corners (n, 3) of the convex hull, and its volume; what is flat is given a thickness.

    Args:
        most: in place of a hull with more corners the body between so many planes of it is taken; it holds the hull and has less than twice as many corners.
    """
    from scipy.spatial import ConvexHull, QhullError

    size = float(np.ptp(points, axis=0).max()) or 1.0
    try:
        hull = ConvexHull(points)
    except QhullError:
        thick = _LEAST * size * np.array([[-1, -1, -1], [1, -1, 1], [-1, 1, 1], [1, 1, -1]])
        hull = ConvexHull((points[:, None] + thick).reshape(-1, 3), qhull_options="QJ")
    corners = hull.points[hull.vertices]
    if most and len(corners) > most:
        return hull_of(_between(corners, hull.equations, most))
    return corners.astype(np.float32), float(hull.volume)


def _between(corners: Float64, faces: Float64, most: int) -> Float64:
    """Corners of a body between `most` planes about a hull: those of its box, and of its own faces the ones from which corners of the body stand out most.

    Args:
        faces: (f, 4) normals outwards and offsets.
    """
    from scipy.spatial import HalfspaceIntersection

    sides = np.concatenate([np.eye(3), -np.eye(3)])
    box = np.concatenate([sides, -(corners @ sides.T).max(axis=0)[:, None]], axis=1)
    body = HalfspaceIntersection(box, corners.mean(axis=0), incremental=True)
    many, enough = len(box), _CLOSE * float(np.ptp(corners, axis=0).max())
    while many < most:
        out = body.intersections @ faces[:, :3].T + faces[:, 3]
        worst = out.max(axis=1)
        rows = np.argsort(-worst, kind="stable")[: min(_AT_ONCE, most - many)]
        cut = np.unique(out[rows[worst[rows] > enough]].argmax(axis=1))
        if not len(cut):
            break
        body.add_halfspaces(faces[cut])
        many += len(cut)
    found: Float64 = body.intersections
    return found


def _cut(soup: Float64, axis: int, at: float) -> tuple[Float64, Float64]:
    """(m, 3, 3) triangles below and above a plane; those that it cuts are cut."""
    below = soup[..., axis] < at
    count = below.sum(axis=1)
    halves: list[list[Float64]] = [[soup[count == 3]], [soup[count == 0]]]
    for few, apex in ((1, True), (2, False)):
        cut = soup[count == few]
        if not len(cut):
            continue
        alone = (below[count == few] == apex).argmax(axis=1)
        rows = np.arange(len(cut))
        p, q, r = (cut[rows, (alone + k) % 3] for k in range(3))
        t = ((at - p[:, axis]) / (q[:, axis] - p[:, axis]))[:, None]
        s = ((at - p[:, axis]) / (r[:, axis] - p[:, axis]))[:, None]
        one, two = p + t * (q - p), p + s * (r - p)
        tip = np.stack([p, one, two], axis=1)
        rest = np.concatenate([np.stack([one, q, r], axis=1), np.stack([one, r, two], axis=1)])
        halves[0 if apex else 1].append(tip)
        halves[1 if apex else 0].append(rest)
    return np.concatenate(halves[0]), np.concatenate(halves[1])


def _halves(soup: Float64) -> tuple[float, Float64, Float64] | None:
    """`soup` cut where two hulls have the least volume: the volume that this saves, and both halves."""
    points = soup.reshape(-1, 3)
    low, high = points.min(axis=0), points.max(axis=0)
    few = soup[:: max(1, len(soup) // _TRIED)]
    best, where = np.inf, (0, 0.0)
    for axis in range(3):
        if high[axis] - low[axis] < 0.05 * float((high - low).max()):
            continue
        for share in _CUTS:
            at = float(low[axis] + share * (high[axis] - low[axis]))
            parts = _cut(few, axis, at)
            if all(len(part) for part in parts):
                both = sum(hull_of(part.reshape(-1, 3))[1] for part in parts)
                if both < best:
                    best, where = both, (axis, at)
    if best == np.inf:
        return None
    a, b = _cut(soup, *where)
    saved = hull_of(points)[1] - hull_of(a.reshape(-1, 3))[1] - hull_of(b.reshape(-1, 3))[1]
    return saved, a, b


def convex_pieces(soup: Float64, most: int) -> list[Float32]:
    """Corners of at most `most` convex bodies that together hold every triangle of `soup` (m, 3, 3) and little else.

    The body that gains most is cut in two along an axis, again and again; cuts that save less than a hundredth of the first hull are not made.
    """
    least = 0.01 * hull_of(soup.reshape(-1, 3))[1]
    bodies = [(soup, _halves(soup))]
    while len(bodies) < most:
        best = max(range(len(bodies)), key=lambda k: cut[0] if (cut := bodies[k][1]) else -1.0)
        cut = bodies[best][1]
        if cut is None or cut[0] < least:
            break
        bodies[best : best + 1] = [(half, _halves(half)) for half in cut[1:]]
    return [hull_of(half.reshape(-1, 3), MOST_CORNERS)[0] for half, _ in bodies]


def beyond(body: Float32, points: Float64) -> Float64:
    """(n,) metres by which points lie outside of the farthest plane of a convex body of these corners; less than 0 within."""
    from scipy.spatial import ConvexHull

    planes = ConvexHull(body.astype(np.float64)).equations
    return np.asarray((points @ planes[:, :3].T + planes[:, 3]).max(axis=1))


def holds(body: Float32, points: Float64, near: float) -> Bool:
    """(n,) whether points lie within a convex body of these corners, or at most `near` outside."""
    return np.asarray(beyond(body, points) <= near)
