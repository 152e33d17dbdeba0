"""Triangles of many materials, gathered, and made a mesh."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt8, UInt64
from plough.core.house.forms import Form
from plough.core.house.roof import triangles_of
from plough.core.kernels import kernel
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.topology import numbered
from plough.core.mesh.value import Mesh, Part

_FOOT = 0.9  # metres up, to which walls are darker
_DARKER = 0.22
_SAME = 2e-5  # metres, that corners in one place are apart at most
_ODD = np.uint64(0x9E3779B97F4A7C15)


class Hung(NamedTuple):
    """A thing of its own on a wall."""

    name: str
    origin: Float64  #: (3,) east, north and up of its foot, in the middle
    way: Float64  #: (2,) to its right
    out: Float64  #: (2,) outwards
    size: tuple[float, float]  #: times its own width and height
    face: str
    cell: int


Place = tuple[Float64, Float64, Float64]
"""Of a wall: its origin (3,), its way to the right (2,), and outwards (2,); east, north and up."""


class Soup:
    """Triangles (east, up, south), by what they are a part of and by material slot.

    What is drawn on walls is kept as it was drawn, and placed all at once in the end.
    """

    def __init__(self) -> None:
        self.hung: list[Hung] = []
        self._codes: dict[str, int] = {}
        self._coded: dict[tuple[str, ...], Int64] = {}
        self._owners: dict[str, int] = {}
        self._triangles: list[tuple[Float64, Int64, int]] = []
        self._quads: list[tuple[Float64, Int64, int]] = []
        self._local: list[tuple[Float64, Int64, int, Place]] = []
        self._forms: list[tuple[Form, tuple[float, float], Int64, int, Place]] = []

    @property
    def slots(self) -> set[str]:
        """Material slots so far."""
        return set(self._codes)

    def _code(self, slots: tuple[str, ...]) -> Int64:
        found = self._coded.get(slots)
        if found is None:
            codes = [self._codes.setdefault(s, len(self._codes)) for s in slots]
            found = self._coded[slots] = np.array(codes, np.int64)
        return found

    def _owner(self, name: str) -> int:
        return self._owners.setdefault(name, len(self._owners))

    def triangles(self, corners: Float64, slot: str, owner: str) -> None:
        """Add triangles (t, 3, 3), counter-clockwise seen from outside."""
        if len(corners):
            code = np.repeat(self._code((slot,)), len(corners))
            self._triangles.append((corners, code, self._owner(owner)))

    def quads(self, corners: Float64, slots: Sequence[str], owner: str) -> None:
        """Add quads (q, 4, 3)."""
        if len(corners):
            self._quads.append((corners, self._code(tuple(slots)), self._owner(owner)))

    def belt(self, low: Float64, high: Float64, slot: str, owner: str) -> None:
        """Add what is between two rings (n, 3: east, north, up) that run about in the same way."""
        after = np.roll(np.arange(len(low)), -1)
        sides = np.stack([low, low[after], high[after], high], axis=1)
        self.quads(upright(sides), [slot] * len(low), owner)

    def drawn(self, quads: Float64, slots: Sequence[str], owner: str, at: Place) -> None:
        """Add quads (q, 4, 3) of a wall: x to its right, y up, z out."""
        if len(quads):
            self._local.append((quads, self._code(tuple(slots)), self._owner(owner), at))

    def form(self, form: Form, size: tuple[float, float], at: Place, owner: str) -> None:
        """Add a form of a width and a height at a place."""
        if len(form.slots):
            self._forms.append((form, size, self._code(form.slots), self._owner(owner), at))

    def add(self, other: Soup) -> None:
        """Add all of another, which stays as it is."""
        code = self._code(tuple(other._codes))
        owner = [self._owner(name) for name in other._owners]
        self._triangles += [(c, code[k], owner[o]) for c, k, o in other._triangles]
        self._quads += [(q, code[k], owner[o]) for q, k, o in other._quads]
        self._local += [(q, code[k], owner[o], at) for q, k, o, at in other._local]
        self._forms += [(f, size, code[k], owner[o], at) for f, size, k, o, at in other._forms]
        self.hung += other.hung

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
        found = triangles_of(points[:, :2], list(rings))
        corners = upright(points)[found[:, ::-1] if under else found]
        self.triangles(corners, slot, owner)

    def _gathered(self) -> tuple[Float64, Int64, Int64]:
        """All triangles (t, 3, 3), their slots' codes and their owners, as they came in each of the four ways."""
        corners = [c for c, _, _ in self._triangles]
        codes = [k for _, k, _ in self._triangles]
        owners = [np.full(len(c), o) for c, _, o in self._triangles]
        quads = [q for q, _, _ in self._quads]
        local = [q for q, *_ in self._local]
        if self._forms:
            many = [len(f.slots) for f, *_ in self._forms]
            base, wide, high = (
                np.concatenate([getattr(f, name) for f, *_ in self._forms])
                for name in ("base", "wide", "high")
            )
            sizes = np.repeat(np.array([s for _, s, *_ in self._forms]), many, axis=0)
            local.append(base + sizes[:, :1, None] * wide + sizes[:, 1:, None] * high)
        if local:
            ways = [x[3] for x in self._local] + [x[4] for x in self._forms]
            many = [len(x[0]) for x in self._local] + [len(x[0].slots) for x in self._forms]
            frames = np.concatenate([v for way in ways for v in way]).reshape(-1, 7)
            frames = np.repeat(frames, many, axis=0)
            quads.append(_placed(np.concatenate(local), frames))
        if quads:
            every = np.concatenate(quads)
            corners.append(every[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3, 3))
            own = [(k, o) for _, k, o in self._quads] + [(k, o) for _, k, o, _ in self._local]
            own += [(k, o) for *_, k, o, _ in self._forms]
            codes += [np.repeat(np.concatenate([k for k, _ in own]), 2)]
            owners += [np.repeat([o for _, o in own], [2 * len(k) for k, _ in own])]
        if not corners:
            return np.empty((0, 3, 3)), np.empty(0, np.int64), np.empty(0, np.int64)
        return np.concatenate(corners), np.concatenate(codes), np.concatenate(owners)

    def runs(self) -> dict[str, Int64]:
        """The triangles of each owner, in the order of `mesh`."""
        _, codes, owners = self._gathered()
        every = owners[self._order(codes)[0]]
        by = np.argsort(every, kind="stable")
        start = np.searchsorted(every[by], np.arange(len(self._owners) + 1))
        return {n: by[start[k] : start[k + 1]] for n, k in self._owners.items()}

    def _order(self, codes: Int64) -> tuple[Int64, list[str], Int64]:
        """Triangles slot by slot, the slots, and that of each triangle in this order."""
        names = sorted(self._codes)
        row = np.empty(len(names), np.int64)
        for k, name in enumerate(names):
            row[self._codes[name]] = k
        every = row[codes]
        order = np.argsort(every, kind="stable")
        return order, names, every[order]

    def mesh(self, repeats: Mapping[str, float]) -> Mesh:
        """All of it, flat on each triangle; textures are laid on by metres, upright on what is upright.

        Args:
            repeats: metres of one repeat of each slot's texture.
        """
        found, codes, _ = self._gathered()
        order, names, every = self._order(codes)
        corners = found[order]
        n = len(corners)
        normals, uv = np.empty((3 * n, 3), np.float32), np.empty((3 * n, 2), np.float32)
        color = np.full((3 * n, 4), 255, np.uint8)
        keys = np.empty(3 * n, np.uint64)
        each = np.array([repeats.get(s, 1.0) for s in names])
        _dressed(corners, every, each, normals, uv, color, keys)
        points = corners.reshape(-1, 3)
        first, vertex = numbered(keys)
        indices = vertex.reshape(-1, 3)
        count = np.bincount(every, minlength=len(names))
        start = np.cumsum(count) - count
        parts = tuple(
            Part(s, int(f), int(c)) for s, f, c in zip(names, start, count, strict=True) if c
        )
        mesh = Mesh(
            points[first].astype(np.float32),
            np.ascontiguousarray(normals[first]),
            np.ascontiguousarray(uv[first]),
            indices.astype(np.uint32),
            parts,
            colors=np.ascontiguousarray(color[first]),
        )
        return with_tangents(mesh)


@kernel
def _placed(quads: Float64, frames: Float64) -> Float64:
    """(q, 4, 3) quads of walls in the axes of meshes; frames (q, 7): origin, way, out."""
    out = np.empty(quads.shape)
    for q in range(quads.shape[0]):
        f = frames[q]
        for k in range(4):
            x, y, z = quads[q, k, 0], quads[q, k, 1], quads[q, k, 2]
            out[q, k, 0] = f[0] + x * f[3] + z * f[5]
            out[q, k, 1] = f[2] + y
            out[q, k, 2] = -(f[1] + x * f[4] + z * f[6])
    return out


@kernel
def _dressed(
    corners: Float64,
    every: Int64,
    repeats: Float64,
    normals: Float32,
    uv: Float32,
    color: UInt8,
    keys: UInt64,
) -> None:
    """Of each corner its normal, its texture coordinates, the darker tone near the ground, and a key that is that of others in the same place that look the same."""
    for t in range(corners.shape[0]):
        a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
        ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        long = max(math.sqrt(nx * nx + ny * ny + nz * nz), 1e-12)
        nx, ny, nz = nx / long, ny / long, nz / long
        # along: level, to the right seen from outside; up: along the slope
        ax, az = nz, -nx
        level = math.sqrt(ax * ax + az * az)
        if level > 1e-4:
            ax, az = ax / level, az / level
        else:
            ax, az = 1.0, 0.0
        px, py, pz = ny * az, nz * ax - nx * az, -ny * ax
        repeat = repeats[every[t]]
        for k in range(3):
            x, y, z = corners[t, k, 0], corners[t, k, 1], corners[t, k, 2]
            row = 3 * t + k
            normals[row, 0], normals[row, 1], normals[row, 2] = nx, ny, nz
            uv[row, 0] = (x * ax + z * az) / repeat
            uv[row, 1] = -(x * px + y * py + z * pz) / repeat
            shade = 1.0 - _DARKER * min(max(1.0 - y / _FOOT, 0.0), 1.0)
            color[row, 0] = color[row, 1] = color[row, 2] = int(255.0 * shade + 0.5)
            key = np.uint64(every[t])
            for v in (x / _SAME, y / _SAME, z / _SAME, nx * 1e3, ny * 1e3, nz * 1e3):
                key = (key ^ (key >> np.uint64(29))) * _ODD + np.uint64(np.int64(np.rint(v)))
            for v in (uv[row, 0] * 1e3, uv[row, 1] * 1e3):
                key = (key ^ (key >> np.uint64(29))) * _ODD + np.uint64(np.int64(np.rint(v)))
            keys[row] = key


def level(points: Float64, up: float) -> Float64:
    """(n, 3) places (n, 2) at a height."""
    return np.column_stack([points, np.full(len(points), up)])


def upright(points: Float64) -> Float64:
    """Places (…, 3) east, north and up in the axes of meshes: east, up and south."""
    return np.stack([points[..., 0], points[..., 2], -points[..., 1]], axis=-1)
