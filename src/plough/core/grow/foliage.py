"""Leaf cards on limbs: quads folded along the middle, each a sprig of leaves.

Cards hang on (limb id, number): more cards leave the others where they were. Normals follow the shape of the crown, so that a tree is lit
as one body; the tint darkens inwards.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt8, UInt32, UInt64
from plough.core.grow.skeleton import R2_FIRST, R2_SECOND, Order
from plough.core.kernels import kernel
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.rng import mix, stream, symmetric, uniform

_AMOUNT, _SIZE, _TILT, _ROLL, _TINT, _RANK = (stream(f"leaf.{n}") for n in ("amount", "size", "tilt", "roll", "tint", "rank"))


@dataclass(frozen=True, slots=True)
class Cards:
    """Where leaf cards hang, as arrays of n rows."""

    base: Float32  #: (n, 3) metres
    direction: Float32  #: (n, 3) unit, from base to tip
    face: Float32  #: (n, 3) unit, the upper side
    length: Float32  #: (n,) metres
    ids: UInt64  #: (n,) stable
    phase: Float32  #: (n,) 0 to 1, of the first-order limb it hangs on


@kernel
def _amounts(seed: np.uint64, ids: UInt64, length: Float32, per_metre: float) -> Int64:
    out = np.empty(ids.shape[0], np.int64)
    for j in range(ids.shape[0]):
        out[j] = 1 + int(per_metre * length[j] + uniform(seed, _AMOUNT, ids[j]))
    return out


@kernel
def _hang(
    seed: np.uint64, points: Float32, ids: UInt64, firsts: Int64, first_ids: UInt64, amounts: Int64, start: float, size: float,
    variation: float, tilt: float, droop: float, light: float, centre: Float64, keep: float,
) -> tuple[Float32, Float32, Float32, Float32, UInt64, Float32, int]:  # fmt: skip
    total = amounts.sum()
    base = np.empty((total, 3), np.float32)
    direction = np.empty((total, 3), np.float32)
    face = np.empty((total, 3), np.float32)
    lengths = np.empty(total, np.float32)
    out_ids = np.empty(total, np.uint64)
    phase = np.empty(total, np.float32)
    count = points.shape[1]
    grown = 1.0 / math.sqrt(keep)
    c = 0
    for j in range(ids.shape[0]):
        offset = uniform(seed, _AMOUNT, ids[j])
        limb_phase = float(first_ids[firsts[j]] >> np.uint64(40)) / 16777216.0 if firsts[j] >= 0 else 0.0
        for k in range(amounts[j]):
            me = mix(ids[j] ^ mix(np.uint64(k + 7919)))
            if uniform(seed, _RANK, me) >= keep:
                continue
            t = 1.0 if k == 0 else start + (1.0 - start) * ((offset + k * R2_FIRST) % 1.0)
            x = t * (count - 1)
            p = min(int(x), count - 2)
            f = x - p
            tx, ty, tz = points[j, p + 1, 0] - points[j, p, 0], points[j, p + 1, 1] - points[j, p, 1], points[j, p + 1, 2] - points[j, p, 2]
            bx, by, bz = points[j, p, 0] + f * tx, points[j, p, 1] + f * ty, points[j, p, 2] + f * tz
            s = 1.0 / max(1e-9, math.sqrt(tx * tx + ty * ty + tz * tz))
            tx, ty, tz = tx * s, ty * s, tz * s
            nx, nz = -tz, tx
            s = math.sqrt(nx * nx + nz * nz)
            if s < 1e-3:
                nx, nz = 1.0, 0.0
            else:
                nx, nz = nx / s, nz / s
            ux, uy, uz = -nz * ty, nz * tx - nx * tz, nx * ty
            azimuth = 2.0 * math.pi * ((offset + k * R2_SECOND) % 1.0)
            ca, sa = math.cos(azimuth), math.sin(azimuth)
            lx, ly, lz = ca * nx + sa * ux, sa * uy, ca * nz + sa * uz
            angle = (0.15 if k == 0 else tilt) * (1.0 + 0.35 * symmetric(seed, _TILT, me))
            dx = math.cos(angle) * tx + math.sin(angle) * lx
            dy = math.cos(angle) * ty + math.sin(angle) * ly - droop
            dz = math.cos(angle) * tz + math.sin(angle) * lz
            s = 1.0 / max(1e-6, math.sqrt(dx * dx + dy * dy + dz * dz))
            dx, dy, dz = dx * s, dy * s, dz * s
            # the upper side turns to the light: outwards from the crown's middle, and up
            ox, oy, oz = bx - centre[0], by - centre[1], bz - centre[2]
            s = 1.0 / max(1e-6, math.sqrt(ox * ox + oy * oy + oz * oz))
            roll = 1.1 * (1.0 - light)
            fx = ox * s * 0.6 + roll * symmetric(seed, _ROLL, me)
            fy = oy * s * 0.6 + 0.4 + 0.6 * light + roll * symmetric(seed, _ROLL, me + np.uint64(1))
            fz = oz * s * 0.6 + roll * symmetric(seed, _ROLL, me + np.uint64(2))
            d = fx * dx + fy * dy + fz * dz
            fx, fy, fz = fx - d * dx, fy - d * dy, fz - d * dz
            s = math.sqrt(fx * fx + fy * fy + fz * fz)
            if s < 1e-3:
                fx, fy, fz = dy * 1.0, dz * 1.0, dx * 1.0
                d = fx * dx + fy * dy + fz * dz
                fx, fy, fz = fx - d * dx, fy - d * dy, fz - d * dz
                s = max(1e-6, math.sqrt(fx * fx + fy * fy + fz * fz))
            base[c, 0], base[c, 1], base[c, 2] = bx, by, bz
            direction[c, 0], direction[c, 1], direction[c, 2] = dx, dy, dz
            face[c, 0], face[c, 1], face[c, 2] = fx / s, fy / s, fz / s
            lengths[c] = size * grown * (1.0 + variation * symmetric(seed, _SIZE, me))
            out_ids[c], phase[c] = me, limb_phase
            c += 1
    return base, direction, face, lengths, out_ids, phase, c


def hang_cards(
    seed: int, order: Order, firsts: Order, per_metre: float, start: float, size: float, variation: float, tilt: float, droop: float,
    light: float, centre: Float64, keep: float,
) -> Cards:  # fmt: skip
    """Cards along the limbs of `order`, one at each tip.

    Args:
        per_metre: cards for each metre of limb.
        keep: share of the cards that is kept, in (0, 1]; those kept grow so that the leaf area stays the same.
    """
    amounts = _amounts(np.uint64(seed), order.ids, order.length, per_metre)
    base, direction, face, lengths, ids, phase, n = _hang(
        np.uint64(seed), order.points, order.ids, order.first, firsts.ids, amounts, start, size, variation, tilt, droop, light, centre, keep
    )
    return Cards(base[:n], direction[:n], face[:n], lengths[:n], ids[:n], phase[:n])


def join_cards(cards: list[Cards]) -> Cards:
    """All cards in one."""
    return Cards(*(np.concatenate([getattr(c, name) for c in cards]) for name in Cards.__slots__))


@kernel
def _card_mesh(
    seed: np.uint64, base: Float32, direction: Float32, face: Float32, length: Float32, ids: UInt64, phase: Float32, aspect: float,
    fold: float, bend: float, round_normals: float, centre: Float64, extent: Float64, tint: float, height: float,
) -> tuple[Float32, Float32, Float32, UInt8, UInt8, UInt32]:  # fmt: skip
    n = base.shape[0]
    pos = np.empty((n * 6, 3), np.float32)
    nor = np.empty((n * 6, 3), np.float32)
    uv = np.empty((n * 6, 2), np.float32)
    col = np.empty((n * 6, 4), np.uint8)
    win = np.empty((n * 6, 4), np.uint8)
    ind = np.empty((n * 4, 3), np.uint32)
    for i in range(n):
        dx, dy, dz = direction[i, 0], direction[i, 1], direction[i, 2]
        fx, fy, fz = face[i, 0], face[i, 1], face[i, 2]
        wx, wy, wz = dy * fz - dz * fy, dz * fx - dx * fz, dx * fy - dy * fx
        long, half = length[i], 0.5 * length[i] * aspect
        hue = symmetric(seed, _TINT, ids[i])
        value = symmetric(seed, _TINT, ids[i] + np.uint64(1))
        ox, oy, oz = (base[i, 0] - centre[0]) / extent[0], (base[i, 1] - centre[1]) / extent[1], (base[i, 2] - centre[2]) / extent[2]
        depth = min(1.0, math.sqrt(ox * ox + oy * oy + oz * oz))
        open_sky = 0.5 + 0.5 * depth * depth * (0.8 + 0.2 * max(-1.0, min(1.0, oy)))
        for row in range(2):
            for column in range(3):
                v = i * 6 + row * 3 + column
                side = column - 1.0
                up = fold * half * abs(side) - bend * long * row
                px = base[i, 0] + dx * long * row + wx * half * side + fx * up
                py = base[i, 1] + dy * long * row + wy * half * side + fy * up
                pz = base[i, 2] + dz * long * row + wz * half * side + fz * up
                pos[v, 0], pos[v, 1], pos[v, 2] = px, py, pz
                qx, qy, qz = (px - centre[0]) / extent[0], (py - centre[1]) / extent[1] + 0.35, (pz - centre[2]) / extent[2]
                s = 1.0 / max(1e-6, math.sqrt(qx * qx + qy * qy + qz * qz))
                ax, ay, az = fx - fold * side * wx, fy - fold * side * wy, fz - fold * side * wz
                d = 1.0 / math.sqrt(ax * ax + ay * ay + az * az)
                k = round_normals
                nx, ny, nz = k * qx * s + (1 - k) * ax * d, k * qy * s + (1 - k) * ay * d, k * qz * s + (1 - k) * az * d
                s = math.sqrt(nx * nx + ny * ny + nz * nz)
                if s < 1e-3:
                    nx, ny, nz, s = 0.0, 1.0, 0.0, 1.0
                nor[v, 0], nor[v, 1], nor[v, 2] = nx / s, ny / s, nz / s
                uv[v, 0], uv[v, 1] = 0.5 + 0.5 * side, 1.0 - row
                shade = open_sky * (1.0 + 0.25 * tint * value)
                col[v, 0] = np.uint8(max(0.0, min(255.0, 255.0 * shade * (0.92 + 0.22 * tint * hue))))
                col[v, 1] = np.uint8(max(0.0, min(255.0, 255.0 * shade * 0.94)))
                col[v, 2] = np.uint8(max(0.0, min(255.0, 255.0 * shade * (0.88 - 0.2 * tint * hue))))
                col[v, 3] = 255
                win[v, 0] = np.uint8(max(0.0, min(1.0, py / height)) ** 2 * 255)
                win[v, 1] = np.uint8(phase[i] * 255)
                win[v, 2] = np.uint8(255 * row)
                win[v, 3] = np.uint8(255 * open_sky)
        v, t = i * 6, i * 4
        for side in range(2):
            a = v + side
            ind[t, 0], ind[t, 1], ind[t, 2] = a, a + 1, a + 3
            ind[t + 1, 0], ind[t + 1, 1], ind[t + 1, 2] = a + 1, a + 4, a + 3
            t += 2
    return pos, nor, uv, col, win, ind


def card_mesh(
    seed: int, cards: Cards, material: str, aspect: float, fold: float, bend: float, round_normals: float, centre: Float64, extent: Float64,
    tint: float, height: float,
) -> Mesh:  # fmt: skip
    """Four triangles a card.

    Args:
        aspect: width by length.
        fold: how far the sides rise, by half the width.
        bend: how far the tip sinks, by the length.
        round_normals: 0 normals of the card, 1 of an ellipsoid about the crown (`centre`, `extent`, each (3,) metres).
        tint: strength of the colour variation, 0 to 1.
        height: of the plant in metres, for the wind.
    """
    arrays = (cards.base, cards.direction, cards.face, cards.length, cards.ids, cards.phase)
    pos, nor, uv, col, win, ind = _card_mesh(np.uint64(seed), *arrays, aspect, fold, bend, round_normals, centre, extent, tint, height)
    return with_tangents(Mesh(pos, nor, uv, ind, (Part(material, 0, ind.shape[0]),), colors=col, wind=win))
