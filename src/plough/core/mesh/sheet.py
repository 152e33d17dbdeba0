"""One sheet of maps for a mesh that stands for a finer one: fewer triangles, a place in the sheet for each, and what the finer looked like on them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt8
from plough.core.mesh.baked import BakeRule, Source, bake_maps, smooth_normals
from plough.core.mesh.charts import unwrapped
from plough.core.mesh.impostor import ImpostorMaps
from plough.core.mesh.material import Maps, Material, no_larger
from plough.core.mesh.simplify import simplified
from plough.core.mesh.surface import crease_normals, split_corners
from plough.core.mesh.tangents import mikk_tangents
from plough.core.mesh.value import Mesh, Part, chosen, join
from plough.core.vectors import across, unit

SLOT = "sheet"  #: the material of what has its look from a sheet
VIEWS = 8  #: about the vertical, from which the look is compared
_PIXELS, _SAMPLES = (
    80,
    4,
)  #: a side of each, and of each pixel: what is finer than a pixel has no say
_DOWN = 20.0  #: degrees that is looked down
_CREASE = 70.0  #: degrees from which an edge of fewer triangles is sharp
_SPOTS = 40_000  #: of the faces, at which the cage is measured
_REACH = 0.2  #: of the size, beyond which nothing is taken for the same surface
_SPARE, _LEAST = 1.25, 2e-3  #: how much larger the cage is than measured, and of the size, at least
_SMALLEST = 64  #: texels a side of a level's maps
_SHARE = (1.0, 0.35, 0.1)  #: of the triangles, by level
_FEW = 40  #: triangles that a coarser level has at least
_MOST_OVER = 512  #: texels a side up to which a texel is the mean of four samples; above, the normals come no nearer by it


@dataclass(frozen=True, slots=True)
class SheetRule:
    """How a sheet is made."""

    size: int  #: texels a side of the nearest level's, a power of two; each level after it has half of it
    triangles: int  #: of the nearest level; a mesh that has fewer is taken as it is
    rays: int  #: towards the sky, at each of a quarter of the texels


@dataclass(frozen=True, slots=True)
class Look:
    """How near it comes to what it stands for."""

    missed: float  #: share of the texels that met nothing
    off: float  #: metres between the two surfaces, the mean
    turned: float  #: degrees between their normals over `VIEWS` views, the mean, with the map
    plain: float  #: and without


@dataclass(frozen=True, slots=True)
class Sheet:
    """One level, with its maps."""

    mesh: Mesh
    materials: dict[str, Material]
    marks: UInt8  #: (h, w, 3) linear: worn edges, bend (a half where flat), height (a half on its faces)
    look: Look

    @property
    def nbytes(self) -> int:
        """Bytes of meshes and images."""
        maps = self.materials[SLOT].maps
        drawn = int(getattr(maps, "nbytes", 0))
        return self.mesh.nbytes + drawn + self.marks.nbytes


def laid(material: Material) -> bool:
    """Whether the look of a material goes on a sheet: what is cut out, shines or lets light through keeps its own."""
    return not material.cutout and material.glow is None and material.translucency == 0


def parted(mesh: Mesh, materials: dict[str, Material]) -> tuple[Mesh | None, Mesh | None]:
    """The triangles of `mesh` whose look goes on a sheet, as one part, and the others; None where there are none."""
    owner = np.repeat(np.arange(len(mesh.parts)), [p.count for p in mesh.parts])
    on = np.array([laid(materials[p.material]) for p in mesh.parts], bool)[owner]

    def of(rows: Bool) -> Mesh | None:
        return chosen(mesh, mesh.indices[rows], owner[rows]) if rows.any() else None

    return of(on), of(~on)


def reduced(mesh: Mesh, triangles: int) -> Mesh:
    """`mesh` as one surface with about so many triangles, smooth but where it bends by more than 70 degrees; as it is where it has no more."""
    if mesh.triangles <= triangles:
        return _bare(mesh)
    _, _, points, faces = smooth_normals(mesh)
    n = len(points)
    plain = Mesh(
        points.astype(np.float32),
        np.zeros((n, 3), np.float32),
        np.zeros((n, 2), np.float32),
        faces.astype(np.uint32),
        (Part(SLOT, 0, len(faces)),),
    )
    fewer = simplified(plain, triangles)
    at, few = fewer.positions.astype(np.float64), fewer.indices.astype(np.int64)
    corner = few.reshape(-1)
    normals = crease_normals(at, few, _CREASE)
    first, indices = split_corners(corner, normals)
    vertex = corner[first]
    return replace(
        fewer,
        positions=fewer.positions[vertex],
        normals=np.ascontiguousarray(normals[first]),
        uv0=np.zeros((len(vertex), 2), np.float32),
        indices=indices.astype(np.uint32),
    )


def _bare(mesh: Mesh) -> Mesh:
    """Places, normals and triangles alone."""
    flat = np.zeros((mesh.vertices, 2), np.float32)
    return Mesh(mesh.positions, mesh.normals, flat, mesh.indices, (Part(SLOT, 0, mesh.triangles),))


def _area(corners: Float64) -> Float64:
    """(t,) of triangles (t, 3, k), k two or three."""
    if corners.shape[2] == 2:
        corners = np.concatenate([corners, np.zeros((*corners.shape[:2], 1))], axis=2)
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    return np.asarray(0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1))


def _fit_for(mesh: Mesh, images: dict[str, Maps], sample: float) -> dict[str, Maps]:
    """`images` of the slots of `mesh` without what is finer than `sample`, in metres."""
    out = {}
    for part in mesh.parts:
        rows = mesh.indices[part.first : part.first + part.count]
        whole = _area(mesh.positions[rows].astype(np.float64)).sum()
        drawn = _area(mesh.uv0[rows].astype(np.float64)).sum()
        maps = images[part.material]
        # samples that a repeat of the texture gets
        many = math.sqrt(whole / drawn) / sample if drawn > 0 else math.inf
        side = max(maps.albedo.shape[:2])
        times = max(0, round(math.log2(max(1.0, side / many))))
        out[part.material] = no_larger(maps, max(1, side >> times))
    return out


def _cage(target: Mesh, ways: Float64, source: Source) -> tuple[Float64, float]:
    """(n,) metres off each vertex within which `source` lies outside of `target`, with some to spare; and how far inside it lies at most.

    Rays go both ways from places on the faces: what is met from behind, outwards, or from before, inwards, is the same surface.
    """
    per = max(1, math.ceil(_SPOTS / max(1, target.triangles)))
    k = np.arange(per)
    u, v = (0.5 + k * 0.7548776662466927) % 1.0, (0.5 + k * 0.5698402909980532) % 1.0
    over = u + v > 1.0
    u, v = np.where(over, 1.0 - u, u), np.where(over, 1.0 - v, v)
    # the corners and the middles of the sides as well
    share = np.stack([1.0 - u - v, u, v], axis=1)
    share = np.concatenate([share, 0.98 * np.eye(3) + 0.02 / 3, 0.5 * (1.0 - np.eye(3))])
    indices = target.indices.astype(np.int64)
    at = np.einsum("sc,tck->tsk", share, target.positions[indices].astype(np.float64))
    way = unit(np.einsum("sc,tck->tsk", share, ways[indices]))
    at, way = at.reshape(-1, 3), way.reshape(-1, 3)
    reach = _REACH * source.size
    least = _LEAST * source.size
    start = 1e-5 * source.size * way
    found, out, facing = source.met(at - start, way, reach)
    outside = np.where((found >= 0) & (facing > 0), out, 0.0)
    found, inner, facing = source.met(at + start, -way, reach)
    inside = np.where((found >= 0) & (facing < 0) & ((outside == 0) | (inner < outside)), inner, 0)
    outside = np.where(inside > 0, 0.0, outside)
    each = outside.reshape(len(indices), -1).max(axis=1)
    need = np.zeros(target.vertices)
    for c in range(3):
        np.maximum.at(need, indices[:, c], each)
    # vertices at one place have one cage
    _, point, points, _ = smooth_normals(target)
    whole = np.zeros(len(points))
    np.maximum.at(whole, point, need)
    return _SPARE * whole[point] + least, float(_SPARE * inside.max(initial=0.0) + least)


def _seen(source: Source, k: int, low: Float64, high: Float64) -> tuple[Float64, Int64, Float64]:
    """One of `VIEWS` of a box: where its rays meet `source`, in which triangle (-1 is none), and the way that they go."""
    middle, half = 0.5 * (low + high), 0.5 * float(np.linalg.norm(high - low))
    turn, down = 2.0 * math.pi * k / VIEWS, math.radians(_DOWN)
    way: Float64 = -np.array(
        [
            math.cos(turn) * math.cos(down),
            math.sin(down),
            math.sin(turn) * math.cos(down),
        ]
    )
    one, other = across(way)
    many = _PIXELS * _SAMPLES
    t = (np.arange(many) + 0.5) / many * 2.0 - 1.0
    x, y = (half * v.reshape(-1, 1) for v in np.meshgrid(t, t))
    start = middle + x * one + y * other - 2.0 * half * way
    ways = np.broadcast_to(way, start.shape)
    found, away, _ = source.met(start, ways, 4.0 * half)
    return start + np.where(found >= 0, away, 0.0)[:, None] * way, found, way


def _drawn(source: Source, k: int, box: tuple[Float64, Float64]) -> Float64:
    """(pixels, 3) the mean normals that one of `VIEWS` shows, as long as their share of a pixel."""
    at, found, way = _seen(source, k, *box)
    rows = np.nonzero(found >= 0)[0]
    normal = np.zeros((len(found), 3))
    normal[rows] = unit(source.shows(found[rows], at[rows])[:, 4:7].astype(np.float64))
    normal *= np.where(normal @ way > 0, -1.0, 1.0)[:, None]
    blocks = normal.reshape(_PIXELS, _SAMPLES, _PIXELS, _SAMPLES, 3)
    mean: Float64 = blocks.mean(axis=(1, 3)).reshape(-1, 3)
    return mean


def _turned(source: list[Float64], target: Source, box: tuple[Float64, Float64]) -> float:
    """Degrees between the normals that two meshes show, the mean over the pixels that both cover in all views."""
    total, many = 0.0, 0
    for k, one in enumerate(source):
        other = _drawn(target, k, box)
        both = (np.linalg.norm(one, axis=1) > 0.5) & (np.linalg.norm(other, axis=1) > 0.5)
        turned = np.einsum("ij,ij->i", unit(one[both]), unit(other[both])).clip(-1.0, 1.0)
        total += float(np.degrees(np.arccos(turned)).sum())
        many += int(both.sum())
    return total / max(1, many)


@dataclass(frozen=True, slots=True)
class Cut:
    """What a sheet is drawn from, and the meshes that it is laid on."""

    source: Mesh  #: what of the nearest level goes on it
    levels: tuple[
        Mesh, ...
    ]  #: one part each, nearest first, their triangles side by side in their first texture coordinates
    rest: Mesh | None  #: what keeps its own materials

    @property
    def nbytes(self) -> int:
        """Bytes of all meshes."""
        return sum(m.nbytes for m in (self.source, *self.levels, self.rest) if m is not None)

    @property
    def meshes(self) -> tuple[Mesh, ...]:
        """The levels as they are written."""
        if self.rest is None:
            return self.levels
        plain = replace(self.rest, colors=None, masks=None, wind=None, uv1=None)
        return tuple(join([m, plain]) for m in self.levels)


def cut_for(
    mesh: Mesh,
    materials: dict[str, Material],
    coarser: Mesh | None,
    rule: SheetRule,
    check: Callable[[], None] = lambda: None,
) -> Cut | None:
    """The meshes for a sheet of `mesh`; None where nothing of it goes on one.

    Args:
        coarser: the mesh that stands for it; by default `mesh` itself with fewer triangles, and two levels more of it.
        check: called now and then; may raise to stop.
    """
    source, rest = parted(mesh, materials)
    if source is None:
        return None
    if coarser is None:
        bare = reduced(source, rule.triangles)
    else:
        own, rest = parted(coarser, materials)
        if own is None:
            return None
        bare = _bare(own)
    check()
    bares = [bare]
    for share in _SHARE[1:] if coarser is None else ():
        bares.append(reduced(source, max(_FEW, round(share * bare.triangles))))
    levels = []
    for k, few in enumerate(bares):
        levels.append(mikk_tangents(unwrapped(few, size_of(rule, k))))
        check()
    return Cut(source, tuple(levels), rest)


def size_of(rule: SheetRule, level: int) -> int:
    """Texels a side of the maps of a level."""
    return max(_SMALLEST, rule.size >> level)


def make_sheet(
    cut: Cut,
    materials: dict[str, Material],
    images: dict[str, Maps],
    rule: SheetRule,
    level: int,
    key: str,
    check: Callable[[], None] = lambda: None,
) -> Sheet:
    """A level of what was cut, with its maps.

    Args:
        materials: of its source, and of what keeps its own.
        images: the drawn ones of each slot.
        key: tells what is on the sheet apart from everything else.
        check: called now and then; may raise to stop.
    """
    source, target, size = cut.source, cut.levels[level], size_of(rule, level)
    ways = smooth_normals(target)[0]
    cage, deep = _cage(target, ways, Source(source, materials, images, whole=False))
    over = 2 if size <= _MOST_OVER else 1
    texel = math.sqrt(
        _area(target.positions[target.indices].astype(np.float64)).sum()
        / max(1e-9, _area(target.uv0[target.indices].astype(np.float64)).sum())
    )
    baked = bake_maps(
        target,
        source,
        materials,
        _fit_for(source, images, texel / size / over),
        BakeRule(size, cage, deep, over, ways, whole=True, rays=rule.rays),
        check,
    )
    assert baked.marks is not None
    worn = {SLOT: Material(SLOT, ImpostorMaps(f"sheet {key} {level}", baked.maps))}
    low, high = (v.astype(np.float64) for v in source.bounds())
    shown = Source(source, materials, images, whole=True)
    like = [_drawn(shown, k, (low, high)) for k in range(VIEWS)]
    check()
    with_map, without = (
        _turned(like, Source(target, worn, {SLOT: baked.maps}, whole=whole), (low, high))
        for whole in (True, False)
    )
    look = Look(baked.missed, baked.off, with_map, without)
    kept = {} if cut.rest is None else {p.material: materials[p.material] for p in cut.rest.parts}
    return Sheet(cut.meshes[level], worn | kept, baked.marks, look)
