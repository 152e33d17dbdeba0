"""Fewer triangles with the vertices that are there (Garland and Heckbert 1997, half-edge collapses; Dey et al. 1999 for the link condition).

A point is moved onto a neighbour and its vertices onto the neighbour's, so that normals, texture coordinates, tints and wind stay what they were. Where a surface
is split in texture coordinates, normals or materials, a point has several vertices: it may only move along the split, so that splits stay closed. Open
edges move along themselves.
"""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64
from plough.core.kernels import kernel
from plough.core.mesh.topology import about_points, edges_of, welded_points
from plough.core.mesh.value import Mesh, chosen

_PASSES = 60
_FEW = 0.002  # of the triangles, that a pass is worth its time for, where there is no number to come to
_BORDER = 20.0  #: how much more an open edge, or a split, weighs than the surface
_PRODUCTS = 10  #: of x, y, z and 1, each with each: a quadric's


@kernel
def _products(x: float, y: float, z: float, w: float, weight: float, out: Float64) -> None:
    """Add the products of a plane, or of a place (w = 1), to `out` (10,)."""
    out[0] += weight * x * x
    out[1] += weight * x * y
    out[2] += weight * x * z
    out[3] += weight * x * w
    out[4] += weight * y * y
    out[5] += weight * y * z
    out[6] += weight * y * w
    out[7] += weight * z * z
    out[8] += weight * z * w
    out[9] += weight * w * w


@kernel
def _quadrics(points: Float64, faces: Int64, stiff: Int64) -> Float64:
    """(p, 10) quadrics of the planes at each point, by area; `stiff` (s, 3): sides (two points and a triangle) that are to stay where they are."""
    out = np.zeros((points.shape[0], _PRODUCTS))
    normals, own = np.empty((faces.shape[0], 3)), np.empty(_PRODUCTS)
    for t in range(faces.shape[0]):
        a, b, c = points[faces[t, 0]], points[faces[t, 1]], points[faces[t, 2]]
        for k in range(3):
            d, e = (k + 1) % 3, (k + 2) % 3
            normals[t, k] = (b[d] - a[d]) * (c[e] - a[e]) - (b[e] - a[e]) * (c[d] - a[d])
        n = normals[t]
        area = np.sqrt(n[0] ** 2 + n[1] ** 2 + n[2] ** 2)
        n /= max(area, 1e-30)
        own[:] = 0.0
        off = -(n[0] * a[0] + n[1] * a[1] + n[2] * a[2])
        _products(n[0], n[1], n[2], off, 0.5 * area, own)
        for k in range(3):
            out[faces[t, k]] += own
    u = np.empty(3)
    for s in range(stiff.shape[0]):
        # through each stiff side a plane, upright on its triangle
        a, b, n = points[stiff[s, 0]], points[stiff[s, 1]], normals[stiff[s, 2]]
        for k in range(3):
            d, e = (k + 1) % 3, (k + 2) % 3
            u[k] = (b[d] - a[d]) * n[e] - (b[e] - a[e]) * n[d]
        square = (b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2 + (b[2] - a[2]) ** 2
        u /= max(np.sqrt(square), 1e-30)
        own[:] = 0.0
        off = -(u[0] * a[0] + u[1] * a[1] + u[2] * a[2])
        _products(u[0], u[1], u[2], off, _BORDER * square, own)
        out[stiff[s, 0]] += own
        out[stiff[s, 1]] += own
    return out


@kernel
def _costs(ends: Int64, quadrics: Float64, points: Float64, costs: Float64, areas: Float64) -> None:
    """The squared distances, by area, that the second point of each edge has from the planes of both, and the area of these planes."""
    for e in range(ends.shape[0]):
        u, v = quadrics[ends[e, 0]], quadrics[ends[e, 1]]
        x, y, z = points[ends[e, 1], 0], points[ends[e, 1], 1], points[ends[e, 1], 2]
        total = (u[0] + v[0]) * x * x + (u[4] + v[4]) * y * y + (u[7] + v[7]) * z * z
        total += 2.0 * ((u[1] + v[1]) * x * y + (u[2] + v[2]) * x * z + (u[5] + v[5]) * y * z)
        total += 2.0 * ((u[3] + v[3]) * x + (u[6] + v[6]) * y + (u[8] + v[8]) * z)
        costs[e] = max(0.0, total + u[9] + v[9])
        areas[e] = u[0] + v[0] + u[4] + v[4] + u[7] + v[7]


@kernel
def _flips(
    u: int, v: int, t: int, faces: Int64, vertices: Int64, to: int, points: Float64, uv: Float32
) -> bool:
    """Whether triangle `t` turns over, in space or in texture coordinates, when its corner at point `u` goes to `v` (its vertex to `to`)."""
    before, after = np.empty((3, 3)), np.empty((3, 3))
    flat, moved = np.empty((3, 2)), np.empty((3, 2))
    for k in range(3):
        p, w = faces[t, k], vertices[t, k]
        for c in range(3):
            before[k, c] = points[p, c]
            after[k, c] = points[v if p == u else p, c]
        for c in range(2):
            flat[k, c] = uv[w, c]
            moved[k, c] = uv[to if p == u else w, c]
    n, m = np.empty(3), np.empty(3)
    for c in range(3):
        d, e = (c + 1) % 3, (c + 2) % 3
        n[c] = (before[1, d] - before[0, d]) * (before[2, e] - before[0, e]) - (
            before[1, e] - before[0, e]
        ) * (before[2, d] - before[0, d])
        m[c] = (after[1, d] - after[0, d]) * (after[2, e] - after[0, e]) - (
            after[1, e] - after[0, e]
        ) * (after[2, d] - after[0, d])
    dot = n[0] * m[0] + n[1] * m[1] + n[2] * m[2]
    long = 0.0
    for k in range(3):
        side = 0.0
        for c in range(3):
            side += (after[k, c] - after[(k + 1) % 3, c]) ** 2
        long = max(long, side)
    size = np.sqrt(m[0] ** 2 + m[1] ** 2 + m[2] ** 2)
    if size < 1e-3 * long or dot < 0.2 * size * np.sqrt(n[0] ** 2 + n[1] ** 2 + n[2] ** 2):
        return True
    was = (flat[1, 0] - flat[0, 0]) * (flat[2, 1] - flat[0, 1]) - (flat[1, 1] - flat[0, 1]) * (
        flat[2, 0] - flat[0, 0]
    )
    now = (moved[1, 0] - moved[0, 0]) * (moved[2, 1] - moved[0, 1]) - (
        moved[1, 1] - moved[0, 1]
    ) * (moved[2, 0] - moved[0, 0])
    return bool(was * now < 0.0)


@kernel
def _pass(
    order: Int64,
    ends: Int64,
    border: Bool,
    on_border: Bool,
    points: Float64,
    quadrics: Float64,
    faces: Int64,
    vertices: Int64,
    uv: Float32,
    start: Int64,
    around: Int64,
    alive: Bool,
    spare: int,
) -> int:
    """Collapse edges in `order`, none next to another of the same pass; the number of triangles that went, at most about `spare`."""
    touched = np.zeros(points.shape[0], np.bool_)
    mark = np.full(points.shape[0], -1, np.int64)
    gone, stamp = 0, 0
    pairs = np.empty((64, 2), np.int64)
    for e in order:
        if gone >= spare:
            break
        u, v = ends[e, 0], ends[e, 1]
        if touched[u] or touched[v]:
            continue
        # which vertex of u becomes which of v: told by the triangles that have both
        shared, found = 0, 0
        for n in range(start[u], start[u + 1]):
            t = around[n]
            if not alive[t]:
                continue
            mine, yours = -1, -1
            for k in range(3):
                if faces[t, k] == u:
                    mine = vertices[t, k]
                elif faces[t, k] == v:
                    yours = vertices[t, k]
            if yours >= 0:
                shared += 1
                if found < 64:
                    pairs[found, 0], pairs[found, 1] = mine, yours
                    found += 1
        if shared == 0 or shared != (1 if border[e] else 2):
            continue
        if on_border[u] and not border[e]:
            continue
        # the link condition: no neighbour in common but the corners opposite of the edge
        stamp += 1
        for n in range(start[u], start[u + 1]):
            t = around[n]
            if alive[t]:
                for k in range(3):
                    mark[faces[t, k]] = stamp
        common, fine = 0, True
        for n in range(start[v], start[v + 1]):
            t = around[n]
            if alive[t]:
                for k in range(3):
                    p = faces[t, k]
                    if p not in (u, v) and mark[p] == stamp:
                        common += 1
                        mark[p] = -1
        if common != shared:
            continue
        for n in range(start[u], start[u + 1]):
            t = around[n]
            if not alive[t]:
                continue
            mine, has = -1, False
            for k in range(3):
                if faces[t, k] == u:
                    mine = vertices[t, k]
                elif faces[t, k] == v:
                    has = True
            to = -1
            for k in range(found):
                if pairs[k, 0] == mine:
                    if to >= 0 and to != pairs[k, 1]:
                        fine = False
                    to = pairs[k, 1]
            if to < 0 or (not has and _flips(u, v, t, faces, vertices, to, points, uv)):
                fine = False
            if not fine:
                break
        if not fine:
            continue
        for n in range(start[u], start[u + 1]):
            t = around[n]
            if not alive[t]:
                continue
            for k in range(3):
                touched[faces[t, k]] = True
                if faces[t, k] == v:
                    alive[t] = False
            if not alive[t]:
                gone += 1
                continue
            for k in range(3):
                if faces[t, k] == u:
                    for i in range(found):
                        if pairs[i, 0] == vertices[t, k]:
                            vertices[t, k] = pairs[i, 1]
                            break
                    faces[t, k] = v
        for n in range(start[v], start[v + 1]):
            t = around[n]
            if alive[t]:
                for k in range(3):
                    touched[faces[t, k]] = True
        touched[u] = touched[v] = True
        for k in range(_PRODUCTS):
            quadrics[v, k] += quadrics[u, k]
    return gone


def simplified(mesh: Mesh, target: int, within: float = np.inf, held: Bool | None = None) -> Mesh:
    """`mesh` with about `target` triangles, or more where the surface does not let it be fewer.

    Args:
        mesh: any.
        target: triangles.
        within: metres that a point may lie from the planes, on the mean by area, that met in it and in what went.
        held: (n,) vertices that stay.

    Returns:
        A mesh whose vertices are some of those of `mesh`; parts that lose all triangles are left out.
    """
    if mesh.triangles <= target:
        return mesh
    positions = mesh.positions.astype(np.float64)
    low, high = mesh.bounds()
    size = float(np.max(high - low))
    point, count = welded_points(positions, size)
    points = np.zeros((count, 3))
    points[point] = positions - low.astype(np.float64)
    vertices = mesh.indices.astype(np.int64)
    faces = point[vertices]
    owner = np.repeat(np.arange(len(mesh.parts)), [p.count for p in mesh.parts])
    whole = (
        (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    )
    faces, vertices, owner = faces[whole], vertices[whole], owner[whole]
    quadrics = _quadrics(points, faces, _stiff(faces, vertices))
    stays = np.zeros(count, bool)
    if held is not None:
        stays[point[held]] = True
    for _ in range(_PASSES):
        spare = len(faces) - target
        if spare <= 0:
            break
        edges = edges_of(faces)
        border = edges.uses != 2
        on_border = np.zeros(count, bool)
        on_border[edges.ends[border].reshape(-1)] = True
        ends = np.concatenate([edges.ends, edges.ends[:, ::-1]])
        both = np.concatenate([border, border])
        costs, areas = np.empty(len(ends)), np.empty(len(ends))
        _costs(ends, quadrics, points, costs, areas)
        may = ~stays[ends[:, 0]]
        if np.isfinite(within):
            may &= costs <= within**2 * areas
        rows = np.flatnonzero(may)
        order = rows[np.argsort(costs[rows], kind="stable")][: max(64, len(ends) // 3)]
        start, sides = about_points(faces, count)
        alive = np.ones(len(faces), bool)
        gone = _pass(
            order,
            ends,
            both,
            on_border,
            points,
            quadrics,
            faces,
            vertices,
            mesh.uv0,
            start,
            sides // 3,
            alive,
            spare,
        )
        faces, vertices, owner = faces[alive], vertices[alive], owner[alive]
        if gone <= (_FEW * len(faces) if np.isfinite(within) else 0):
            break
    return chosen(mesh, vertices, owner)


def _stiff(faces: Int64, vertices: Int64) -> Int64:
    """(s, 3) sides that lie at an open edge or where vertices are split: two points and the triangle."""
    edges = edges_of(faces)
    a, b = vertices.reshape(-1), np.roll(vertices, -1, axis=1).reshape(-1)
    low, high = np.where(edges.forward, a, b), np.where(edges.forward, b, a)
    n = len(edges.ends)
    least = [np.full(n, np.iinfo(np.int64).max), np.full(n, np.iinfo(np.int64).max)]
    greatest = [np.full(n, -1), np.full(n, -1)]
    for k, vertex in enumerate((low, high)):
        np.minimum.at(least[k], edges.of, vertex)
        np.maximum.at(greatest[k], edges.of, vertex)
    split = (least[0] != greatest[0]) | (least[1] != greatest[1]) | (edges.uses != 2)
    sides = np.flatnonzero(split[edges.of])
    ends = np.roll(faces, -1, axis=1).reshape(-1)
    return np.stack([faces.reshape(-1)[sides], ends[sides], sides // 3], axis=1)
