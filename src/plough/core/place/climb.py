"""Climbers: stems that grow over triangles from where they start, and the leaves on them.

A stem goes step by step. Each step turns by chance and by a pull upwards, away from stems that were there before, and along the face that it is on; then it comes
to lie a little way off the nearest face whose front it sees. What stands in its way it climbs; over a rim it goes on through the air as far as a gap may be wide,
and else turns along the rim. No step goes through a triangle. Stem `i` springs from one of those before it, and heeds only those: more stems leave the others.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.kernels import kernel
from plough.core.rng import bits, stream, symmetric, uniform

_TURN, _FROM, _SHARE, _LONG, _SIDE = (
    stream(f"climb.{n}") for n in ("turn", "from", "share", "long", "side")
)
_CELL = 0.12  # metres of a cell of the grid of triangles
_MOST_CELLS = 12_000_000
_FORK = math.radians(50.0)  # at which a stem springs from another, about
_CROWDED = 0.22  # metres within which a stem turns from others
_RIM = 0.3  # of a step that it must come forward, or it is at a rim
_TRIES = 6  # turns along a rim before a stem ends


@dataclass(frozen=True, eq=False)
class Soup:
    """Triangles in a grid of cells."""

    triangles: Float64  #: (t, 3, 3) metres; their fronts are where they turn left
    normal: Float64  #: (t, 3) unit
    low: Float64  #: (3,) metres of the grid's corner
    many: Int64  #: (3,) cells along each axis
    cell: float  #: metres
    start: Int64  #: (cells + 1,) of each cell's rows of `held`
    held: Int64  #: rows of triangles

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        arrays = (self.triangles, self.normal, self.start, self.held)
        return sum(a.nbytes for a in arrays)

    @property
    def grid(self) -> Grid:
        """As a kernel takes it."""
        return Grid(
            self.triangles, self.normal, self.low, self.many, self.cell, self.start, self.held
        )


class Grid(NamedTuple):
    """A soup as a kernel takes it."""

    triangles: Float64
    normal: Float64
    low: Float64
    many: Int64
    cell: float
    start: Int64
    held: Int64


class ClimbRule(NamedTuple):
    """How stems grow; metres, radians."""

    seed: np.uint64
    step: float
    reach: float  #: of the first stem, along the faces
    stems: int  #: from each start
    wander: float  #: 0 straight to 1
    up: float  #: 0 anywhere to 1 straight up
    cling: float  #: off the faces
    gap: float  #: that it goes across


def soup_of(triangles: Float64) -> Soup:
    """Triangles (t, 3, 3) in a grid; those without an area are left out."""
    across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    size = np.linalg.norm(across, axis=1)
    there = size > 1e-10
    triangles = np.ascontiguousarray(triangles[there], np.float64)
    normal = across[there] / size[there][:, None]
    if not len(triangles):
        one = np.ones(3, np.int64)
        return Soup(triangles, normal, np.zeros(3), one, _CELL, np.zeros(2, np.int64), one[:0])
    low = triangles.min(axis=(0, 1)) - 1e-6
    span = triangles.max(axis=(0, 1)) + 1e-6 - low
    cell = _CELL
    while np.prod(np.ceil(span / cell)) > _MOST_CELLS:
        cell *= 1.5
    many = np.maximum(1, np.ceil(span / cell)).astype(np.int64)
    start = np.zeros(int(np.prod(many)) + 1, np.int64)
    _filled(triangles, low, many, cell, start, np.empty(0, np.int64), False)
    start = np.cumsum(start)
    held = np.empty(int(start[-1]), np.int64)
    _filled(triangles, low, many, cell, start[:-1].copy(), held, True)
    return Soup(triangles, normal, low, many, cell, start, held)


@kernel
def _cell(x: float, low: float, many: int, cell: float) -> int:
    return min(max(int((x - low) / cell), 0), many - 1)


@kernel
def _filled(
    triangles: Float64, low: Float64, many: Int64, cell: float, at: Int64, held: Int64, fills: bool
) -> None:
    """Count the triangles of each cell into `at`, one on, or fill `held` from `at` on."""
    first, last = np.empty(3, np.int64), np.empty(3, np.int64)
    for t in range(triangles.shape[0]):
        for c in range(3):
            a, b, d = triangles[t, 0, c], triangles[t, 1, c], triangles[t, 2, c]
            first[c] = _cell(min(a, b, d), low[c], many[c], cell)
            last[c] = _cell(max(a, b, d), low[c], many[c], cell)
        for i in range(first[0], last[0] + 1):
            for j in range(first[1], last[1] + 1):
                for k in range(first[2], last[2] + 1):
                    own = (i * many[1] + j) * many[2] + k
                    if fills:
                        held[at[own]] = t
                        at[own] += 1
                    else:
                        at[own + 1] += 1


@kernel
def _onto(t: Float64, px: float, py: float, pz: float) -> tuple[float, float, float]:
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
def nearest_front(
    g: Grid, x: float, y: float, z: float, far: float
) -> tuple[int, float, float, float]:
    """The nearest triangle no farther than that whose front a place sees, or -1, and the place on it."""
    best, found = far * far, -1
    qx = qy = qz = 0.0
    for i in range(
        _cell(x - far, g.low[0], g.many[0], g.cell), _cell(x + far, g.low[0], g.many[0], g.cell) + 1
    ):
        for j in range(
            _cell(y - far, g.low[1], g.many[1], g.cell),
            _cell(y + far, g.low[1], g.many[1], g.cell) + 1,
        ):
            for k in range(
                _cell(z - far, g.low[2], g.many[2], g.cell),
                _cell(z + far, g.low[2], g.many[2], g.cell) + 1,
            ):
                own = (i * g.many[1] + j) * g.many[2] + k
                for n in range(g.start[own], g.start[own + 1]):
                    t = g.held[n]
                    # its plane is no nearer than it is
                    off = (
                        g.normal[t, 0] * (x - g.triangles[t, 0, 0])
                        + g.normal[t, 1] * (y - g.triangles[t, 0, 1])
                        + g.normal[t, 2] * (z - g.triangles[t, 0, 2])
                    )
                    if off <= 0.0 or off * off >= best:
                        continue
                    px, py, pz = _onto(g.triangles[t], x, y, z)
                    away = (px - x) ** 2 + (py - y) ** 2 + (pz - z) ** 2
                    if away < best:
                        best, found = away, t
                        qx, qy, qz = px, py, pz
    return found, qx, qy, qz


@kernel
def _through(
    g: Grid, t: int, ax: float, ay: float, az: float, bx: float, by: float, bz: float
) -> float:
    """How far along the line from a place to another goes through a triangle, from either side; 2 where it does not."""
    v = g.triangles[t]
    # both ends on one side of its plane: most are
    nx, ny, nz = g.normal[t, 0], g.normal[t, 1], g.normal[t, 2]
    near = nx * (ax - v[0, 0]) + ny * (ay - v[0, 1]) + nz * (az - v[0, 2])
    far = nx * (bx - v[0, 0]) + ny * (by - v[0, 1]) + nz * (bz - v[0, 2])
    if (near > 0.0) == (far > 0.0):
        return 2.0
    s = near / (near - far)
    px, py, pz = ax + s * (bx - ax), ay + s * (by - ay), az + s * (bz - az)
    for e in range(3):
        f = (e + 1) % 3
        ex, ey, ez = v[f, 0] - v[e, 0], v[f, 1] - v[e, 1], v[f, 2] - v[e, 2]
        ox, oy, oz = px - v[e, 0], py - v[e, 1], pz - v[e, 2]
        side = nx * (ey * oz - ez * oy) + ny * (ez * ox - ex * oz) + nz * (ex * oy - ey * ox)
        if side < -1e-9:
            return 2.0
    return float(s)


@kernel
def pierced(
    g: Grid, ax: float, ay: float, az: float, bx: float, by: float, bz: float
) -> tuple[int, float]:
    """The first triangle that a line from a place to another goes through, from either side, or -1, and how far along it."""
    best, found = 1.0 + 1e-9, -1
    for i in range(
        _cell(min(ax, bx), g.low[0], g.many[0], g.cell),
        _cell(max(ax, bx), g.low[0], g.many[0], g.cell) + 1,
    ):
        for j in range(
            _cell(min(ay, by), g.low[1], g.many[1], g.cell),
            _cell(max(ay, by), g.low[1], g.many[1], g.cell) + 1,
        ):
            for k in range(
                _cell(min(az, bz), g.low[2], g.many[2], g.cell),
                _cell(max(az, bz), g.low[2], g.many[2], g.cell) + 1,
            ):
                own = (i * g.many[1] + j) * g.many[2] + k
                for n in range(g.start[own], g.start[own + 1]):
                    t = g.held[n]
                    s = _through(g, t, ax, ay, az, bx, by, bz)
                    if s < best:
                        best, found = s, t
    return found, best


@dataclass(frozen=True, eq=False)
class Stems:
    """Stems as lines; stem `i` has the points `first[i] : first[i + 1]`, none where there was no room for it."""

    ids: UInt64  #: (s,) the same as long as it is the same stem
    first: Int64  #: (s + 1,)
    points: Float64  #: (p, 3) metres
    normal: Float64  #: (p, 3) unit, off the face that each is by
    left: Float64  #: (p,) metres of the stem from there to its tip

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return self.points.nbytes + self.normal.nbytes + self.left.nbytes + 16 * len(self.first)


def climbed(soup: Soup, rule: ClimbRule, ids: UInt64, at: Float64, normal: Float64) -> Stems:
    """Stems that grow from starts.

    Args:
        ids: (n,) of the starts.
        at: (n, 3) metres, off the faces.
        normal: (n, 3) unit, off the faces there.
    """
    most = max(2, int(rule.reach / rule.step) + 2)
    stems = len(ids) * rule.stems
    points, normals = np.empty((stems * most, 3)), np.empty((stems * most, 3))
    first, names = np.zeros(stems + 1, np.int64), np.zeros(stems, np.uint64)
    if len(soup.triangles):
        _grown(soup.grid, rule, ids, at, normal, points, normals, first, names)
    count = int(first[-1])
    points, normals = points[:count].copy(), normals[:count].copy()
    return Stems(names, first, points, normals, _left(points, first))


@kernel
def _left(points: Float64, first: Int64) -> Float64:
    out = np.zeros(points.shape[0])
    for s in range(first.shape[0] - 1):
        for p in range(first[s + 1] - 2, first[s] - 1, -1):
            dx, dy = points[p + 1, 0] - points[p, 0], points[p + 1, 1] - points[p, 1]
            dz = points[p + 1, 2] - points[p, 2]
            out[p] = out[p + 1] + math.sqrt(dx * dx + dy * dy + dz * dz)
    return out


@kernel
def _turned(d: Float64, n: Float64, angle: float) -> None:
    """Turn `d` (in place) about the unit vector `n`."""
    c, s = math.cos(angle), math.sin(angle)
    x = n[1] * d[2] - n[2] * d[1]
    y = n[2] * d[0] - n[0] * d[2]
    z = n[0] * d[1] - n[1] * d[0]
    along = (n[0] * d[0] + n[1] * d[1] + n[2] * d[2]) * (1.0 - c)
    d[0], d[1], d[2] = (
        d[0] * c + x * s + n[0] * along,
        d[1] * c + y * s + n[1] * along,
        d[2] * c + z * s + n[2] * along,
    )


@kernel
def _flattened(d: Float64, n: Float64) -> bool:
    """Take from `d` (in place) what goes off the face, and make it one long; False where nothing is left."""
    along = d[0] * n[0] + d[1] * n[1] + d[2] * n[2]
    for c in range(3):
        d[c] -= along * n[c]
    long = math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    if long < 1e-6:
        return False
    for c in range(3):
        d[c] /= long
    return True


@kernel
def _landed(
    g: Grid, rule: ClimbRule, p: Float64, q: Float64, q_out: Float64, n_out: Float64
) -> bool:
    """Where what comes from `p` to `q` lies off the nearest face that `q` sees, and the direction off it; False where none is near or something is in the way."""
    t, x, y, z = nearest_front(g, q[0], q[1], q[2], rule.cling + 1.3 * rule.step)
    if t < 0:
        return False
    dx, dy, dz = q[0] - x, q[1] - y, q[2] - z
    long = math.sqrt(dx * dx + dy * dy + dz * dz)
    if long < 1e-9:
        dx, dy, dz, long = g.normal[t, 0], g.normal[t, 1], g.normal[t, 2], 1.0
    n_out[0], n_out[1], n_out[2] = dx / long, dy / long, dz / long
    q_out[0], q_out[1], q_out[2] = (
        x + rule.cling * n_out[0],
        y + rule.cling * n_out[1],
        z + rule.cling * n_out[2],
    )
    hit, _ = pierced(g, p[0], p[1], p[2], q_out[0], q_out[1], q_out[2])
    if hit >= 0:
        return False
    # with room for its own thickness
    x, y, z = -0.5 * rule.cling * n_out
    hit, _ = pierced(g, p[0] + x, p[1] + y, p[2] + z, q_out[0] + x, q_out[1] + y, q_out[2] + z)
    return hit < 0


@kernel
def _apart(a: Float64, b: Float64) -> float:
    return math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 + (a[2] - b[2]) ** 2)


@kernel
def _crowded(points: Float64, low: int, high: int, p: Float64, out: Float64) -> None:
    """Add to `out` the way from points that are near."""
    for k in range(low, high):
        x, y, z = p[0] - points[k, 0], p[1] - points[k, 1], p[2] - points[k, 2]
        away = x * x + y * y + z * z
        if 1e-8 < away < _CROWDED * _CROWDED:
            by = 0.12 * (1.0 / math.sqrt(away) - 1.0 / _CROWDED) / _CROWDED
            out[0] += by * x
            out[1] += by * y
            out[2] += by * z


@kernel
def _grown(
    g: Grid,
    rule: ClimbRule,
    ids: UInt64,
    at: Float64,
    normal: Float64,
    points: Float64,
    normals: Float64,
    first: Int64,
    names: UInt64,
) -> None:
    p, n, d = np.empty(3), np.empty(3), np.empty(3)
    q, land, off = np.empty(3), np.empty(3), np.empty(3)
    count, stem = 0, 0
    for s in range(ids.shape[0]):
        begins, own_stem = count, stem
        for i in range(rule.stems):
            name = bits(bits(rule.seed, _FROM, ids[s]), _FROM, np.uint64(i))
            names[stem] = name
            first[stem] = count
            long = rule.reach
            grows = True
            if i == 0:
                p[:], n[:] = at[s], normal[s]
                d[0], d[1], d[2] = 0.0, 1.0, 0.0
                if not _flattened(d, n):
                    d[0], d[1], d[2] = 1.0, 0.0, 0.0
                    grows = _flattened(d, n)
            else:
                from_ = own_stem + int(uniform(rule.seed, _FROM, name) * i)
                low, high = first[from_], first[from_ + 1]
                grows = high - low > 3
                if grows:
                    share = 0.08 + 0.8 * uniform(rule.seed, _SHARE, name)
                    k = low + 1 + int(share * (high - low - 2))
                    p[:], n[:] = points[k], normals[k]
                    for c in range(3):
                        d[c] = points[k + 1, c] - points[k - 1, c]
                    grows = _flattened(d, n)
                    side = 1.0 if uniform(rule.seed, _SIDE, name) < 0.5 else -1.0
                    _turned(d, n, side * _FORK * (0.6 + 0.8 * uniform(rule.seed, _TURN, name)))
                    left = rule.reach * (1.0 - 0.6 * share)
                    long = left * (0.35 + 0.5 * uniform(rule.seed, _LONG, name))
            floor = at[s, 1] - 0.1
            if grows:
                points[count], normals[count] = p, n
                count += 1
            gone, tries = 0.0, 0
            number = np.uint64(0)
            while grows and gone < long and tries < _TRIES:
                number += np.uint64(1)
                if count >= points.shape[0]:
                    break
                _turned(d, n, 0.7 * rule.wander * symmetric(rule.seed, _TURN, name + number))
                d[1] += 0.30 * rule.up
                if gone > 3.0 * rule.step:
                    _crowded(points, begins, first[stem], p, d)
                if not _flattened(d, n):
                    break
                for c in range(3):
                    q[c] = p[c] + rule.step * d[c]
                hit, share = pierced(g, p[0], p[1], p[2], q[0], q[1], q[2])
                if hit >= 0:  # something stands in its way: it climbs that
                    facing = 0.0
                    for c in range(3):
                        facing += g.normal[hit, c] * d[c]
                    if facing >= 0.0:
                        break  # from behind
                    for c in range(3):
                        q[c] = p[c] + share * rule.step * d[c] + rule.cling * g.normal[hit, c]
                fine = _landed(g, rule, p, q, land, off)
                if not fine or _apart(land, p) < _RIM * rule.step:
                    fine = False
                    far = rule.step
                    while far < rule.gap and not fine:  # through the air
                        far += 0.5 * rule.step
                        for c in range(3):
                            q[c] = p[c] + far * d[c]
                        fine = _landed(g, rule, p, q, land, off)
                        fine = fine and _apart(land, p) > rule.step
                    if not fine:  # along the rim
                        tries += 1
                        side = 1.0 if uniform(rule.seed, _SIDE, name) < 0.5 else -1.0
                        _turned(d, n, side * 0.7)
                        continue
                if land[1] < floor:
                    break
                gone += _apart(land, p)
                for c in range(3):
                    d[c] = 0.5 * d[c] + 0.5 * (land[c] - p[c]) / rule.step
                p[:], n[:] = land, off
                points[count], normals[count] = p, n
                count += 1
            if count - first[stem] == 1:  # it has gone nowhere
                count -= 1
            stem += 1
            first[stem] = count


@kernel
def room_about(g: Grid, points: Float64, first: Int64, most: float) -> Float64:
    """(p,) metres, `most` or less, about each point of stems, and the lines to those before and behind, that no triangle comes into."""
    out = np.full(points.shape[0], most)
    near, at = np.empty(4096, np.int64), np.empty(3)
    for s in range(first.shape[0] - 1):
        for p in range(first[s], first[s + 1] - 1):
            long = _apart(points[p], points[p + 1])
            many = max(2, int(long / 0.01) + 1)
            for k in range(many + 1):
                for c in range(3):
                    at[c] = points[p, c] + k / many * (points[p + 1, c] - points[p, c])
                least = most + 0.01
                count = _near(g, at, least, near)
                for n in range(max(count, 0)):
                    x, y, z = _onto(g.triangles[near[n]], at[0], at[1], at[2])
                    away = math.sqrt((x - at[0]) ** 2 + (y - at[1]) ** 2 + (z - at[2]) ** 2)
                    least = min(least, away)
                least = 0.0 if count < 0 else least - 0.5 * long / many
                out[p], out[p + 1] = min(out[p], least), min(out[p + 1], least)
    return out


class LeafRule(NamedTuple):
    """Where leaves stand on stems."""

    seed: np.uint64
    dense: float  #: a metre
    aside: float  #: metres from the stem, at most
    bare: float  #: metres above its start below which there are none
    off: float  #: metres off the faces


@kernel
def leaves_of(
    g: Grid, rule: LeafRule, ids: UInt64, first: Int64, points: Float64, left: Float64, low: float
) -> tuple[UInt64, Float64, Float64]:
    """Ids, places (n, 3) and directions off the face (n, 3) of leaves.

    Args:
        low: metres of the height that `bare` is measured from.
    """
    most = 0
    for s in range(ids.shape[0]):
        if first[s + 1] > first[s]:
            most += int(rule.dense * left[first[s]]) + 1
    names, place, off = np.empty(most, np.uint64), np.empty((most, 3)), np.empty((most, 3))
    count = 0
    for s in range(ids.shape[0]):
        if first[s + 1] - first[s] < 2:
            continue
        long = left[first[s]]
        p = first[s]
        for k in range(int(rule.dense * long)):
            name = bits(rule.seed, _SIDE, ids[s] + np.uint64(k))
            # from the tip on, so that a stem that becomes longer grows at its foot
            to_tip = (k + uniform(rule.seed, _SHARE, name)) / rule.dense
            p = first[s]
            while p < first[s + 1] - 2 and left[p + 1] > to_tip:
                p += 1
            part = (left[p] - to_tip) / max(left[p] - left[p + 1], 1e-9)
            part = min(max(part, 0.0), 1.0)
            x = points[p, 0] + part * (points[p + 1, 0] - points[p, 0])
            y = points[p, 1] + part * (points[p + 1, 1] - points[p, 1])
            z = points[p, 2] + part * (points[p + 1, 2] - points[p, 2])
            by = 2.0 * math.pi * uniform(rule.seed, _TURN, name)
            aside = rule.aside * uniform(rule.seed, _LONG, name)
            x += aside * math.cos(by)
            z += aside * math.cos(by + 2.1)
            y += aside * math.sin(by)
            t, fx, fy, fz = nearest_front(g, x, y, z, 0.1 + rule.off + rule.aside)
            if t < 0 or y < low + rule.bare:
                continue
            dx, dy, dz = x - fx, y - fy, z - fz
            size = math.sqrt(dx * dx + dy * dy + dz * dz)
            if size < 1e-9:
                continue
            names[count] = name
            off[count, 0], off[count, 1], off[count, 2] = dx / size, dy / size, dz / size
            keep = max(rule.off, 1e-3)
            place[count, 0] = fx + keep * off[count, 0]
            place[count, 1] = fy + keep * off[count, 1]
            place[count, 2] = fz + keep * off[count, 2]
            count += 1
    return names[:count].copy(), place[:count].copy(), off[:count].copy()


@kernel
def _near(g: Grid, at: Float64, far: float, out: Int64) -> int:
    """Triangles that may come no farther than that to a place, some of them more than once; -1 where there are more than `out` has room for."""
    count = 0
    first, last = np.empty(3, np.int64), np.empty(3, np.int64)
    for c in range(3):
        first[c] = _cell(at[c] - far, g.low[c], g.many[c], g.cell)
        last[c] = _cell(at[c] + far, g.low[c], g.many[c], g.cell)
    for i in range(first[0], last[0] + 1):
        for j in range(first[1], last[1] + 1):
            for k in range(first[2], last[2] + 1):
                own = (i * g.many[1] + j) * g.many[2] + k
                for n in range(g.start[own], g.start[own + 1]):
                    t = g.held[n]
                    off = 0.0
                    for c in range(3):
                        off += g.normal[t, c] * (at[c] - g.triangles[t, 0, c])
                    if abs(off) > far:
                        continue
                    if count == out.shape[0]:
                        return -1
                    out[count] = t
                    count += 1
    return count


@kernel
def clear_lines(g: Grid, ends: Float64) -> Bool:
    """(n,) of things that have lines (n, m, 2, 3) each: whether none goes through a triangle."""
    out = np.ones(ends.shape[0], np.bool_)
    near, middle = np.empty(4096, np.int64), np.empty(3)
    for n in range(ends.shape[0]):
        for c in range(3):
            middle[c] = 0.5 * (ends[n, :, :, c].min() + ends[n, :, :, c].max())
        far = 0.0
        for m in range(ends.shape[1]):
            for e in range(2):
                far = max(far, _apart(ends[n, m, e], middle))
        count = _near(g, middle, far, near)
        if count < 0:
            out[n] = False
            continue
        for m in range(ends.shape[1]):
            a, b = ends[n, m, 0], ends[n, m, 1]
            for k in range(count):
                if _through(g, near[k], a[0], a[1], a[2], b[0], b[1], b[2]) < 2.0:
                    out[n] = False
                    break
            if not out[n]:
                break
    return out
