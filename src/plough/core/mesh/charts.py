"""Texture coordinates in which every triangle has a place of its own: charts cut where a mesh bends, packed without overlap."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plough.core.arrays import Float32, Int64, UInt32
from plough.core.mesh.unwrap import second_uv
from plough.core.mesh.value import Mesh, Part, join

MOST_AT_ONCE = (
    12_000  #: triangles that are cut together; the time goes up by more than their number
)
_PADDING = 256  #: part of the image's side that lies between two charts


def unwrapped(mesh: Mesh, size: int) -> Mesh:
    """`mesh` with first texture coordinates in [0, 1] in which no two triangles overlap; vertices are split where charts meet, and it has no tangents.

    Args:
        mesh: of one part.
        size: texels a side of the image that is laid on it.
    """
    if mesh.triangles <= MOST_AT_ONCE:
        return _cut(mesh, size)
    whole = join([_cut(some, size) for some in _split(mesh)])
    return replace(whole, uv0=second_uv(whole, 1.0 / _PADDING))


def _split(mesh: Mesh) -> list[Mesh]:
    """`mesh` in pieces of at most `MOST_AT_ONCE` triangles, halved across the longest side of where their middles lie."""
    middle = mesh.positions[mesh.indices].mean(axis=1)

    def halves(rows: Int64) -> list[Int64]:
        if len(rows) <= MOST_AT_ONCE:
            return [rows]
        at = middle[rows]
        along = at[:, int(np.ptp(at, axis=0).argmax())]
        order = rows[np.argsort(along, kind="stable")]
        half = len(order) // 2
        return [*halves(order[:half]), *halves(order[half:])]

    return [_chosen(mesh, mesh.indices[np.sort(rows)]) for rows in halves(np.arange(len(middle)))]


def _chosen(mesh: Mesh, triangles: UInt32) -> Mesh:
    kept, indices = np.unique(triangles.reshape(-1), return_inverse=True)
    return _taken(mesh, kept.astype(np.int64), indices.reshape(-1, 3), mesh.uv0[kept])


def _taken(mesh: Mesh, rows: Int64, indices: Int64, uv: Float32) -> Mesh:
    """Vertices `rows` of `mesh`, joined anew."""
    return Mesh(
        np.ascontiguousarray(mesh.positions[rows]),
        np.ascontiguousarray(mesh.normals[rows]),
        np.ascontiguousarray(uv, np.float32),
        np.ascontiguousarray(indices, np.uint32),
        (Part(mesh.parts[0].material, 0, len(indices)),),
    )


def _cut(mesh: Mesh, size: int) -> Mesh:
    import xatlas

    atlas = xatlas.Atlas()
    atlas.add_mesh(mesh.positions, mesh.indices, mesh.normals)
    pack = xatlas.PackOptions()
    pack.resolution = size
    pack.padding = max(2, size // _PADDING)
    pack.bilinear = True
    atlas.generate(xatlas.ChartOptions(), pack, False)
    rows, indices, uv = atlas.get_mesh(0)
    sides = np.array([atlas.width, atlas.height], np.float32)
    return _taken(mesh, rows.astype(np.int64), indices.astype(np.int64), uv * (sides / sides.max()))
