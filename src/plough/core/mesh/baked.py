"""Maps of one mesh baked onto another: what rays against its smooth normals meet of the first is what the second shows.

A texel looks from outside, from as far off its face as the cage is, inwards; what it meets first within its reach is its own. What is cut out of
cards is looked through. Tangents are those of `plough.core.mesh.tangents`, so that a normal map is read as it was written. A sheet is all that a mesh
needs to stand for a finer one: colour, normals, roughness, how much of the sky is seen (Landis 2002), and beside them what is worn, bent and high.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt8, UInt32
from plough.core.kernels import kernel, together
from plough.core.mesh.bleed import bleed
from plough.core.mesh.impostor import ImpostorMaps
from plough.core.mesh.material import Maps, Material, as_bytes
from plough.core.mesh.rays import tree_of
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.topology import edges_of, welded_points
from plough.core.mesh.value import Mesh
from plough.core.vectors import across, normals_of, unit

TEXELS = 14.0  #: a metre, on a shell
_SIZES = (128, 512)  #: texels a side of a shell's maps
_CAGE, _DEEP = (
    0.45,
    0.6,
)  #: metres before and behind the faces of a shell that what is seen on them lies
_OVER = 2  #: samples a texel, on each axis
_BAND = 1_000_000  #: samples that are looked at together
_ALONE = 20_000  #: rays, half of which are worth a thread of their own
_COARSE = 2  #: texels a side, of which one tells how much of the sky is seen
_SKY = 0.5  #: of the source's size, beyond which nothing hides the sky
_BEND = 0.04  #: of the source's size: over so much of it a bend of a radian is told as the most
_WORN = (0.12, 0.7)  #: bends between which an edge is taken for worn, a little to wholly
_NO_NORMAL = np.full((1, 1, 3), (128, 128, 255), np.uint8)
_THROUGH = 6  #: cards that a ray goes through at most
_ON = 1e-4  # of the reach that a ray goes on behind what it goes through


@dataclass(frozen=True, slots=True)
class BakeRule:
    """How maps are baked."""

    size: int  #: texels a side, a power of two
    cage: (
        float | Float64
    )  #: metres off its faces from which is looked, everywhere or (n,) at each vertex
    deep: float  #: metres behind them up to which is looked
    over: int = _OVER  #: samples a texel, on each axis
    ways: Float64 | None = (
        None  #: (n, 3) unit, at each vertex, against which is looked where against its normals nothing is met
    )
    whole: bool = (
        False  #: whether the normal and surface maps of the source are told too, and marks
    )
    rays: int = 0  #: towards the sky about a place, by which is told how much of it is seen


class Baked(NamedTuple):
    """Maps, and how well rays met."""

    maps: Maps
    marks: (
        UInt8 | None
    )  #: (h, w, 3) linear: worn edges, bend (a half where flat), height (a half on its faces)
    missed: float  #: share of the samples on its faces that met nothing
    off: float  #: metres from its faces to what was met, the mean


class _Spots(NamedTuple):
    """Samples on the faces of a mesh."""

    row: Int64  #: (s,) of the image, line by line
    triangle: Int64  #: (s,)
    share: Float64  #: (s, 3) of each corner

    def at(self, rows: Int64) -> _Spots:
        """Some of them."""
        return _Spots(self.row[rows], self.triangle[rows], self.share[rows])


@kernel
def _spots(
    uv: Float64, indices: UInt32, n: int, top: int, low: int, triangle: Int64, share: Float64
) -> None:
    """Of each sample of the lines `top` to `low` of an image of n a side the triangle on which its middle lies, where one does, and the shares of its corners."""
    for t in range(indices.shape[0]):
        a, b, c = uv[indices[t, 0]], uv[indices[t, 1]], uv[indices[t, 2]]
        area = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
        if abs(area) < 1e-12:
            continue
        x0 = max(0, int(math.floor(min(a[0], b[0], c[0]) - 0.5)))
        x1 = min(n - 1, int(math.ceil(max(a[0], b[0], c[0]) - 0.5)))
        y0 = max(top, int(math.floor(min(a[1], b[1], c[1]) - 0.5)))
        y1 = min(low - 1, int(math.ceil(max(a[1], b[1], c[1]) - 0.5)))
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px, py = x + 0.5, y + 0.5
                u = ((b[0] - px) * (c[1] - py) - (c[0] - px) * (b[1] - py)) / area
                v = ((c[0] - px) * (a[1] - py) - (a[0] - px) * (c[1] - py)) / area
                w = 1.0 - u - v
                if u >= 0.0 and v >= 0.0 and w >= 0.0:
                    row = (y - top) * n + x
                    triangle[row] = t
                    share[row, 0], share[row, 1], share[row, 2] = u, v, w


def _spots_of(mesh: Mesh, n: int, top: int, low: int) -> _Spots:
    """The samples on faces in the lines `top` to `low` of an image of n a side."""
    many = (low - top) * n
    triangle, share = np.full(many, -1, np.int64), np.zeros((many, 3))
    _spots(mesh.uv0.astype(np.float64) * n, mesh.indices, n, top, low, triangle, share)
    row = np.nonzero(triangle >= 0)[0]
    return _Spots(row + top * n, triangle[row], share[row])


def _mixed(values: Float32, indices: UInt32, spots: _Spots) -> Float64:
    """(s, k) values of corners at samples."""
    at = values[indices[spots.triangle]].astype(np.float64)
    return np.asarray(np.einsum("sc,sck->sk", spots.share, at))


@kernel
def _sampled(image: UInt8, u: float, v: float, out: Float64) -> None:
    """What a repeating image (h, w, k) shows between its texels, 0 to 1."""
    h, w = image.shape[0], image.shape[1]
    x, y = u * w - 0.5, v * h - 0.5
    i, j = int(math.floor(x)), int(math.floor(y))
    fx, fy = x - i, y - j
    out[:] = 0.0
    for m in range(2):
        for n in range(2):
            share = (fx if m else 1.0 - fx) * (fy if n else 1.0 - fy)
            texel = image[(j + n) % h, (i + m) % w]
            for c in range(out.shape[0]):
                out[c] += share * texel[c] / 255.0


@kernel
def _shown(
    rows: Int64,
    triangle: Int64,
    at: Float64,
    indices: UInt32,
    corners: Float64,
    albedo: UInt8,
    turned: UInt8,
    surface: UInt8,
    roughness: float,
    cut: bool,
    out: Float32,
) -> None:
    """What a source shows at places on its triangles, in `out`: see `_Told`.

    Args:
        rows: those of `at` and `out` whose triangles have these images.
        corners: (n, 18) of each vertex place, normal, tangent and hand, coordinates, tint, worn and bend.
    """
    color, normal, other = np.empty(4), np.empty(3), np.empty(3)
    mixed, share = np.empty(18), np.empty(3)
    e, f, g = np.empty(3), np.empty(3), np.empty(3)
    for r in rows:
        t = triangle[r]
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        for c in range(3):
            e[c] = corners[j, c] - corners[i, c]
            f[c] = corners[k, c] - corners[i, c]
            g[c] = at[r, c] - corners[i, c]
        ee, ef, ff = 0.0, 0.0, 0.0
        eg, fg = 0.0, 0.0
        for c in range(3):
            ee += e[c] * e[c]
            ef += e[c] * f[c]
            ff += f[c] * f[c]
            eg += e[c] * g[c]
            fg += f[c] * g[c]
        size = max(ee * ff - ef * ef, 1e-30)
        share[1] = min(1.0, max(0.0, (ff * eg - ef * fg) / size))
        share[2] = min(1.0, max(0.0, (ee * fg - ef * eg) / size))
        share[0] = max(0.0, 1.0 - share[1] - share[2])
        for c in range(18):
            mixed[c] = (
                share[0] * corners[i, c] + share[1] * corners[j, c] + share[2] * corners[k, c]
            )
        _sampled(albedo, mixed[10], mixed[11], color)
        for c in range(3):
            out[r, c] = color[c] * (mixed[12 + c] / 255.0) ** 0.4545
        out[r, 3] = color[3] if cut else 1.0
        n, s = mixed[3:6], mixed[6:9]
        long = max(1e-12, math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]))
        for c in range(3):
            n[c] /= long
        for c in range(3):
            out[r, 4 + c] = n[c]
        if turned.shape[0] > 1:
            _sampled(turned, mixed[10], mixed[11], normal)
            along = s[0] * n[0] + s[1] * n[1] + s[2] * n[2]
            for c in range(3):
                s[c] -= along * n[c]
            long = max(1e-12, math.sqrt(s[0] * s[0] + s[1] * s[1] + s[2] * s[2]))
            for c in range(3):
                s[c] /= long
            hand = -1.0 if mixed[9] < 0.0 else 1.0
            x, y, z = 2.0 * normal[0] - 1.0, 2.0 * normal[1] - 1.0, 2.0 * normal[2] - 1.0
            for c in range(3):
                d, b = (c + 1) % 3, (c + 2) % 3
                over = hand * (n[d] * s[b] - n[b] * s[d])
                out[r, 4 + c] = x * s[c] + y * over + z * n[c]
        _sampled(surface, mixed[10], mixed[11], other)
        out[r, 7], out[r, 8] = other[0], roughness * other[1]
        out[r, 9], out[r, 10] = mixed[16], mixed[17]


class _Told:
    """Columns of what is told of a place: sRGB colour, alpha, normal, occlusion, roughness, worn and bend."""

    COLOR, ALPHA, NORMAL = slice(0, 3), 3, slice(4, 7)
    SURFACE, MARKS = slice(7, 9), slice(9, 11)
    WIDE = 11


@kernel
def _bends(points: Float64, normals: Float64, ends: Int64) -> Float64:
    """(p,) how far a surface bends at its points: radians a metre, more than 0 where it stands out, the mean over the edges there."""
    out, many = np.zeros(points.shape[0]), np.zeros(points.shape[0])
    for e in range(ends.shape[0]):
        i, j = ends[e, 0], ends[e, 1]
        rise, long = 0.0, 0.0
        for c in range(3):
            way = points[j, c] - points[i, c]
            rise += (normals[j, c] - normals[i, c]) * way
            long += way * way
        bend = rise / max(long, 1e-18)
        out[i] += bend
        out[j] += bend
        many[i] += 1.0
        many[j] += 1.0
    return out / np.maximum(many, 1.0)


def smooth_normals(mesh: Mesh) -> tuple[Float64, Int64, Float64, Int64]:
    """(n, 3) the mean normals, by area, about the place of each vertex, whatever is split there; and the point of each vertex, the points, and their triangles."""
    positions = mesh.positions.astype(np.float64)
    size = float(np.ptp(positions, axis=0).max()) if mesh.vertices else 0.0
    point, many = welded_points(positions, size)
    points = np.zeros((many, 3))
    points[point] = positions
    faces = point[mesh.indices.astype(np.int64)]
    normals = normals_of(points, faces)
    corner = faces.reshape(-1)
    summed = [np.bincount(corner, np.repeat(normals[:, k], 3), many) for k in range(3)]
    return unit(np.stack(summed, axis=1).astype(np.float64))[point], point, points, faces


class Source:
    """A mesh that rays are cast at."""

    def __init__(
        self, mesh: Mesh, materials: dict[str, Material], maps: dict[str, Maps], whole: bool
    ) -> None:
        self.mesh, self.materials, self.maps, self.whole = mesh, materials, maps, whole
        self.part = np.zeros(mesh.triangles, np.int64)
        for k, part in enumerate(mesh.parts):
            self.part[part.first : part.first + part.count] = k
        self.tree = tree_of(mesh.positions, mesh.indices)
        self.size = float(np.ptp(mesh.positions, axis=0).max()) if mesh.vertices else 0.0
        n = mesh.vertices
        tangents = mesh.tangents if mesh.tangents is not None else np.zeros((n, 4))
        columns = [mesh.positions, mesh.normals, tangents, mesh.uv0, mesh.tint, np.zeros((n, 2))]
        self.corners = np.concatenate(columns, axis=1).astype(np.float64)
        if whole and n:
            self.corners[:, 16:18] = self._marks()

    def _marks(self) -> Float64:
        """(n, 2) how worn and how bent each vertex is, 0 to 1; flat is a half."""
        normals, point, points, faces = smooth_normals(self.mesh)
        own = np.zeros((len(points), 3))
        own[point] = normals
        bend = _bends(points, own, edges_of(faces).ends)[point] * _BEND * self.size
        worn = ((bend - _WORN[0]) / (_WORN[1] - _WORN[0])).clip(0.0, 1.0)
        if self.mesh.masks is not None:
            worn = np.maximum(worn, self.mesh.masks[:, 0] / 255.0)
        return np.stack([worn, (0.5 + 0.5 * bend).clip(0.0, 1.0)], axis=1)

    def met(self, origin: Float64, way: Float64, reach: float) -> tuple[Int64, Float64, Float64]:
        """(n,) the triangle that each ray meets first within its reach, or -1, how far that is, and how far it looks along the ray."""
        start, along = (np.ascontiguousarray(v, np.float32) for v in (origin, way))
        half = len(start) // 2
        if half > _ALONE:
            parts = together(
                lambda: self.tree.run(start[:half], along[:half]),
                lambda: self.tree.run(start[half:], along[half:]),
            )
            found = np.concatenate(parts).astype(np.int64)
        else:
            found = np.asarray(self.tree.run(start, along), np.int64)
        a, b, c = (self.mesh.positions[self.mesh.indices[found, k]].astype(float) for k in range(3))
        normal = np.cross(b - a, c - a)
        facing = np.einsum("ij,ij->i", normal, way)
        away = np.einsum("ij,ij->i", normal, a - origin) / np.where(facing == 0, 1.0, facing)
        there = (found >= 0) & (facing != 0) & (away <= reach)
        return np.where(there, found, -1), np.where(there, away, np.inf), facing

    def shows(self, triangle: Int64, at: Float64) -> Float32:
        """(n, `_Told.WIDE`) what is told of places on triangles."""
        out = np.zeros((len(at), _Told.WIDE), np.float32)
        of = self.part[triangle]
        for k, part in enumerate(self.mesh.parts):
            rows = np.nonzero(of == k)[0]
            if len(rows):
                maps, material = self.maps[part.material], self.materials[part.material]
                _shown(
                    rows,
                    triangle,
                    at,
                    self.mesh.indices,
                    self.corners,
                    maps.albedo,
                    maps.normal if self.whole else _NO_NORMAL,
                    maps.surface,
                    material.roughness,
                    material.cutout,
                    out,
                )
        return out

    def sky(self, at: Float64, normal: Float64, seed: Int64, rays: int) -> Float64:
        """(n,) share of the sky, by the cosine, that is seen from places on the source; `seed` (n,) turns the rays of each."""
        one, other = across(normal)
        turn = (seed * 0.6180339887498949) % 1.0
        start = at + 1e-4 * self.size * normal
        seen = np.zeros(len(at))
        for k in range(rays):
            square = (k + 0.5) / rays
            angle = 2.0 * math.pi * ((k * 0.6180339887498949 + turn) % 1.0)
            flat, up = math.sqrt(square), math.sqrt(1.0 - square)
            way = flat * (np.cos(angle)[:, None] * one + np.sin(angle)[:, None] * other)
            seen += self.met(start, way + up * normal, _SKY * self.size)[0] < 0
        return seen / rays


class _Met(NamedTuple):
    """What samples met."""

    told: Float32  #: (s, `_Told.WIDE`)
    at: Float64  #: (s, 3) where
    there: Bool  #: (s,) whether anything was met
    above: Float64  #: (s,) metres from the face, outwards


def _looked(source: Source, at: Float64, way: Float64, cage: Float64, deep: float) -> _Met:
    """What is met from off places on faces, against `way`."""
    told = np.zeros((len(at), _Told.WIDE), np.float32)
    spot, there = at.copy(), np.zeros(len(at), bool)
    gone, left = np.zeros(len(at)), np.arange(len(at))
    start, whole = at + cage[:, None] * way, cage + deep
    for _ in range(_THROUGH):
        if not len(left):
            break
        triangle, away, _ = source.met(start[left], -way[left], float(whole.max()))
        gone[left] += away
        here = (triangle >= 0) & (gone[left] <= whole[left])
        left, triangle = left[here], triangle[here]
        place = at[left] + (cage[left] - gone[left])[:, None] * way[left]
        shown = source.shows(triangle, place)
        seen = shown[:, _Told.ALPHA] >= 0.5
        rows = left[seen]
        told[rows], spot[rows], there[rows] = shown[seen], place[seen], True
        left = left[~seen]
        gone[left] += _ON * whole[left]
        start[left] = at[left] + (cage[left] - gone[left])[:, None] * way[left]
    return _Met(told, spot, there, np.where(there, cage - gone, 0.0))


def _again(
    source: Source,
    seen: _Met,
    target: Mesh,
    rule: BakeRule,
    spots: _Spots,
    at: Float64,
    cage: Float64,
) -> _Met:
    """`seen`, with what is met against the other ways where nothing was: at sharp edges there are gaps between normals."""
    rows = np.nonzero(~seen.there)[0]
    if not len(rows) or rule.ways is None:
        return seen
    few = spots.at(rows)
    way = unit(_mixed(rule.ways.astype(np.float32), target.indices, few))
    more = _looked(source, at[rows], way, cage[rows], rule.deep)
    seen.told[rows], seen.at[rows] = more.told, more.at
    seen.there[rows], seen.above[rows] = more.there, more.above
    return seen


@kernel
def _summed(row: Int64, n: int, over: int, values: Float64, sums: Float32, many: Float32) -> None:
    """Add samples of an image of n a side to its texels, `over` samples a side of each."""
    for s in range(row.shape[0]):
        y, x = row[s] // n // over, row[s] % n // over
        many[y, x] += np.float32(1.0)
        for c in range(values.shape[1]):
            sums[y, x, c] += np.float32(values[s, c])


def _frames(target: Mesh, spots: _Spots, normal: Float64) -> tuple[Float64, Float64]:
    """(s, 3) the tangents and bitangents of samples, as a renderer has them."""
    assert target.tangents is not None
    tangent = _mixed(target.tangents, target.indices, spots)
    along = unit(tangent[:, :3] - np.einsum("ij,ij->i", tangent[:, :3], normal)[:, None] * normal)
    return along, np.where(tangent[:, 3:] < 0, -1.0, 1.0) * np.cross(normal, along)


def bake_maps(
    target: Mesh,
    source: Mesh,
    materials: dict[str, Material],
    maps: dict[str, Maps],
    rule: BakeRule,
    check: Callable[[], None] = lambda: None,
) -> Baked:
    """What `source` looks like, as maps for `target`.

    Args:
        target: with first texture coordinates in [0, 1] in which no two triangles overlap; tangents are made where it has none.
        materials: of `source`.
        maps: the drawn images of each of its slots.
        check: called now and then; may raise to stop.

    Returns:
        Maps whose normals are in the tangent space of `target`; what meets nothing has the look of what lies about it.
    """
    n, size = rule.size * rule.over, rule.size
    target = target if target.tangents is not None else with_tangents(target)
    found = Source(source, materials, maps, rule.whole)
    wide = 11 if rule.whole else 6
    sums, many = np.zeros((size, size, wide), np.float32), np.zeros((size, size), np.float32)
    sky = np.zeros((size // _COARSE, size // _COARSE, 1), np.float32)
    lit = np.zeros(sky.shape[:2], np.float32)
    lines = max(1, _BAND // n)
    cages = np.zeros((target.vertices, 1), np.float32) + np.reshape(rule.cage, (-1, 1))
    met, missed, off = 0, 0, 0.0
    for top in range(0, n, lines):
        check()
        spots = _spots_of(target, n, top, min(n, top + lines))
        at, cage = (_mixed(v, target.indices, spots) for v in (target.positions, cages))
        normal = unit(_mixed(target.normals, target.indices, spots))
        seen = _looked(found, at, normal, cage[:, 0], rule.deep)
        if rule.ways is not None:
            seen = _again(found, seen, target, rule, spots, at, cage[:, 0])
        facing = unit(seen.told[:, _Told.NORMAL].astype(np.float64))
        # a face is seen from its front
        facing *= np.where(np.einsum("ij,ij->i", facing, normal) < 0, -1.0, 1.0)[:, None]
        along, over = _frames(target, spots, normal)
        local = np.stack([np.einsum("ij,ij->i", facing, v) for v in (along, over, normal)], axis=1)
        values = [seen.told[:, _Told.COLOR], local]
        if rule.whole:
            high = 0.5 + 0.5 * seen.above / np.maximum(np.max(rule.cage), rule.deep)
            marks = [seen.told[:, _Told.MARKS], high[:, None].clip(0.0, 1.0)]
            values += [seen.told[:, _Told.SURFACE], *marks]
        there = seen.there
        _summed(
            spots.row[there],
            n,
            rule.over,
            np.concatenate(values, axis=1).astype(np.float64)[there],
            sums,
            many,
        )
        met, missed = met + int(there.sum()), missed + int((~there).sum())
        off += float(np.abs(seen.above[there]).sum())
        if rule.rays:
            step = rule.over * _COARSE
            y, x = np.divmod(spots.row, n)
            rows = np.nonzero(there & (y % step == step // 2) & (x % step == step // 2))[0]
            open_ = found.sky(seen.at[rows], facing[rows], spots.row[rows], rule.rays)
            _summed(spots.row[rows], n, step, open_[:, None], sky, lit)
    return Baked(
        *_images(sums, many, rule, _spread(sky, lit, size) if rule.rays else None),
        missed / max(1, met + missed),
        off / max(1, met),
    )


def _images(
    sums: Float32, many: Float32, rule: BakeRule, sky: Float32 | None
) -> tuple[Maps, UInt8 | None]:
    """Maps and marks of what was summed over samples."""
    weight: Float32 = many / np.float32(rule.over**2)

    def of(first: int, last: int) -> Float32:
        """Those columns, with the look of what lies about where nothing was met."""
        return bleed(sums[..., first:last] / np.float32(rule.over**2), weight)

    turned = of(3, 6)
    turned = turned / np.maximum(np.linalg.norm(turned, axis=2, keepdims=True), 1e-6)
    opaque = np.ones((*weight.shape, 1), np.float32)
    albedo = as_bytes(np.concatenate([of(0, 3), opaque], axis=2))
    if not rule.whole:
        plain = np.full((1, 1, 3), (255, 230, 0), np.uint8)
        return Maps(albedo, as_bytes(turned * 0.5 + 0.5), plain), None
    surface = of(6, 8)
    own = surface[..., 0] if sky is None else surface[..., 0] * sky
    told = np.stack([own, surface[..., 1], np.zeros_like(own)], axis=2)
    return Maps(albedo, as_bytes(turned * 0.5 + 0.5), as_bytes(told)), as_bytes(of(8, 11))


def _spread(sky: Float32, lit: Float32, size: int) -> Float32:
    """(size, size) the sky that was told of few texels, its grain smoothed."""
    from scipy.ndimage import uniform_filter, zoom

    told = np.concatenate([sky, lit[..., None]], axis=2)
    mean: Float32 = np.asarray(uniform_filter(told, (3, 3, 1), mode="nearest"))
    filled = bleed(np.ascontiguousarray(mean[..., :1]), np.ascontiguousarray(mean[..., 1]))[..., 0]
    return np.asarray(zoom(filled, size // len(filled), order=1, grid_mode=True, mode="nearest"))


def make_shell(
    shell: Mesh,
    mesh: Mesh,
    materials: dict[str, Material],
    images: dict[str, Maps],
    key: str,
) -> tuple[Mesh, dict[str, Material]]:
    """A few faces with the look of a mesh baked on them.

    Args:
        shell: the faces, in the place of `mesh`; its first texture coordinates lie side by side in [0, 1].
        images: the drawn ones of each slot of `mesh`.
        key: tells what is baked apart from everything else.
    """
    a, b, c = (shell.positions[shell.indices[:, k]].astype(np.float64) for k in range(3))
    area = 0.5 * float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())
    wanted = TEXELS * math.sqrt(area)
    size = 1 << min(max(round(math.log2(max(wanted, 1.0))), 0), 20)
    rule = BakeRule(min(max(size, _SIZES[0]), _SIZES[1]), _CAGE, _DEEP)
    maps = bake_maps(shell, mesh, materials, images, rule).maps
    (slot,) = {p.material for p in shell.parts}
    worn = Material(slot, ImpostorMaps(f"shell {key}", maps), roughness=0.9)
    return with_tangents(shell), {slot: worn}
