"""Where a surface crosses itself, told by its pairs of triangles."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Bool, Float64, Int64
from plough.core.kernels import kernel, together

_FINEST = 200  # cells along a side in which triangles are looked for, at most
_FLAT = 1e-8  # of the length of a side, how far off a triangle a point is that is told from one in its plane
_WIDE = 1.6  # of the mean length of a side, how wide such a cell is


@kernel
def _pierces(points: Float64, p: int, q: int, t: Int64) -> bool:
    """Whether the stretch between two points goes through a triangle; one that only touches it does not."""
    a, b, c = t[0], t[1], t[2]
    ux, uy, uz = (
        points[b, 0] - points[a, 0],
        points[b, 1] - points[a, 1],
        points[b, 2] - points[a, 2],
    )
    vx, vy, vz = (
        points[c, 0] - points[a, 0],
        points[c, 1] - points[a, 1],
        points[c, 2] - points[a, 2],
    )
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    size = math.sqrt(nx * nx + ny * ny + nz * nz)
    if size == 0.0:
        return False
    px, py, pz = (
        points[p, 0] - points[a, 0],
        points[p, 1] - points[a, 1],
        points[p, 2] - points[a, 2],
    )
    qx, qy, qz = (
        points[q, 0] - points[a, 0],
        points[q, 1] - points[a, 1],
        points[q, 2] - points[a, 2],
    )
    high, low = (nx * px + ny * py + nz * pz) / size, (nx * qx + ny * qy + nz * qz) / size
    slack = _FLAT * math.sqrt(size)
    if (high > -slack and low > -slack) or (high < slack and low < slack):
        return False
    s = high / (high - low)
    x, y, z = px + s * (qx - px), py + s * (qy - py), pz + s * (qz - pz)
    uu, uv, vv = (
        ux * ux + uy * uy + uz * uz,
        ux * vx + uy * vy + uz * vz,
        vx * vx + vy * vy + vz * vz,
    )
    xu, xv = x * ux + y * uy + z * uz, x * vx + y * vy + z * vz
    whole = uu * vv - uv * uv
    if whole <= 0.0:
        return False
    f, g = (vv * xu - uv * xv) / whole, (uu * xv - uv * xu) / whole
    return bool(f > 0.0 and g > 0.0 and f + g < 1.0)


@kernel
def _beside(points: Float64, plane: Float64, s: Int64, t: Int64) -> bool:
    """Whether all points of a triangle that are not another's lie on one side of its plane, or all but in it."""
    above, below = True, True
    for k in t:
        if k in (s[0], s[1], s[2]):
            continue
        high = 0.0
        for c in range(3):
            high += plane[c] * (points[k, c] - points[s[0], c])
        above, below = above and high > -plane[3], below and high < plane[3]
    return above or below


@kernel
def _pair(points: Float64, s: Int64, t: Int64) -> bool:
    """Whether two triangles cross, beyond points that they share."""
    common = 0
    for i in range(3):
        for j in range(3):
            if s[i] == t[j]:
                common += 1
    if common >= 2:
        return False
    for i in range(3):
        p, q = s[i], s[(i + 1) % 3]
        if (
            p not in (t[0], t[1], t[2])
            and q not in (t[0], t[1], t[2])
            and _pierces(points, p, q, t)
        ):
            return True
        p, q = t[i], t[(i + 1) % 3]
        if (
            p not in (s[0], s[1], s[2])
            and q not in (s[0], s[1], s[2])
            and _pierces(points, p, q, s)
        ):
            return True
    return False


@kernel
def _apart(a: Float64, b: Float64) -> bool:
    """Whether two boxes (6,) have nothing in common."""
    return bool(
        a[0] > b[3] or b[0] > a[3] or a[1] > b[4] or b[1] > a[4] or a[2] > b[5] or b[2] > a[5]
    )


@kernel
def _boxes(
    points: Float64,
    faces: Int64,
    low: Float64,
    cell: float,
    shape: Int64,
    room: Float64,
    box: Int64,
    plane: Float64,
) -> None:
    """The boxes of triangles: `room` in metres, `box` in cells; least and greatest, (t, 6). And their planes (t, 4): the unit normal, and how far off it is near."""
    for t in range(faces.shape[0]):
        i, j, k = faces[t, 0], faces[t, 1], faces[t, 2]
        size = 0.0
        for c in range(3):
            d, e = (c + 1) % 3, (c + 2) % 3
            plane[t, c] = (points[j, d] - points[i, d]) * (points[k, e] - points[i, e])
            plane[t, c] -= (points[j, e] - points[i, e]) * (points[k, d] - points[i, d])
            size += plane[t, c] ** 2
        size = math.sqrt(size)
        for c in range(3):
            plane[t, c] /= max(size, 1e-300)
        plane[t, 3] = _FLAT * math.sqrt(size)
        for c in range(3):
            a, b, d = points[faces[t, 0], c], points[faces[t, 1], c], points[faces[t, 2], c]
            room[t, c], room[t, c + 3] = min(a, b, d), max(a, b, d)
            for m in (c, c + 3):
                at = int(math.floor((room[t, m] - low[c]) / cell))
                box[t, m] = min(max(at, 0), shape[c] - 1)


@kernel
def _listed(box: Int64, shape: Int64, start: Int64, held: Int64, fills: bool) -> None:
    """Count the triangles of each cell in `start`, one cell on; or fill them in."""
    for t in range(box.shape[0]):
        for i in range(box[t, 0], box[t, 3] + 1):
            for j in range(box[t, 1], box[t, 4] + 1):
                for k in range(box[t, 2], box[t, 5] + 1):
                    c = (i * shape[1] + j) * shape[2] + k
                    if fills:
                        held[start[c]] = t
                        start[c] += 1
                    else:
                        start[c + 1] += 1


@kernel
def _search(
    points: Float64,
    faces: Int64,
    room: Float64,
    box: Int64,
    plane: Float64,
    shape: Int64,
    start: Int64,
    held: Int64,
    first: int,
    last: int,
    out: Bool,
) -> None:
    for i in range(first, last):
        for j in range(shape[1]):
            for k in range(shape[2]):
                c = (i * shape[1] + j) * shape[2] + k
                for m in range(start[c], start[c + 1]):
                    s = held[m]
                    for n in range(m + 1, start[c + 1]):
                        t = held[n]
                        # a pair is looked at in the first cell that both are in
                        if max(box[s, 0], box[t, 0]) != i or max(box[s, 1], box[t, 1]) != j:
                            continue
                        if max(box[s, 2], box[t, 2]) != k or (out[s] and out[t]):
                            continue
                        if _apart(room[s], room[t]):
                            continue
                        if _beside(points, plane[s], faces[s], faces[t]):
                            continue
                        if _pair(points, faces[s], faces[t]):
                            out[s] = out[t] = True


def crossing(points: Float64, faces: Int64) -> Bool:
    """(t,) which triangles cross another, beyond the points that they share.

    Args:
        points: (p, 3) metres.
        faces: (t, 3) of them; triangles that have two points in common are not told.
    """
    out = np.zeros(len(faces), bool)
    if not len(faces):
        return out
    low, high = points.min(axis=0), points.max(axis=0)
    side = np.linalg.norm(points[faces[:, 1]] - points[faces[:, 0]], axis=1)
    cell = max(_WIDE * float(side.mean()), float((high - low).max()) / _FINEST, 1e-12)
    shape = np.floor((high - low) / cell).astype(np.int64) + 1
    room, box = np.empty((len(faces), 6)), np.empty((len(faces), 6), np.int64)
    plane = np.empty((len(faces), 4))
    _boxes(points, faces, low, cell, shape, room, box, plane)
    start = np.zeros(int(shape.prod()) + 1, np.int64)
    _listed(box, shape, start, np.empty(0, np.int64), False)
    start = np.cumsum(start)
    held = np.empty(int(start[-1]), np.int64)
    _listed(box, shape, start[:-1].copy(), held, True)
    both = [np.zeros(len(faces), bool) for _ in range(2)]
    layers = start[:: int(shape[1] * shape[2])]
    middle = int(np.searchsorted(layers, len(held) // 2))
    args = (points, faces, room, box, plane, shape, start, held)
    together(
        lambda: _search(*args, 0, middle, both[0]),
        lambda: _search(*args, middle, int(shape[0]), both[1]),
    )
    return np.asarray(both[0] | both[1])
