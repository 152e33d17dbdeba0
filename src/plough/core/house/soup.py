"""Triangles of many materials, gathered, and made a mesh."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.house.forms import Form, placed
from plough.core.house.roof import triangles_of
from plough.core.mesh.surface import split_corners
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.topology import welded_points
from plough.core.mesh.value import Mesh, Part

_FOOT = 0.9  # metres up, to which walls are darker
_DARKER = 0.22


class Soup:
    """Triangles (east, up, south), by what they are a part of and by material slot."""

    def __init__(self) -> None:
        self._triangles: list[Float64] = []
        self._slots: list[tuple[str, int]] = []
        self._owners: list[tuple[str, int]] = []

    @property
    def slots(self) -> set[str]:
        """Material slots so far."""
        return {s for s, _ in self._slots}

    @property
    def count(self) -> int:
        """Triangles so far."""
        return sum(n for _, n in self._slots)

    def triangles(self, corners: Float64, slot: str, owner: str) -> None:
        """Add triangles (t, 3, 3), counter-clockwise seen from outside."""
        if len(corners):
            self._triangles.append(corners)
            self._slots.append((slot, len(corners)))
            self._owners.append((owner, len(corners)))

    def quads(self, corners: Float64, slots: Sequence[str], owner: str) -> None:
        """Add quads (q, 4, 3)."""
        halves = corners[:, [[0, 1, 2], [0, 2, 3]]]
        self._triangles.append(halves.reshape(-1, 3, 3))
        self._slots += [(s, 2) for s in slots]
        self._owners.append((owner, 2 * len(corners)))

    def form(
        self,
        form: Form,
        size: tuple[float, float],
        at: tuple[Float64, Float64, Float64],
        owner: str,
    ) -> None:
        """Add a form of a width and a height at a place: its origin, its way to the right, and outwards."""
        self.quads(placed(form.sized(*size), *at), form.slots, owner)

    def flat(
        self,
        points: Float64,
        rings: Sequence[Int64],
        slot: str,
        owner: str,
        under: bool = False,
    ) -> None:
        """Add a part of a plan: rows of points (n, 3: east, north, up), rings of them as seen from above.

        Args:
            under: it is seen from below.
        """
        found = np.array(triangles_of(points[:, :2], list(rings)), np.int64).reshape(-1, 3)
        corners = upright(points)[found[:, ::-1] if under else found]
        self.triangles(corners, slot, owner)

    def runs(self) -> dict[str, Int64]:
        """The triangles of each owner, in the order of `mesh`."""
        order, *_ = self._order()
        names = [n for n, _ in self._owners]
        rows: dict[str, int] = {}
        every = np.repeat(
            [rows.setdefault(n, len(rows)) for n in names], [c for _, c in self._owners]
        )[order]
        by = np.argsort(every, kind="stable")
        start = np.searchsorted(every[by], np.arange(len(rows) + 1))
        return {n: by[start[k] : start[k + 1]] for n, k in rows.items()}

    def _order(self) -> tuple[Int64, list[str], Int64]:
        """Triangles slot by slot, the slots, and that of each triangle in this order."""
        names = sorted(self.slots)
        rows = {n: k for k, n in enumerate(names)}
        every = np.repeat([rows[s] for s, _ in self._slots], [c for _, c in self._slots])
        order = np.argsort(every, kind="stable")
        return order, names, every[order]

    def mesh(self, repeats: Mapping[str, float]) -> Mesh:
        """All of it, flat on each triangle; textures are laid on by metres, upright on what is upright.

        Args:
            repeats: metres of one repeat of each slot's texture.
        """
        order, names, every = self._order()
        corners = np.concatenate(self._triangles)[order]
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
        # along: level, to the right seen from outside; up: along the slope
        along = np.stack([normal[:, 2], np.zeros(len(normal)), -normal[:, 0]], axis=1)
        long = np.linalg.norm(along, axis=1, keepdims=True)
        along = np.where(long > 1e-4, along / np.maximum(long, 1e-4), [1.0, 0.0, 0.0])
        up = np.cross(normal, along)
        uv = np.stack(
            [np.einsum("tkc,tc->tk", corners, along), -np.einsum("tkc,tc->tk", corners, up)], axis=2
        )
        uv /= np.array([repeats.get(n, 1.0) for n in names])[every][:, None, None]
        points = corners.reshape(-1, 3)
        shade = 1.0 - _DARKER * np.clip(1.0 - points[:, 1] / _FOOT, 0.0, 1.0)
        color = np.full((len(points), 4), 255, np.uint8)
        color[:, :3] = np.rint(255.0 * shade)[:, None]
        normals = np.repeat(normal, 3, axis=0).astype(np.float32)
        flat = uv.reshape(-1, 2).astype(np.float32)
        corner, _ = welded_points(points, float(np.ptp(points, axis=0).max(initial=1.0)))
        first, indices = split_corners(
            corner, normals, flat, every.repeat(3).astype(np.float32)[:, None]
        )
        count = np.bincount(every, minlength=len(names))
        start = np.cumsum(count) - count
        parts = tuple(
            Part(n, int(s), int(c)) for n, s, c in zip(names, start, count, strict=True) if c
        )
        mesh = Mesh(
            points[first].astype(np.float32),
            np.ascontiguousarray(normals[first]),
            np.ascontiguousarray(flat[first]),
            indices.astype(np.uint32),
            parts,
            colors=np.ascontiguousarray(color[first]),
        )
        return with_tangents(mesh)


def upright(points: Float64) -> Float64:
    """Places (…, 3) east, north and up in the axes of meshes: east, up and south."""
    return np.stack([points[..., 0], points[..., 2], -points[..., 1]], axis=-1)
