"""Tubes along polylines, all limbs of a plant in one call.

Frames are carried along each limb by parallel transport (double reflection, Wang et al. 2008), so tubes never twist or pinch.
Texture coordinates are even at every limb's base: u goes round a whole number of times, or, where less than
one would fit, half-way round and back; v is the length along the limb, a little quicker where it is thinner.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Int64, UInt8, UInt32
from plough.core.kernels import kernel
from plough.core.mesh.value import Mesh, Part

_SIDES_MAX = 64
_STEPS = 4096
_THIN = 0.75  #: repeats round a limb below which the image is mirrored
_COS = np.cos(np.arange(_STEPS) * (2.0 * math.pi / _STEPS)).astype(np.float32)
_SIN = np.sin(np.arange(_STEPS) * (2.0 * math.pi / _STEPS)).astype(np.float32)


@dataclass(frozen=True, slots=True)
class Limbs:
    """Polylines with radii, as arrays; limb `i` has the points `start[i] : start[i + 1]`, at least two."""

    start: Int64  #: (limbs + 1,)
    points: Float32  #: (p, 3) metres, from base to tip
    radius: Float32  #: (p,) metres, positive; the tip closes to a point whatever its radius
    lobe: Float32  #: (p,) share of the radius by which the section is lobed
    sides: Int64  #: (limbs,) 3 to 64
    phase: Float32  #: (limbs,) radians, turns the lobes
    wind: UInt8  #: (p, 4) the wind channel of each ring


@kernel
def _round(side: float, sides: int, half: int, repeats: float, thin: bool) -> tuple[float, float]:
    """The texture coordinate at `side` of a ring, and whether it grows (1) or falls (-1) there."""
    if not thin:
        return side / sides * repeats, 1.0
    if side <= half:
        return repeats * side / half, 1.0
    return repeats * (sides - side) / (sides - half), -1.0


@kernel
def _sweep(
    start: Int64,
    points: Float32,
    radius: Float32,
    lobe: Float32,
    sides: Int64,
    phase: Float32,
    wind: UInt8,
    tile: float,
    lobes: int,
    cap: bool,
) -> tuple[Float32, Float32, Float32, Float32, UInt8, UInt32]:
    limbs = sides.shape[0]
    vertices, triangles = 0, 0
    for i in range(limbs):
        n, s = start[i + 1] - start[i], sides[i]
        vertices += (n - 1) * (s + 1) + s
        triangles += (n - 2) * s * 2 + s
        if cap:
            vertices += s + 1
            triangles += s
    pos = np.empty((vertices, 3), np.float32)
    nor = np.empty((vertices, 3), np.float32)
    tan = np.empty((vertices, 4), np.float32)
    uvs = np.empty((vertices, 2), np.float32)
    win = np.empty((vertices, 4), np.uint8)
    ind = np.empty((triangles, 3), np.uint32)
    v, t = 0, 0
    for i in range(limbs):
        first, n, s = start[i], start[i + 1] - start[i], sides[i]
        base = v
        # round a thin limb less than one repeat fits: the image goes half-way round and comes back, so that no seam shows
        around = 2.0 * math.pi * radius[first] / tile
        thin = around < _THIN
        repeats = 0.5 * around if thin else max(1.0, float(round(around)))
        half, shift = s // 2, (phase[i] * 0.31) % 1.0 if thin else 0.0
        step = _STEPS // s
        # the first tangent, and a frame at right angles to it
        dx, dy, dz = (
            points[first + 1, 0] - points[first, 0],
            points[first + 1, 1] - points[first, 1],
            points[first + 1, 2] - points[first, 2],
        )
        length = math.sqrt(dx * dx + dy * dy + dz * dz)
        tx, ty, tz = dx / length, dy / length, dz / length
        if abs(ty) < 0.9:
            rx, ry, rz = tz, 0.0, -tx
        else:
            rx, ry, rz = 0.0, -tz, ty
        d = rx * tx + ry * ty + rz * tz
        rx, ry, rz = rx - d * tx, ry - d * ty, rz - d * tz
        length = math.sqrt(rx * rx + ry * ry + rz * rz)
        rx, ry, rz = rx / length, ry / length, rz / length
        along = 0.0
        for k in range(n):
            p = first + k
            px, py, pz = points[p, 0], points[p, 1], points[p, 2]
            if k > 0:
                vx, vy, vz = px - points[p - 1, 0], py - points[p - 1, 1], pz - points[p - 1, 2]
                c1 = vx * vx + vy * vy + vz * vz
                segment = math.sqrt(c1)
                # towards the tip as many repeats go round less wood: half of that is taken up along it, so that texels stretch little
                along += segment * math.sqrt(
                    radius[first] / max(1e-6, 0.5 * (radius[p - 1] + radius[p]))
                )
                if k < n - 1:
                    ax, ay, az = points[p + 1, 0] - px, points[p + 1, 1] - py, points[p + 1, 2] - pz
                    la = math.sqrt(ax * ax + ay * ay + az * az)
                    nx, ny, nz = (
                        vx / segment + ax / la,
                        vy / segment + ay / la,
                        vz / segment + az / la,
                    )
                else:
                    nx, ny, nz = vx, vy, vz
                ln = math.sqrt(nx * nx + ny * ny + nz * nz)
                if ln < 1e-6:
                    nx, ny, nz, ln = tx, ty, tz, 1.0
                nx, ny, nz = nx / ln, ny / ln, nz / ln
                # double reflection of the reference vector
                dr = 2.0 / c1 * (vx * rx + vy * ry + vz * rz)
                dt = 2.0 / c1 * (vx * tx + vy * ty + vz * tz)
                lx, ly, lz = rx - dr * vx, ry - dr * vy, rz - dr * vz
                mx, my, mz = tx - dt * vx, ty - dt * vy, tz - dt * vz
                wx, wy, wz = nx - mx, ny - my, nz - mz
                c2 = wx * wx + wy * wy + wz * wz
                if c2 > 1e-12:
                    dw = 2.0 / c2 * (wx * lx + wy * ly + wz * lz)
                    lx, ly, lz = lx - dw * wx, ly - dw * wy, lz - dw * wz
                rx, ry, rz = lx, ly, lz
                tx, ty, tz = nx, ny, nz
                d = rx * tx + ry * ty + rz * tz
                rx, ry, rz = rx - d * tx, ry - d * ty, rz - d * tz
                length = math.sqrt(rx * rx + ry * ry + rz * rz)
                rx, ry, rz = rx / length, ry / length, rz / length
            bx, by, bz = ty * rz - tz * ry, tz * rx - tx * rz, tx * ry - ty * rx
            r0, lo = radius[p], lobe[p]
            # slope of the radius, for normals that lean with the taper
            q0, q1 = max(p - 1, first), min(p + 1, first + n - 1)
            ex, ey, ez = (
                points[q1, 0] - points[q0, 0],
                points[q1, 1] - points[q0, 1],
                points[q1, 2] - points[q0, 2],
            )
            slope = (radius[q1] - radius[q0]) / max(1e-6, math.sqrt(ex * ex + ey * ey + ez * ez))
            slope = max(slope, -2.0)
            tip = k == n - 1
            if lo == 0.0 and not tip:
                # round: normals and tangents come out square and of one length, without a root for each
                lean = 1.0 / math.sqrt(1.0 + slope * slope)
                sx, sy, sz = slope * tx * lean, slope * ty * lean, slope * tz * lean
                shown = wind[p, 0], wind[p, 1], wind[p, 2], wind[p, 3]
                low = np.float32(-along / tile)
                for side in range(s + 1):
                    a = (side % s) * step
                    c, sn = _COS[a], _SIN[a]
                    ox, oy, oz = c * rx + sn * bx, c * ry + sn * by, c * rz + sn * bz
                    pos[v, 0], pos[v, 1], pos[v, 2] = px + r0 * ox, py + r0 * oy, pz + r0 * oz
                    nor[v, 0], nor[v, 1], nor[v, 2] = ox * lean - sx, oy * lean - sy, oz * lean - sz
                    u, way = _round(float(side), s, half, repeats, thin)
                    tan[v, 0], tan[v, 1], tan[v, 2], tan[v, 3] = (
                        way * (c * bx - sn * rx),
                        way * (c * by - sn * ry),
                        way * (c * bz - sn * rz),
                        way,
                    )
                    uvs[v, 0], uvs[v, 1] = shift + u, low
                    win[v, 0], win[v, 1], win[v, 2], win[v, 3] = shown
                    v += 1
                continue
            for side in range(s + 1):
                if tip and side == s:
                    break
                a = (side % s) * step
                c, sn = _COS[a], _SIN[a]
                ox, oy, oz = c * rx + sn * bx, c * ry + sn * by, c * rz + sn * bz
                qx, qy, qz = -sn * rx + c * bx, -sn * ry + c * by, -sn * rz + c * bz
                r, swing = r0, 0.0
                if lo != 0.0:
                    arg = lobes * (a * (2.0 * math.pi / _STEPS)) + phase[i]
                    r = r0 * (1.0 + lo * math.cos(arg))
                    swing = lo * lobes * math.sin(arg) / (1.0 + lo * math.cos(arg))
                if tip:
                    pos[v, 0], pos[v, 1], pos[v, 2] = px, py, pz
                else:
                    pos[v, 0], pos[v, 1], pos[v, 2] = px + r * ox, py + r * oy, pz + r * oz
                nx, ny, nz = (
                    ox + swing * qx - slope * tx,
                    oy + swing * qy - slope * ty,
                    oz + swing * qz - slope * tz,
                )
                ln = 1.0 / math.sqrt(nx * nx + ny * ny + nz * nz)
                nx, ny, nz = nx * ln, ny * ln, nz * ln
                nor[v, 0], nor[v, 1], nor[v, 2] = nx, ny, nz
                d = qx * nx + qy * ny + qz * nz
                qx, qy, qz = qx - d * nx, qy - d * ny, qz - d * nz
                ln = 1.0 / math.sqrt(qx * qx + qy * qy + qz * qz)
                u, way = _round(side + (0.5 if tip else 0.0), s, half, repeats, thin)
                tan[v, 0], tan[v, 1], tan[v, 2], tan[v, 3] = (
                    way * qx * ln,
                    way * qy * ln,
                    way * qz * ln,
                    way,
                )
                uvs[v, 0] = shift + u
                uvs[v, 1] = -along / tile
                for ch in range(4):
                    win[v, ch] = wind[p, ch]
                v += 1
        for k in range(n - 2):
            row = base + k * (s + 1)
            for side in range(s):
                a0 = row + side
                ind[t, 0], ind[t, 1], ind[t, 2] = a0, a0 + 1, a0 + s + 1
                ind[t + 1, 0], ind[t + 1, 1], ind[t + 1, 2] = a0 + 1, a0 + s + 2, a0 + s + 1
                t += 2
        row = base + (n - 2) * (s + 1)
        for side in range(s):
            ind[t, 0], ind[t, 1], ind[t, 2] = row + side, row + side + 1, row + s + 1 + side
            t += 1
        if cap:
            hub = v
            dx, dy, dz = (
                points[first, 0] - points[first + 1, 0],
                points[first, 1] - points[first + 1, 1],
                points[first, 2] - points[first + 1, 2],
            )
            length = math.sqrt(dx * dx + dy * dy + dz * dz)
            for side in range(s + 1):
                for ch in range(3):
                    pos[v, ch] = points[first, ch] if side == s else pos[base + side, ch]
                nor[v, 0], nor[v, 1], nor[v, 2] = dx / length, dy / length, dz / length
                if abs(dy) < 0.9 * length:
                    tan[v, 0], tan[v, 1], tan[v, 2] = dz, 0.0, -dx
                else:
                    tan[v, 0], tan[v, 1], tan[v, 2] = 0.0, -dz, dy
                ln = math.sqrt(tan[v, 0] ** 2 + tan[v, 1] ** 2 + tan[v, 2] ** 2)
                tan[v, 0], tan[v, 1], tan[v, 2], tan[v, 3] = (
                    tan[v, 0] / ln,
                    tan[v, 1] / ln,
                    tan[v, 2] / ln,
                    1.0,
                )
                cs = 0.0 if side == s else 1.0
                a = (side % s) * step
                uvs[v, 0] = 0.5 + cs * _COS[a] * radius[first] / tile
                uvs[v, 1] = 0.5 + cs * _SIN[a] * radius[first] / tile
                for ch in range(4):
                    win[v, ch] = wind[first, ch]
                v += 1
            for side in range(s):
                ind[t, 0], ind[t, 1], ind[t, 2] = hub + s, hub + (side + 1) % s, hub + side
                t += 1
    return pos, nor, tan, uvs, win, ind


def sweep(
    limbs: Limbs, material: str, tile: float = 0.5, lobes: int = 5, cap: bool = False
) -> Mesh:
    """Tubes along `limbs`, open at the base unless `cap`, closed at the tip.

    `tile` is the width in metres of one repeat of the texture. Two successive points of a limb must not coincide.
    With `cap` every tube is watertight.
    """
    if limbs.sides.size and not (
        int(limbs.sides.min()) >= 3 and int(limbs.sides.max()) <= _SIDES_MAX
    ):
        raise ValueError(f"sides must be 3 to {_SIDES_MAX}")
    arrays = (
        limbs.start,
        limbs.points,
        limbs.radius,
        limbs.lobe,
        limbs.sides,
        limbs.phase,
        limbs.wind,
    )
    pos, nor, tan, uvs, win, ind = _sweep(*arrays, tile, lobes, cap)
    return Mesh(pos, nor, uvs, ind, (Part(material, 0, ind.shape[0]),), tangents=tan, wind=win)
