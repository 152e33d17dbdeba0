"""The body of a rock: an ellipsoid cut by planes that are joined more or less sharply, seen from its middle.

Along each direction there is one surface, so a rock is closed and crosses itself nowhere, however many directions it is sampled in. Directions near a
ridge between two planes are moved onto it, so that few triangles show sharp ridges.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.build.rock_carving import (
    Carving,
    across_beds,
    carved,
    crack_planes,
    onto_lines,
    seeds_of,
)
from plough.core.kernels import kernel
from plough.core.mesh.sphere import geodesic
from plough.core.rng import seed_for, stream, symmetric_array, uniform_array
from plough.core.solid_noise import gradient_in_space, layered_in_space

_NORMAL, _CUT, _TURN = (stream(f"rock.{n}") for n in ("normal", "cut", "turn"))
_JOINTS, _FACES, _CHIPS = 6, 7, 16
_AHEAD = (
    6  #: steps along each direction (Newton): what is joined is convex, so they only come nearer
)
_ALONG = 0.48  #: of the way between two directions, within which one is moved onto a ridge
_NO_FACE = -1
_ROUNDER = 0.35  #: so much larger is the ellipsoid where planes are to be seen
_ROUND = 0.15  #: angularity up to which there are no ridges to speak of


class Look(NamedTuple):
    """What a rock is like; lengths in metres."""

    half: tuple[float, float, float]  #: along east, up and south
    angularity: float  #: 0 rounded by water to 1 freshly split
    blocky: float  #: 0 to 1: how deep three sets of joints cut
    rough: float
    wear: float  #: of edges
    strata: float
    bed: float  #: metres, of one bed
    dip: float  #: radians
    strike: float  #: radians
    cracks: int
    crack_width: float
    crack_depth: float
    cavities: float
    cavity_size: float


class Body(NamedTuple):
    """The surface of a rock, sampled."""

    positions: Float64  #: (n, 3) metres
    faces: Int64  #: (m, 3)
    edge: Float64  #: (n,) 0 to 1: how near a ridge
    worn: Float64  #: (n,) 0 to 1: how worn
    deep: Float64  #: (n,) 0 to 1: within grooves and cavities
    bed: Float64  #: (n,) -1 to 1: a value of the bed that it is in
    patch: Float64  #: (n,) -1 to 1: uneven over all of it


def planes_of(look: Look, seed: int) -> Float64:
    """(p, 4) the planes that cut a rock: a unit normal, and metres from the middle."""
    half = np.array(look.half)
    turn = 2 * math.pi * uniform_array(seed, _TURN, np.arange(3, dtype=np.uint64))
    joints = _turned(turn[0], 0.12 * math.sin(turn[1]), 0.12 * math.sin(turn[2]))
    normals = [np.concatenate([joints, -joints])]
    count = _FACES + _CHIPS
    k = np.arange(count) + 0.5
    # spread evenly by the golden angle, then each off by so much
    up, around = 1.0 - 2.0 * k / count, k * math.pi * (3.0 - math.sqrt(5.0)) + turn[0]
    flat = np.sqrt(1.0 - up * up)
    spread = np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1)
    order = np.argsort(uniform_array(seed, _NORMAL, np.arange(1000, 1000 + count, dtype=np.uint64)))
    off = symmetric_array(seed, _NORMAL, np.arange(3 * (count + _JOINTS), dtype=np.uint64)).reshape(
        -1, 3
    )
    normals.append(spread[order] + 0.45 * off[_JOINTS:])
    normal = (
        np.concatenate(normals)
        + np.where(np.arange(_JOINTS + count) < _JOINTS, 0.10, 0.0)[:, None] * off
    )
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    draw = uniform_array(seed, _CUT, np.arange(len(normal), dtype=np.uint64))
    joint = look.blocky * (0.12 + 0.32 * draw[:_JOINTS])
    face = 0.03 + 0.26 * draw[_JOINTS : _JOINTS + _FACES]
    chip = 0.02 + 0.15 * draw[_JOINTS + _FACES :]
    cut = np.concatenate([joint, face, chip * look.angularity]) * (0.35 + 0.65 * look.angularity)
    reach = np.linalg.norm(normal * half, axis=1)
    return np.concatenate([normal, (reach * (1.0 - cut))[:, None]], axis=1)


def _turned(a: float, b: float, c: float) -> Float64:
    """(3, 3) rows: three axes square to each other, turned about the vertical, then nodded, then rolled."""
    ca, sa, cb, sb, cc, sc = (
        math.cos(a),
        math.sin(a),
        math.cos(b),
        math.sin(b),
        math.cos(c),
        math.sin(c),
    )
    about = np.array([[ca, 0, sa], [0, 1, 0], [-sa, 0, ca]])
    nod = np.array([[1, 0, 0], [0, cb, -sb], [0, sb, cb]])
    roll = np.array([[cc, -sc, 0], [sc, cc, 0], [0, 0, 1]])
    return np.asarray((about @ nod @ roll).T)


def body_of(look: Look, seed: int, wear_seed: int, triangles: int) -> Body:
    """A rock of about so many triangles about its middle."""
    ways, faces = geodesic(max(1, round(math.sqrt(triangles / 20.0))))
    half = np.array(look.half)
    planes = planes_of(look, seed)
    spacing = math.sqrt(16.0 * math.pi / (math.sqrt(3.0) * len(faces)))
    carving = Carving(
        1.7 / (2.0 * half.max()),
        2.0 * half.max(),
        2.0 * half.min(),
        spacing * float(half.mean()),
        across_beds(look.dip, look.strike),
        look.strata,
        look.bed,
        crack_planes(look.cracks, half, seed),
        look.crack_width,
        look.crack_depth,
        look.cavities,
        look.cavity_size,
        *seeds_of(seed),
    )
    round_ = 1.0 + _ROUNDER * look.angularity
    if look.angularity > _ROUND:
        ways = _sound(ways, _on_ridges(ways, planes, half, round_, _ALONG * spacing), faces)
    if look.cracks or look.strata:
        ways = _sound(ways, _on_lines(ways, planes, half, round_, carving), faces)
    names = ("lumps", "soft", "grain", "wear", "patch")
    seeds = [seed_for(wear_seed if n == "wear" else seed, f"rock.{n}") for n in names]
    made = _sampled(ways, planes, np.array(seeds, np.uint64), look, carving)
    return Body(made[:, :3], faces, *made[:, 3:].T)


def _sound(before: Float64, after: Float64, faces: Int64) -> Float64:
    """`after`, but `before` at the corners of triangles that have turned over or grown thin; some of them more than once."""
    out = after.copy()
    while True:
        a, b, c = (out[faces[:, k]] for k in range(3))
        cross = np.cross(b - a, c - a)
        sides = np.stack([((b - a) ** 2).sum(1), ((c - b) ** 2).sum(1), ((a - c) ** 2).sum(1)])
        bad = np.einsum("ij,ij->i", cross, a + b + c) < 0.45 * sides.max(axis=0)
        rows = np.unique(faces[bad])
        rows = rows[(out[rows] != before[rows]).any(axis=1)]
        if not len(rows):
            return out
        out[rows] = before[rows]


@kernel
def _nearest_planes(u: Float64, planes: Float64, half: Float64) -> tuple[Int64, Float64]:
    """The three planes that a direction meets first, and how far away (3,)."""
    which, far = np.full(3, _NO_FACE), np.full(3, 1e30)
    for i in range(planes.shape[0]):
        towards = (
            planes[i, 0] * half[0] * u[0]
            + planes[i, 1] * half[1] * u[1]
            + planes[i, 2] * half[2] * u[2]
        )
        if towards <= 1e-9:
            continue
        t = planes[i, 3] / towards
        for k in range(3):
            if t < far[k]:
                for m in range(2, k, -1):
                    far[m], which[m] = far[m - 1], which[m - 1]
                far[k], which[k] = t, i
                break
    return which, far


@kernel
def _on_ridges(
    ways: Float64, planes: Float64, half: Float64, round_: float, near: float
) -> Float64:
    """`ways` (n, 3), those that lie within `near` of a ridge or a corner moved onto it."""
    out = ways.copy()
    scaled = np.empty((planes.shape[0], 3))
    for i in range(planes.shape[0]):
        for c in range(3):
            scaled[i, c] = planes[i, c] * half[c] / planes[i, 3]
    for v in range(ways.shape[0]):
        u = out[v]
        which, far = _nearest_planes(u, planes, half)
        if which[1] == _NO_FACE or far[0] > round_:
            continue
        m = scaled[which[0]] - scaled[which[1]]
        size = math.sqrt(m[0] * m[0] + m[1] * m[1] + m[2] * m[2])
        off = (m[0] * u[0] + m[1] * u[1] + m[2] * u[2]) / size
        if abs(off) > near:
            continue
        moved = u - off * m / size
        if which[2] != _NO_FACE:
            o = scaled[which[0]] - scaled[which[2]]
            long = math.sqrt(o[0] * o[0] + o[1] * o[1] + o[2] * o[2])
            if abs(o[0] * u[0] + o[1] * u[1] + o[2] * u[2]) < near * long:
                corner = np.array(
                    [
                        m[1] * o[2] - m[2] * o[1],
                        m[2] * o[0] - m[0] * o[2],
                        m[0] * o[1] - m[1] * o[0],
                    ]
                )
                length = math.sqrt(corner[0] ** 2 + corner[1] ** 2 + corner[2] ** 2)
                if length > 1e-12:
                    corner /= length
                    if corner[0] * u[0] + corner[1] * u[1] + corner[2] * u[2] < 0:
                        corner = -corner
                    if ((corner - u) ** 2).sum() < 2.0 * near * near:
                        moved = corner
        out[v] = moved / math.sqrt(moved[0] ** 2 + moved[1] ** 2 + moved[2] ** 2)
    return out


@kernel
def _joined(
    d: Float64, r: float, planes: Float64, half: Float64, round_: float, k: float
) -> tuple[float, float, float]:
    """How far outside the joined planes and ellipsoid the place `r` along `d` lies, how fast that grows, and how near it is to a ridge."""
    x, y, z = d[0] / half[0] / round_, d[1] / half[1] / round_, d[2] / half[2] / round_
    e = math.sqrt(x * x + y * y + z * z)
    x, y, z = x / half[0] / round_, y / half[1] / round_, z / half[2] / round_
    steep = math.sqrt(x * x + y * y + z * z) / e
    f, rate, edge = (r * e - 1.0) / steep, e / steep, 0.0
    for i in range(planes.shape[0]):
        grows = planes[i, 0] * d[0] + planes[i, 1] * d[1] + planes[i, 2] * d[2]
        g = grows * r - planes[i, 3]
        if g >= f + k:
            f, rate, edge = g, grows, 0.0
        elif g > f - k:
            h = (k - abs(g - f)) / k
            share = 0.5 + 0.5 * (g - f) / k
            f = max(f, g) + 0.25 * k * h * h
            rate = rate + share * (grows - rate)
            edge = max(edge, h)
    return f, rate, edge


@kernel
def _reach(d: Float64, planes: Float64, half: Float64, round_: float) -> float:
    """How far along `d` (3,) the ellipsoid, or the first of the planes, lies."""
    x, y, z = d[0] / half[0], d[1] / half[1], d[2] / half[2]
    r = round_ / math.sqrt(x * x + y * y + z * z)
    for i in range(planes.shape[0]):
        grows = planes[i, 0] * d[0] + planes[i, 1] * d[1] + planes[i, 2] * d[2]
        if grows > 1e-9:
            r = min(r, planes[i, 3] / grows)
    return r


@kernel
def _on_lines(ways: Float64, planes: Float64, half: Float64, round_: float, c: Carving) -> Float64:
    """`ways` (n, 3), those that see a place near a crack, or where two beds meet, turned towards it."""
    out = ways.copy()
    d = np.empty(3)
    for v in range(ways.shape[0]):
        for k in range(3):
            d[k] = ways[v, k] * half[k]
        r = _reach(d, planes, half, round_)
        x, y, z = r * d[0], r * d[1], r * d[2]
        moved = onto_lines(c, x, y, z, _ALONG * c.gap)
        if moved == (x, y, z):
            continue
        x, y, z = moved[0] / half[0], moved[1] / half[1], moved[2] / half[2]
        long = math.sqrt(x * x + y * y + z * z)
        out[v, 0], out[v, 1], out[v, 2] = x / long, y / long, z / long
    return out


@kernel
def _sampled(
    ways: Float64, planes: Float64, seeds: UInt64, look: Look, carving: Carving
) -> Float64:
    """(n, 8) positions, and `edge`, `worn`, `deep`, `bed`, `patch` of `Body`."""
    half = np.array(look.half)
    least, f = carving.least, carving.often
    sharp = 1.0 - look.angularity
    round_ = 1.0 + _ROUNDER * look.angularity
    base = least * (0.012 + 0.3 * sharp * sharp)
    out = np.empty((ways.shape[0], 8))
    d = np.empty(3)
    for v in range(ways.shape[0]):
        for c in range(3):
            d[c] = ways[v, c] * half[c]
        d /= math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
        r = _reach(d, planes, half, round_)
        x, y, z = d[0] * r, d[1] * r, d[2] * r
        soft = 0.5 + 0.5 * gradient_in_space(seeds[1], 1.6 * f * x, 1.6 * f * y, 1.6 * f * z)
        rub = gradient_in_space(seeds[3], 2.2 * f * x, 2.2 * f * y, 2.2 * f * z)
        worn = look.wear * min(1.0, max(0.0, 0.55 + 1.3 * rub))
        k = base * (0.5 + soft) + 0.16 * least * worn
        edge = 0.0
        for _ in range(_AHEAD):
            off, rate, edge = _joined(d, r, planes, half, round_, k)
            r -= off / max(rate, 1e-3)
        x, y, z = d[0] * r, d[1] * r, d[2] * r
        lumps = gradient_in_space(seeds[0], f * x, f * y, f * z)
        lumps += 0.5 * gradient_in_space(seeds[0], 2.1 * f * x, 2.1 * f * y, 2.1 * f * z)
        by = least * (0.012 + 0.10 * sharp * sharp) * lumps
        if look.rough > 0.0:
            grain = layered_in_space(seeds[2], 4.3 * f * x, 4.3 * f * y, 4.3 * f * z, 3, 0.55)
            by += 0.05 * look.rough * least * grain * (0.35 + 0.65 * edge)
        cut = carved(carving, d, x, y, z, rub)
        r = max(0.25 * r, r + by + cut.by)
        for c in range(3):
            out[v, c] = d[c] * r
        out[v, 3], out[v, 4], out[v, 5], out[v, 6] = edge, worn * edge, cut.deep, cut.bed
        out[v, 7] = layered_in_space(seeds[4], 2.6 * f * x, 2.6 * f * y, 2.6 * f * z, 3, 0.6)
    return out
