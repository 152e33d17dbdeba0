"""Triangles in a grid of cells: which of them are near a place, and which a line goes through.

Cells lie where they lie whatever is in them, and only those that hold something take room: what is far away changes nothing here.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64
from plough.core.kernels import kernel

_CELL = 0.12  # metres
_MOST_HELD = 8_000_000  # triangles, counted once for each cell that they may be in
_BESIDE = 0.15  # metres about where a large skin hangs, in which it is looked at first
_OFFSET = 1 << 20  # cells to either side of the origin


class Grid(NamedTuple):
    """Triangles by cell, as kernels take them."""

    triangles: Float64  #: (t, 3, 3) metres; their fronts are where they turn left
    normal: Float64  #: (t, 3) unit
    cell: float  #: metres
    code: Int64  #: (2^k,) the cell in each place of the table, -1 for none
    start: Int64  #: (2^k + 1,) of each one's rows of `held`
    held: Int64  #: rows of triangles

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        arrays = (self.triangles, self.normal, self.code, self.start, self.held)
        return sum(a.nbytes for a in arrays)


class Scratch(NamedTuple):
    """What one run of a kernel writes on."""

    near: Int64  #: (t,) rows of triangles
    seen: Int64  #: (t,) when each was last looked at
    clock: Int64  #: (1,)


def grid_of(triangles: Float64) -> Grid:
    """Triangles (t, 3, 3); those without an area are left out."""
    across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    size = np.linalg.norm(across, axis=1)
    there = size > 1e-10
    triangles = np.ascontiguousarray(triangles[there], np.float64)
    normal = np.ascontiguousarray(across[there] / size[there][:, None])
    cell, nothing = _CELL, np.empty(0, np.int64)
    while (total := _held(triangles, normal, cell, nothing, nothing, nothing, 0)) > _MOST_HELD:
        cell *= 1.5
    size = 1 << (total // 4 + 1).bit_length()
    while True:
        code = np.full(size, -1, np.int64)
        start = np.zeros(size + 1, np.int64)
        if _held(triangles, normal, cell, code, start, nothing, 1) >= 0:
            break
        size *= 2
    start = np.cumsum(start)
    held = np.empty(int(start[-1]), np.int64)
    _held(triangles, normal, cell, code, start[:-1].copy(), held, 2)
    return Grid(triangles, normal, cell, code, start, held)


@kernel
def _cell_of(x: float, cell: float) -> int:
    return min(max(int(math.floor(x / cell)) + _OFFSET, 0), 2 * _OFFSET - 1)


@kernel
def _place_of(code: Int64, own: int) -> int:
    """Where in the table a cell is, or would be."""
    mask = code.shape[0] - 1
    mixed = np.uint64(own) * np.uint64(0x9E3779B97F4A7C15)
    at = np.int64(mixed >> np.uint64(20)) & mask
    while code[at] != own and code[at] != -1:
        at = (at + 1) & mask
    return int(at)


@kernel
def _held(
    triangles: Float64,
    normal: Float64,
    cell: float,
    code: Int64,
    at: Int64,
    held: Int64,
    step: int,
) -> int:
    """How often a triangle may be in a cell; then name the cells and count in `at`, one on, or give -1 where the table becomes too full; then fill `held` from `at` on."""
    first, last = np.empty(3, np.int64), np.empty(3, np.int64)
    total, named = 0, 0
    for t in range(triangles.shape[0]):
        slack = 1e-9
        for c in range(3):
            a, b, d = triangles[t, 0, c], triangles[t, 1, c], triangles[t, 2, c]
            first[c] = _cell_of(min(a, b, d), cell)
            last[c] = _cell_of(max(a, b, d), cell)
            slack += 0.5 * cell * abs(normal[t, c])
        for i in range(first[0], last[0] + 1):
            x = (i - _OFFSET + 0.5) * cell - triangles[t, 0, 0]
            for j in range(first[1], last[1] + 1):
                y = (j - _OFFSET + 0.5) * cell - triangles[t, 0, 1]
                for k in range(first[2], last[2] + 1):
                    z = (k - _OFFSET + 0.5) * cell - triangles[t, 0, 2]
                    off = normal[t, 0] * x + normal[t, 1] * y + normal[t, 2] * z
                    if abs(off) > slack:
                        continue  # its plane goes by
                    total += 1
                    if step == 0:
                        continue
                    own = (i << 42) | (j << 21) | k
                    place = _place_of(code, own)
                    if code[place] == -1:
                        code[place] = own
                        named += 1
                        if 2 * named > code.shape[0]:
                            return -1
                    if step == 1:
                        at[place + 1] += 1
                    else:
                        held[at[place]] = t
                        at[place] += 1
    return total


@kernel
def scratch_for(g: Grid) -> Scratch:
    """What `near_box` needs; one for each thread."""
    many = g.triangles.shape[0]
    return Scratch(np.empty(many, np.int64), np.zeros(many, np.int64), np.zeros(1, np.int64))


@kernel
def near_box(
    g: Grid, w: Scratch, x0: float, y0: float, z0: float, x1: float, y1: float, z1: float
) -> int:
    """How many triangles, each once, are in cells that a box meets, and have a box of their own that meets it: the first of `w.near`."""
    w.clock[0] += 1
    now, count = w.clock[0], 0
    for i in range(_cell_of(x0, g.cell), _cell_of(x1, g.cell) + 1):
        for j in range(_cell_of(y0, g.cell), _cell_of(y1, g.cell) + 1):
            for k in range(_cell_of(z0, g.cell), _cell_of(z1, g.cell) + 1):
                place = _place_of(g.code, (i << 42) | (j << 21) | k)
                for n in range(g.start[place], g.start[place + 1]):
                    t = g.held[n]
                    if w.seen[t] == now:
                        continue
                    w.seen[t] = now
                    v = g.triangles
                    if (
                        min(v[t, 0, 0], v[t, 1, 0], v[t, 2, 0]) <= x1
                        and max(v[t, 0, 0], v[t, 1, 0], v[t, 2, 0]) >= x0
                        and min(v[t, 0, 1], v[t, 1, 1], v[t, 2, 1]) <= y1
                        and max(v[t, 0, 1], v[t, 1, 1], v[t, 2, 1]) >= y0
                        and min(v[t, 0, 2], v[t, 1, 2], v[t, 2, 2]) <= z1
                        and max(v[t, 0, 2], v[t, 1, 2], v[t, 2, 2]) >= z0
                    ):
                        w.near[count] = t
                        count += 1
    return count


@kernel
def onto(t: Float64, px: float, py: float, pz: float) -> tuple[float, float, float]:
    """The place of a triangle (3, 3) that is nearest to another (Ericson 2005)."""
    ax, ay, az = t[0, 0], t[0, 1], t[0, 2]
    abx, aby, abz = t[1, 0] - ax, t[1, 1] - ay, t[1, 2] - az
    acx, acy, acz = t[2, 0] - ax, t[2, 1] - ay, t[2, 2] - az
    apx, apy, apz = px - ax, py - ay, pz - az
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    if d1 <= 0.0 and d2 <= 0.0:
        return ax, ay, az
    bpx, bpy, bpz = px - t[1, 0], py - t[1, 1], pz - t[1, 2]
    d3 = abx * bpx + aby * bpy + abz * bpz
    d4 = acx * bpx + acy * bpy + acz * bpz
    if d3 >= 0.0 and d4 <= d3:
        return t[1, 0], t[1, 1], t[1, 2]
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        v = d1 / (d1 - d3)
        return ax + v * abx, ay + v * aby, az + v * abz
    cpx, cpy, cpz = px - t[2, 0], py - t[2, 1], pz - t[2, 2]
    d5 = abx * cpx + aby * cpy + abz * cpz
    d6 = acx * cpx + acy * cpy + acz * cpz
    if d6 >= 0.0 and d5 <= d6:
        return t[2, 0], t[2, 1], t[2, 2]
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        w = d2 / (d2 - d6)
        return ax + w * acx, ay + w * acy, az + w * acz
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return (
            t[1, 0] + w * (t[2, 0] - t[1, 0]),
            t[1, 1] + w * (t[2, 1] - t[1, 1]),
            t[1, 2] + w * (t[2, 2] - t[1, 2]),
        )
    part = 1.0 / (va + vb + vc)
    v, w = vb * part, vc * part
    return ax + abx * v + acx * w, ay + aby * v + acy * w, az + abz * v + acz * w


@kernel
def off_plane(g: Grid, t: int, x: float, y: float, z: float) -> float:
    """Metres before the plane of a triangle."""
    dx, dy, dz = x - g.triangles[t, 0, 0], y - g.triangles[t, 0, 1], z - g.triangles[t, 0, 2]
    return float(g.normal[t, 0] * dx + g.normal[t, 1] * dy + g.normal[t, 2] * dz)


@kernel
def nearest_front(
    g: Grid, w: Scratch, x: float, y: float, z: float, far: float
) -> tuple[int, float, float, float]:
    """The nearest triangle no farther than that whose front a place sees, or -1, and the place on it."""
    best, found = far * far, -1
    qx = qy = qz = 0.0
    reach = min(0.5 * g.cell, far)
    while True:
        for n in range(
            near_box(g, w, x - reach, y - reach, z - reach, x + reach, y + reach, z + reach)
        ):
            t = w.near[n]
            # its plane is no nearer than it is
            off = off_plane(g, t, x, y, z)
            if off <= 0.0 or off * off > best:
                continue
            px, py, pz = onto(g.triangles[t], x, y, z)
            away = (px - x) ** 2 + (py - y) ** 2 + (pz - z) ** 2
            if away < best or (away == best and t < found):
                best, found = away, t
                qx, qy, qz = px, py, pz
        if reach >= far or (found >= 0 and best <= reach * reach):
            return found, qx, qy, qz
        # what was found may not be the nearest, but nothing nearer is beyond it
        reach = min(2.0 * reach, far) if found < 0 else min(math.sqrt(best) * (1.0 + 1e-12), far)


@kernel
def nearest_fronts(g: Grid, places: Float64, far: float) -> tuple[Int64, Float64]:
    """(n,) and (n, 3): `nearest_front` of each of some places (n, 3)."""
    w = scratch_for(g)
    found, at = np.empty(places.shape[0], np.int64), np.zeros((places.shape[0], 3))
    for n in range(places.shape[0]):
        t, x, y, z = nearest_front(g, w, places[n, 0], places[n, 1], places[n, 2], far)
        found[n] = t
        at[n, 0], at[n, 1], at[n, 2] = x, y, z
    return found, at


@kernel
def _through(v: Float64, n: Float64, a: Float64, b: Float64) -> float:
    """How far along the line from `a` to `b` goes through a triangle (3, 3) with the normal `n`, from either side; 2 where it does not."""
    # both ends on one side of its plane: most are
    near = n[0] * (a[0] - v[0, 0]) + n[1] * (a[1] - v[0, 1]) + n[2] * (a[2] - v[0, 2])
    far = n[0] * (b[0] - v[0, 0]) + n[1] * (b[1] - v[0, 1]) + n[2] * (b[2] - v[0, 2])
    if (near > 0.0) == (far > 0.0):
        return 2.0
    s = near / (near - far)
    px, py, pz = a[0] + s * (b[0] - a[0]), a[1] + s * (b[1] - a[1]), a[2] + s * (b[2] - a[2])
    for e in range(3):
        f = (e + 1) % 3
        ex, ey, ez = v[f, 0] - v[e, 0], v[f, 1] - v[e, 1], v[f, 2] - v[e, 2]
        ox, oy, oz = px - v[e, 0], py - v[e, 1], pz - v[e, 2]
        side = n[0] * (ey * oz - ez * oy) + n[1] * (ez * ox - ex * oz) + n[2] * (ex * oy - ey * ox)
        if side < -1e-9:
            return 2.0
    return float(s)


@kernel
def pierced(g: Grid, w: Scratch, a: Float64, b: Float64) -> tuple[int, float]:
    """The first triangle that a line from `a` to `b` goes through, from either side, or -1, and how far along it."""
    best, found = 1.0 + 1e-9, -1
    for n in range(
        near_box(
            g,
            w,
            min(a[0], b[0]),
            min(a[1], b[1]),
            min(a[2], b[2]),
            max(a[0], b[0]),
            max(a[1], b[1]),
            max(a[2], b[2]),
        )
    ):
        t = w.near[n]
        s = _through(g.triangles[t], g.normal[t], a, b)
        if s < best or (s == best and t < found):
            best, found = s, t
    return found, best


@kernel
def free_lines(g: Grid, lines: Float64) -> Bool:
    """(n,) whether nothing is in the way of lines (n, 2, 3)."""
    w = scratch_for(g)
    out = np.empty(lines.shape[0], np.bool_)
    for n in range(lines.shape[0]):
        out[n] = pierced(g, w, lines[n, 0], lines[n, 1])[0] < 0
    return out


class Skin(NamedTuple):
    """A thin thing's faces, in its own axes."""

    points: Float64  #: (p, 3) metres
    edges: Int64  #: (e, 2) rows of points
    faces: Int64  #: (f, 3) rows of points


def skin_of(points: Float64, faces: Int64) -> Skin:
    """A skin of triangles (f, 3)."""
    pairs = np.sort(faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    return Skin(points, np.unique(pairs, axis=0), faces)


@kernel
def _cut(
    g: Grid, w: Scratch, skin: Skin, at: Float64, off: Float64, low: Float64, high: Float64
) -> bool:
    """Whether a triangle within a box cuts a skin whose points are `at` (p, 3); `off` (p,) is written on."""
    many = skin.points.shape[0]
    e1, e2, across, own = np.empty(3), np.empty(3), np.empty(3), np.empty((3, 3))
    for k in range(near_box(g, w, low[0], low[1], low[2], high[0], high[1], high[2])):
        t = w.near[k]
        before = 0
        for p in range(many):
            off[p] = off_plane(g, t, at[p, 0], at[p, 1], at[p, 2])
            before += off[p] > 0.0
        if before in (0, many):
            continue  # all of it on one side
        v = g.triangles[t]
        for e in range(skin.edges.shape[0]):
            a, b = int(skin.edges[e, 0]), int(skin.edges[e, 1])
            if (off[a] > 0.0) != (off[b] > 0.0) and _through(v, g.normal[t], at[a], at[b]) < 2.0:
                return True
        # a corner that pricks a face without touching its edges
        for f in range(skin.faces.shape[0]):
            i, j, m = skin.faces[f, 0], skin.faces[f, 1], skin.faces[f, 2]
            if (off[i] > 0.0) == (off[j] > 0.0) and (off[j] > 0.0) == (off[m] > 0.0):
                continue
            for c in range(3):
                e1[c], e2[c] = at[j, c] - at[i, c], at[m, c] - at[i, c]
            across[0] = e1[1] * e2[2] - e1[2] * e2[1]
            across[1] = e1[2] * e2[0] - e1[0] * e2[2]
            across[2] = e1[0] * e2[1] - e1[1] * e2[0]
            own[0], own[1], own[2] = at[i], at[j], at[m]
            for e in range(3):
                if _through(own, across, v[e], v[(e + 1) % 3]) < 2.0:
                    return True
    return False


@kernel
def clear_skins(g: Grid, skin: Skin, position: Float64, rotation: Float64, scale: Float64) -> Bool:
    """(n,) whether no triangle cuts a skin that stands at `position` (n, 3), turned by `rotation` (n, 4; xyzw) and sized by `scale` (n, 3)."""
    w = scratch_for(g)
    out = np.ones(position.shape[0], np.bool_)
    many = skin.points.shape[0]
    at, off = np.empty((many, 3)), np.empty(many)
    low, high = np.empty(3), np.empty(3)
    first, last = np.empty(3), np.empty(3)
    for n in range(position.shape[0]):
        x, y, z, r = rotation[n, 0], rotation[n, 1], rotation[n, 2], rotation[n, 3]
        for p in range(many):
            a = skin.points[p, 0] * scale[n, 0]
            b = skin.points[p, 1] * scale[n, 1]
            d = skin.points[p, 2] * scale[n, 2]
            # twice the cross product with the turn's axis, and that once more
            tx, ty, tz = 2 * (y * d - z * b), 2 * (z * a - x * d), 2 * (x * b - y * a)
            at[p, 0] = position[n, 0] + a + r * tx + y * tz - z * ty
            at[p, 1] = position[n, 1] + b + r * ty + z * tx - x * tz
            at[p, 2] = position[n, 2] + d + r * tz + x * ty - y * tx
        wide = 0.0
        for c in range(3):
            low[c], high[c] = at[:, c].min(), at[:, c].max()
            first[c] = max(low[c], position[n, c] - _BESIDE)
            last[c] = min(high[c], position[n, c] + _BESIDE)
            wide = max(wide, high[c] - low[c])
        # what is large is cut where it hangs, if at all
        if wide > 4.0 * _BESIDE and _cut(g, w, skin, at, off, first, last):
            out[n] = False
        else:
            out[n] = not _cut(g, w, skin, at, off, low, high)
    return out
