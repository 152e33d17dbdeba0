"""Tubes along polylines, all branches of a plant in one call.

Frames are carried along each branch by parallel transport (double reflection, Wang et al. 2008), so tubes never twist or pinch.
Texture coordinates are even at every branch's base: u goes round a whole number of times, or, where less than
one would fit, half-way round and back; v is the length along the branch, a little quicker where it is thinner.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Int64, UInt8, UInt32
from plough.core.kernels import kernel
from plough.core.mesh.value import Mesh, Part

_SIDES_MAX = 64
_STEPS = 4096
_THIN = 0.75  #: repeats round a branch below which the image is mirrored
_COS = np.cos(np.arange(_STEPS) * (2.0 * math.pi / _STEPS)).astype(np.float32)
_SIN = np.sin(np.arange(_STEPS) * (2.0 * math.pi / _STEPS)).astype(np.float32)


@dataclass(frozen=True, slots=True)
class Branches:
    """Polylines with radii, as arrays; branch `i` has the points `start[i] : start[i + 1]`, at least two."""

    start: Int64  #: (branches + 1,)
    points: Float32  #: (p, 3) metres, from base to tip
    radius: Float32  #: (p,) metres, positive; the tip closes to a point whatever its radius
    lobe: Float32  #: (p,) share of the radius by which the section is lobed
    sides: Int64  #: (branches,) 3 to 64
    phase: Float32  #: (branches,) radians, turns the lobes
    wind: UInt8  #: (p, 4) the wind channel of each ring


class _Lines(NamedTuple):
    """`Branches` as a kernel takes them."""

    start: Int64
    points: Float32
    radius: Float32
    lobe: Float32
    sides: Int64
    phase: Float32
    wind: UInt8


class _Out(NamedTuple):
    """The arrays of the mesh that is being written."""

    pos: Float32
    nor: Float32
    tan: Float32
    uvs: Float32
    win: UInt8
    ind: UInt32


class _Skin(NamedTuple):
    """How the texture goes round one branch."""

    sides: int
    half: int  #: sides to where a mirrored image turns back
    step: int  #: of the table of sines, from side to side
    repeats: float
    thin: bool  #: less than one repeat fits: the image goes half-way round and comes back, so that no seam shows
    shift: float


class _Ring(NamedTuple):
    """One ring: its middle, the line's tangent t and the two axes r and b across it."""

    px: float
    py: float
    pz: float
    tx: float
    ty: float
    tz: float
    rx: float
    ry: float
    rz: float
    bx: float
    by: float
    bz: float
    slope: float  #: of the radius along the line
    v: float  #: the texture coordinate along the line


@kernel
def _round(side: float, skin: _Skin) -> tuple[float, float]:
    """The texture coordinate at `side` of a ring, and whether it grows (1) or falls (-1) there."""
    if not skin.thin:
        return side / skin.sides * skin.repeats, 1.0
    if side <= skin.half:
        return skin.repeats * side / skin.half, 1.0
    return skin.repeats * (skin.sides - side) / (skin.sides - skin.half), -1.0


@kernel
def _skin(radius: float, sides: int, phase: float, tile: float) -> _Skin:
    around = 2.0 * math.pi * radius / tile
    thin = around < _THIN
    repeats = 0.5 * around if thin else max(1.0, float(round(around)))
    return _Skin(
        sides, sides // 2, _STEPS // sides, repeats, thin, (phase * 0.31) % 1.0 if thin else 0.0
    )


@kernel
def _across(tx: float, ty: float, tz: float) -> tuple[float, float, float]:
    """A unit vector at right angles to the unit vector t."""
    if abs(ty) < 0.9:
        rx, ry, rz = tz, 0.0, -tx
    else:
        rx, ry, rz = 0.0, -tz, ty
    return _square(rx, ry, rz, tx, ty, tz)


@kernel
def _square(
    rx: float, ry: float, rz: float, tx: float, ty: float, tz: float
) -> tuple[float, float, float]:
    """r made square to the unit vector t, and of length 1."""
    d = rx * tx + ry * ty + rz * tz
    rx, ry, rz = rx - d * tx, ry - d * ty, rz - d * tz
    length = math.sqrt(rx * rx + ry * ry + rz * rz)
    return rx / length, ry / length, rz / length


@kernel
def _way(points: Float32, p: int, last: int) -> tuple[float, float, float, float]:
    """The direction of a line at its point `p`, half-way between the segments there, and its length; p is not its first."""
    vx, vy, vz = (
        points[p, 0] - points[p - 1, 0],
        points[p, 1] - points[p - 1, 1],
        points[p, 2] - points[p - 1, 2],
    )
    if p == last:
        return vx, vy, vz, math.sqrt(vx * vx + vy * vy + vz * vz)
    segment = math.sqrt(vx * vx + vy * vy + vz * vz)
    ax, ay, az = (
        points[p + 1, 0] - points[p, 0],
        points[p + 1, 1] - points[p, 1],
        points[p + 1, 2] - points[p, 2],
    )
    la = math.sqrt(ax * ax + ay * ay + az * az)
    nx, ny, nz = vx / segment + ax / la, vy / segment + ay / la, vz / segment + az / la
    return nx, ny, nz, math.sqrt(nx * nx + ny * ny + nz * nz)


@kernel
def _next(points: Float32, p: int, last: int, ring: _Ring) -> _Ring:
    """The frame of a ring at the point `p`, carried on from the `ring` before by double reflection."""
    tx, ty, tz, rx, ry, rz = ring.tx, ring.ty, ring.tz, ring.rx, ring.ry, ring.rz
    px, py, pz = points[p, 0], points[p, 1], points[p, 2]
    vx, vy, vz = px - points[p - 1, 0], py - points[p - 1, 1], pz - points[p - 1, 2]
    c1 = vx * vx + vy * vy + vz * vz
    nx, ny, nz, ln = _way(points, p, last)
    if ln < 1e-6:
        nx, ny, nz, ln = tx, ty, tz, 1.0
    nx, ny, nz = nx / ln, ny / ln, nz / ln
    dr = 2.0 / c1 * (vx * rx + vy * ry + vz * rz)
    dt = 2.0 / c1 * (vx * tx + vy * ty + vz * tz)
    lx, ly, lz = rx - dr * vx, ry - dr * vy, rz - dr * vz
    mx, my, mz = tx - dt * vx, ty - dt * vy, tz - dt * vz
    wx, wy, wz = nx - mx, ny - my, nz - mz
    c2 = wx * wx + wy * wy + wz * wz
    if c2 > 1e-12:
        dw = 2.0 / c2 * (wx * lx + wy * ly + wz * lz)
        lx, ly, lz = lx - dw * wx, ly - dw * wy, lz - dw * wz
    rx, ry, rz = _square(lx, ly, lz, nx, ny, nz)
    return _framed(px, py, pz, nx, ny, nz, rx, ry, rz)


@kernel
def _framed(
    px: float,
    py: float,
    pz: float,
    tx: float,
    ty: float,
    tz: float,
    rx: float,
    ry: float,
    rz: float,
) -> _Ring:
    bx, by, bz = ty * rz - tz * ry, tz * rx - tx * rz, tx * ry - ty * rx
    at = (np.float64(px), np.float64(py), np.float64(pz))
    t = (np.float64(tx), np.float64(ty), np.float64(tz))
    r = (np.float64(rx), np.float64(ry), np.float64(rz))
    b = (np.float64(bx), np.float64(by), np.float64(bz))
    return _Ring(*at, *t, *r, *b, 0.0, 0.0)


@kernel
def _leaning(g: _Ring, slope: float, v: float) -> _Ring:
    """The ring with its slope and its place along the texture."""
    return _Ring(g.px, g.py, g.pz, g.tx, g.ty, g.tz, g.rx, g.ry, g.rz, g.bx, g.by, g.bz, slope, v)


@kernel
def _first(points: Float32, first: int) -> _Ring:
    """The frame at the foot of a line."""
    dx, dy, dz = (
        points[first + 1, 0] - points[first, 0],
        points[first + 1, 1] - points[first, 1],
        points[first + 1, 2] - points[first, 2],
    )
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    tx, ty, tz = dx / length, dy / length, dz / length
    rx, ry, rz = _across(tx, ty, tz)
    return _framed(points[first, 0], points[first, 1], points[first, 2], tx, ty, tz, rx, ry, rz)


@kernel
def _slope(points: Float32, radius: Float32, p: int, first: int, last: int) -> float:
    """Of the radius at the point `p`, for normals that lean with the taper."""
    q0, q1 = max(p - 1, first), min(p + 1, last)
    ex, ey, ez = (
        points[q1, 0] - points[q0, 0],
        points[q1, 1] - points[q0, 1],
        points[q1, 2] - points[q0, 2],
    )
    slope = (radius[q1] - radius[q0]) / max(1e-6, math.sqrt(ex * ex + ey * ey + ez * ez))
    return float(max(slope, -2.0))


@kernel
def _round_ring(out: _Out, v: int, g: _Ring, r0: float, skin: _Skin, wind: UInt8) -> int:
    """Write a round ring: normals and tangents come out square and of one length, without a root for each."""
    lean = 1.0 / math.sqrt(1.0 + g.slope * g.slope)
    sx, sy, sz = g.slope * g.tx * lean, g.slope * g.ty * lean, g.slope * g.tz * lean
    low = np.float32(g.v)
    for side in range(skin.sides + 1):
        a = (side % skin.sides) * skin.step
        c, sn = _COS[a], _SIN[a]
        ox, oy, oz = c * g.rx + sn * g.bx, c * g.ry + sn * g.by, c * g.rz + sn * g.bz
        out.pos[v, 0], out.pos[v, 1] = g.px + r0 * ox, g.py + r0 * oy
        out.pos[v, 2] = g.pz + r0 * oz
        out.nor[v, 0], out.nor[v, 1] = ox * lean - sx, oy * lean - sy
        out.nor[v, 2] = oz * lean - sz
        u, way = _round(float(side), skin)
        out.tan[v, 0], out.tan[v, 1] = way * (c * g.bx - sn * g.rx), way * (c * g.by - sn * g.ry)
        out.tan[v, 2], out.tan[v, 3] = way * (c * g.bz - sn * g.rz), way
        out.uvs[v, 0], out.uvs[v, 1] = skin.shift + u, low
        for ch in range(4):
            out.win[v, ch] = wind[ch]
        v += 1
    return v


@kernel
def _lobed_ring(
    out: _Out,
    v: int,
    g: _Ring,
    r0: float,
    skin: _Skin,
    wind: UInt8,
    lobe: float,
    lobes: int,
    phase: float,
    tip: bool,
) -> int:
    """Write a ring whose radius swings `lobes` times round by the share `lobe`, or the point at a tip."""
    for side in range(skin.sides if tip else skin.sides + 1):
        a = (side % skin.sides) * skin.step
        c, sn = _COS[a], _SIN[a]
        ox, oy, oz = c * g.rx + sn * g.bx, c * g.ry + sn * g.by, c * g.rz + sn * g.bz
        qx, qy, qz = -sn * g.rx + c * g.bx, -sn * g.ry + c * g.by, -sn * g.rz + c * g.bz
        r, swing = 0.0 if tip else r0, 0.0
        if lobe != 0.0:
            arg = lobes * (a * (2.0 * math.pi / _STEPS)) + phase
            r = r * (1.0 + lobe * math.cos(arg))
            swing = lobe * lobes * math.sin(arg) / (1.0 + lobe * math.cos(arg))
        out.pos[v, 0], out.pos[v, 1], out.pos[v, 2] = g.px + r * ox, g.py + r * oy, g.pz + r * oz
        nx, ny, nz = (
            ox + swing * qx - g.slope * g.tx,
            oy + swing * qy - g.slope * g.ty,
            oz + swing * qz - g.slope * g.tz,
        )
        ln = 1.0 / math.sqrt(nx * nx + ny * ny + nz * nz)
        nx, ny, nz = nx * ln, ny * ln, nz * ln
        out.nor[v, 0], out.nor[v, 1], out.nor[v, 2] = nx, ny, nz
        d = qx * nx + qy * ny + qz * nz
        qx, qy, qz = qx - d * nx, qy - d * ny, qz - d * nz
        ln = 1.0 / math.sqrt(qx * qx + qy * qy + qz * qz)
        u, way = _round(side + (0.5 if tip else 0.0), skin)
        out.tan[v, 0], out.tan[v, 1] = way * qx * ln, way * qy * ln
        out.tan[v, 2], out.tan[v, 3] = way * qz * ln, way
        out.uvs[v, 0], out.uvs[v, 1] = skin.shift + u, g.v
        for ch in range(4):
            out.win[v, ch] = wind[ch]
        v += 1
    return v


@kernel
def _joined(ind: UInt32, t: int, base: int, rings: int, s: int) -> int:
    """Write the triangles between `rings` rings of `s` sides, the last of them a tip."""
    for k in range(rings - 2):
        row = base + k * (s + 1)
        for side in range(s):
            a0 = row + side
            ind[t, 0], ind[t, 1], ind[t, 2] = a0, a0 + 1, a0 + s + 1
            ind[t + 1, 0], ind[t + 1, 1], ind[t + 1, 2] = a0 + 1, a0 + s + 2, a0 + s + 1
            t += 2
    row = base + (rings - 2) * (s + 1)
    for side in range(s):
        ind[t, 0], ind[t, 1], ind[t, 2] = row + side, row + side + 1, row + s + 1 + side
        t += 1
    return t


@kernel
def _capped(out: _Out, v: int, base: int, g: _Ring, r0: float, skin: _Skin, wind: UInt8) -> int:
    """Write the vertices of a flat end over the ring that begins at `base`; `g` is the frame there, `r0` its radius in repeats."""
    s = skin.sides
    ax, ay, az = _across(-g.tx, -g.ty, -g.tz)
    for side in range(s + 1):
        if side == s:
            out.pos[v, 0], out.pos[v, 1], out.pos[v, 2] = g.px, g.py, g.pz
        else:
            for ch in range(3):
                out.pos[v, ch] = out.pos[base + side, ch]
        out.nor[v, 0], out.nor[v, 1], out.nor[v, 2] = -g.tx, -g.ty, -g.tz
        out.tan[v, 0], out.tan[v, 1], out.tan[v, 2], out.tan[v, 3] = ax, ay, az, 1.0
        cs = 0.0 if side == s else 1.0
        a = (side % s) * skin.step
        out.uvs[v, 0], out.uvs[v, 1] = 0.5 + cs * _COS[a] * r0, 0.5 + cs * _SIN[a] * r0
        for ch in range(4):
            out.win[v, ch] = wind[ch]
        v += 1
    return v


@kernel
def _room(start: Int64, sides: Int64, cap: bool) -> tuple[int, int]:
    """How many vertices and triangles there will be."""
    vertices, triangles = 0, 0
    for i in range(sides.shape[0]):
        n, s = start[i + 1] - start[i], sides[i]
        vertices += (n - 1) * (s + 1) + s
        triangles += (n - 2) * s * 2 + s
        if cap:
            vertices += s + 1
            triangles += s
    return vertices, triangles


@kernel
def _sweep(lines: _Lines, tile: float, lobes: int, cap: bool) -> _Out:
    start, points, radius, lobe, sides, phase, wind = lines
    vertices, triangles = _room(start, sides, cap)
    out = _Out(
        np.empty((vertices, 3), np.float32),
        np.empty((vertices, 3), np.float32),
        np.empty((vertices, 4), np.float32),
        np.empty((vertices, 2), np.float32),
        np.empty((vertices, 4), np.uint8),
        np.empty((triangles, 3), np.uint32),
    )
    v, t = 0, 0
    for i in range(sides.shape[0]):
        first, last, base = start[i], start[i + 1] - 1, v
        skin = _skin(radius[first], sides[i], phase[i], tile)
        ring = _first(points, first)
        foot = ring
        along = 0.0
        for p in range(first, last + 1):
            if p > first:
                ring = _next(points, p, last, ring)
                vx, vy, vz = (
                    points[p, 0] - points[p - 1, 0],
                    points[p, 1] - points[p - 1, 1],
                    points[p, 2] - points[p - 1, 2],
                )
                # towards the tip as many repeats go round less wood: half of that is taken up along it, so that texels stretch little
                along += math.sqrt(vx * vx + vy * vy + vz * vz) * math.sqrt(
                    radius[first] / max(1e-6, 0.5 * (radius[p - 1] + radius[p]))
                )
            slope = _slope(points, radius, p, first, last)
            g = _leaning(ring, slope, -along / tile)
            if lobe[p] == 0.0 and p < last:
                v = _round_ring(out, v, g, radius[p], skin, wind[p])
            else:
                v = _lobed_ring(
                    out, v, g, radius[p], skin, wind[p], lobe[p], lobes, phase[i], p == last
                )
        t = _joined(out.ind, t, base, last + 1 - first, skin.sides)
        if cap:
            hub = v
            v = _capped(out, v, base, foot, radius[first] / tile, skin, wind[first])
            for side in range(skin.sides):
                out.ind[t, 0], out.ind[t, 1] = hub + skin.sides, hub + (side + 1) % skin.sides
                out.ind[t, 2] = hub + side
                t += 1
    return out


def sweep(
    branches: Branches, material: str, tile: float = 0.5, lobes: int = 5, cap: bool = False
) -> Mesh:
    """Tubes along `branches`, open at the base unless `cap`, closed at the tip.

    `tile` is the width in metres of one repeat of the texture. Two successive points of a branch must not coincide.
    With `cap` every tube is watertight.
    """
    if branches.sides.size and not (
        int(branches.sides.min()) >= 3 and int(branches.sides.max()) <= _SIDES_MAX
    ):
        raise ValueError(f"sides must be 3 to {_SIDES_MAX}")
    lines = _Lines(*(getattr(branches, name) for name in _Lines._fields))
    pos, nor, tan, uvs, win, ind = _sweep(lines, tile, lobes, cap)
    return Mesh(pos, nor, uvs, ind, (Part(material, 0, ind.shape[0]),), tangents=tan, wind=win)
