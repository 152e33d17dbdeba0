"""Maps of one mesh baked onto another: what rays against its smooth normals meet of the first is what the second shows.

A texel looks from outside, from as far off its face as the cage is, inwards; what it meets first within its reach is its own. What is cut out of
cards is looked through. Tangents are those of `plough.core.mesh.tangents`, so that a normal map is read as it was written.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt8, UInt32
from plough.core.kernels import kernel
from plough.core.mesh.bleed import bleed
from plough.core.mesh.impostor import ImpostorMaps
from plough.core.mesh.material import Maps, Material, as_bytes
from plough.core.mesh.raster import halved
from plough.core.mesh.rays import shares_at, tree_of
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh
from plough.core.vectors import unit

TEXELS = 14.0  #: a metre, on a shell
_SIZES = (128, 512)  #: texels a side of a shell's maps
_CAGE, _DEEP = (
    0.45,
    0.6,
)  #: metres before and behind the faces of a shell that what is seen on them lies
_OVER = 2  #: samples a texel, on each axis; `halved` takes the mean of as many
_THROUGH = 6  #: cards that a ray goes through at most
_ON = 1e-4  # of the reach that a ray goes on behind what it goes through


@dataclass(frozen=True, slots=True)
class BakeRule:
    """How maps are baked."""

    size: int  #: texels a side, a power of two
    cage: float  #: metres off its faces from which is looked
    deep: float  #: metres behind them up to which is looked


class Baked(NamedTuple):
    """Maps, and how well rays met."""

    maps: Maps
    missed: float  #: share of the samples on its faces that met nothing
    off: float  #: metres from its faces to what was met, the mean


class _Spots(NamedTuple):
    """Samples on the faces of a mesh."""

    row: Int64  #: (s,) of the image, line by line
    triangle: Int64  #: (s,)
    share: Float64  #: (s, 3) of each corner


@kernel
def _spots(uv: Float64, indices: UInt32, n: int, triangle: Int64, share: Float64) -> None:
    """Of each sample of an image of n a side the triangle on which its middle lies, where one does, and the shares of its corners."""
    for t in range(indices.shape[0]):
        a, b, c = uv[indices[t, 0]], uv[indices[t, 1]], uv[indices[t, 2]]
        area = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
        if abs(area) < 1e-12:
            continue
        x0 = max(0, int(math.floor(min(a[0], b[0], c[0]) - 0.5)))
        x1 = min(n - 1, int(math.ceil(max(a[0], b[0], c[0]) - 0.5)))
        y0 = max(0, int(math.floor(min(a[1], b[1], c[1]) - 0.5)))
        y1 = min(n - 1, int(math.ceil(max(a[1], b[1], c[1]) - 0.5)))
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px, py = x + 0.5, y + 0.5
                u = ((b[0] - px) * (c[1] - py) - (c[0] - px) * (b[1] - py)) / area
                v = ((c[0] - px) * (a[1] - py) - (a[0] - px) * (c[1] - py)) / area
                w = 1.0 - u - v
                if u >= 0.0 and v >= 0.0 and w >= 0.0:
                    row = y * n + x
                    triangle[row] = t
                    share[row, 0], share[row, 1], share[row, 2] = u, v, w


def _spots_of(mesh: Mesh, n: int) -> _Spots:
    triangle, share = np.full(n * n, -1, np.int64), np.zeros((n * n, 3))
    _spots(mesh.uv0.astype(np.float64) * n, mesh.indices, n, triangle, share)
    row = np.nonzero(triangle >= 0)[0]
    return _Spots(row, triangle[row], share[row])


def _mixed(values: Float32, indices: UInt32, spots: _Spots) -> Float64:
    """(s, k) values of corners at samples."""
    at = values[indices[spots.triangle]].astype(np.float64)
    return np.asarray(np.einsum("sc,sck->sk", spots.share, at))


@kernel
def _colored(
    uv: Float64, tint: Float64, rows: Int64, albedo: UInt8, color: Float32, alpha: Float32
) -> None:
    """Of samples in `rows` what a repeating sRGB image shows there, between its texels, times a linear tint; and its alpha."""
    h, w = albedo.shape[0], albedo.shape[1]
    for k in range(rows.shape[0]):
        r = rows[k]
        x, y = uv[r, 0] * w - 0.5, uv[r, 1] * h - 0.5
        i, j = int(math.floor(x)), int(math.floor(y))
        fx, fy = x - i, y - j
        sums = np.zeros(4)
        for m in range(2):
            for n in range(2):
                share = (fx if m else 1.0 - fx) * (fy if n else 1.0 - fy)
                texel = albedo[(j + n) % h, (i + m) % w]
                for c in range(4):
                    sums[c] += share * texel[c]
        for c in range(3):
            color[r, c] = sums[c] / 255.0 * (tint[r, c] / 255.0) ** 0.4545
        alpha[r] = sums[3] / 255.0


class _Source:
    """A mesh that rays are cast at."""

    def __init__(self, mesh: Mesh, materials: dict[str, Material], albedo: dict[str, UInt8]):
        self.mesh, self.materials, self.albedo = mesh, materials, albedo
        self.part = np.zeros(mesh.triangles, np.int64)
        for k, part in enumerate(mesh.parts):
            self.part[part.first : part.first + part.count] = k
        self.tree = tree_of(mesh.positions, mesh.indices)

    def met(self, origin: Float64, way: Float64, reach: float) -> tuple[Int64, Float64]:
        """(n,) the triangle that each ray meets first within its reach, or -1, and how far that is."""
        start, along = (np.ascontiguousarray(v, np.float32) for v in (origin, way))
        found = np.asarray(self.tree.run(start, along), np.int64)
        a, b, c = (self.mesh.positions[self.mesh.indices[found, k]].astype(float) for k in range(3))
        normal = np.cross(b - a, c - a)
        facing = np.einsum("ij,ij->i", normal, way)
        away = np.einsum("ij,ij->i", normal, a - origin) / np.where(facing == 0, 1.0, facing)
        there = (found >= 0) & (facing != 0) & (away <= reach)
        return np.where(there, found, -1), np.where(there, away, np.inf)

    def shows(self, triangle: Int64, at: Float64) -> tuple[Float32, Float32, Float64]:
        """(n, 3) sRGB colours, (n,) alpha and (n, 3) normals at places on triangles."""
        corners = self.mesh.indices[triangle]
        a, b, c = (self.mesh.positions[corners[:, k]].astype(np.float64) for k in range(3))
        normal = np.cross(b - a, c - a)
        share = shares_at(a, b, c, normal, at)
        uv, tint, smooth = (
            np.einsum("ij,ijk->ik", share, values[corners].astype(np.float64))
            for values in (self.mesh.uv0, self.mesh.tint, self.mesh.normals)
        )
        color, alpha = np.zeros((len(at), 3), np.float32), np.ones(len(at), np.float32)
        of = self.part[triangle]
        for k, part in enumerate(self.mesh.parts):
            rows = np.nonzero(of == k)[0]
            if len(rows):
                _colored(uv, tint, rows, self.albedo[part.material], color, alpha)
                if not self.materials[part.material].cutout:
                    alpha[rows] = 1.0
        return color, alpha, unit(smooth)


def bake_maps(
    target: Mesh,
    source: Mesh,
    materials: dict[str, Material],
    albedo: dict[str, UInt8],
    rule: BakeRule,
) -> Baked:
    """What `source` looks like, as maps for `target`.

    Args:
        target: with first texture coordinates in [0, 1] in which no two triangles overlap.
        materials: of `source`.
        albedo: the drawn albedo image of each of its slots, (h, w, 4).

    Returns:
        Maps whose normals are in the tangent space that `with_tangents` gives `target`; what meets nothing has the colour of what lies about it.
    """
    n = rule.size * _OVER
    target = with_tangents(target)
    spots = _spots_of(target, n)
    at = _mixed(target.positions, target.indices, spots)
    normal = unit(_mixed(target.normals, target.indices, spots))
    found = _Source(source, materials, albedo)
    color = np.zeros((len(at), 3), np.float32)
    facing, met = normal.copy(), np.zeros(len(at), bool)
    off = np.zeros(len(at))
    left, start = np.arange(len(at)), at + rule.cage * normal
    gone = np.zeros(len(at))
    whole = rule.cage + rule.deep
    for _ in range(_THROUGH):
        if not len(left):
            break
        triangle, away = found.met(start[left], -normal[left], whole)
        gone[left] += np.where(triangle >= 0, away, np.inf)
        here = (triangle >= 0) & (gone[left] <= whole)
        left, triangle = left[here], triangle[here]
        place = at[left] + (rule.cage - gone[left])[:, None] * normal[left]
        shown, alpha, smooth = found.shows(triangle, place)
        seen = alpha >= 0.5
        rows = left[seen]
        color[rows], facing[rows], met[rows] = shown[seen], smooth[seen], True
        off[rows] = np.abs(gone[rows] - rule.cage)
        left = left[~seen]
        gone[left] += _ON * whole
        start[left] = at[left] + (rule.cage - gone[left])[:, None] * normal[left]
    # a face is seen from its front
    facing *= np.where(np.einsum("ij,ij->i", facing, normal) < 0, -1.0, 1.0)[:, None]
    assert target.tangents is not None
    tangent = _mixed(target.tangents, target.indices, spots)
    along = unit(tangent[:, :3] - np.einsum("ij,ij->i", tangent[:, :3], normal)[:, None] * normal)
    across = np.where(tangent[:, 3:] < 0, -1.0, 1.0) * np.cross(normal, along)
    local = np.stack([np.einsum("ij,ij->i", facing, v) for v in (along, across, normal)], axis=1)
    images = np.zeros((n * n, 7), np.float32)
    images[spots.row[met], :3], images[spots.row[met], 3:6] = color[met], local[met]
    images[spots.row[met], 6] = 1.0
    small = halved(images.reshape(n, n, 7))
    filled = bleed(np.ascontiguousarray(small[..., :6]), np.ascontiguousarray(small[..., 6]))
    turned = filled[..., 3:6]
    turned = turned / np.maximum(np.linalg.norm(turned, axis=2, keepdims=True), 1e-6)
    opaque = np.ones((*filled.shape[:2], 1), np.float32)
    maps = Maps(
        as_bytes(np.concatenate([filled[..., :3], opaque], axis=2)),
        as_bytes(turned * 0.5 + 0.5),
        np.full((1, 1, 3), (255, 230, 0), np.uint8),
    )
    share = 1.0 - float(met.mean()) if len(met) else 1.0
    return Baked(maps, share, float(off[met].mean()) if met.any() else 0.0)


def make_shell(
    shell: Mesh,
    mesh: Mesh,
    materials: dict[str, Material],
    albedo: dict[str, UInt8],
    key: str,
) -> tuple[Mesh, dict[str, Material]]:
    """A few faces with the look of a mesh baked on them.

    Args:
        shell: the faces, in the place of `mesh`; its first texture coordinates lie side by side in [0, 1].
        key: tells what is baked apart from everything else.
    """
    a, b, c = (shell.positions[shell.indices[:, k]].astype(np.float64) for k in range(3))
    area = 0.5 * float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())
    wanted = TEXELS * math.sqrt(area)
    size = 1 << min(max(round(math.log2(max(wanted, 1.0))), 0), 20)
    rule = BakeRule(min(max(size, _SIZES[0]), _SIZES[1]), _CAGE, _DEEP)
    maps = bake_maps(shell, mesh, materials, albedo, rule).maps
    (slot,) = {p.material for p in shell.parts}
    worn = Material(slot, ImpostorMaps(f"shell {key}", maps), roughness=0.9)
    return with_tangents(shell), {slot: worn}
