"""The triangles of a mesh from outside, with what each belongs to, and what can be put right in them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt8
from plough.core.formats.model import Piece
from plough.core.mesh.surface import boxed_coordinates, crease_normals
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.topology import (
    edges_of,
    facing_wrong,
    flat_triangles,
    holes,
    welded_points,
)
from plough.core.mesh.value import Mesh, Part

_CHANNELS = ("normals", "uv", "uv1", "colors", "wind")
_WIDTH = {"normals": 3, "uv": 2, "uv1": 2, "colors": 4, "wind": 4}


@dataclass(frozen=True, slots=True)
class Soup:
    """Triangles and their vertices; a channel that a vertex has no value of holds NaN there."""

    positions: Float64  #: (n, 3) metres
    faces: Int64  #: (m, 3)
    covering: Int64  #: (m,)
    piece: Int64  #: (m,)
    channels: dict[str, Float64]  #: (n, width) each; colours and wind from 0 to 255

    @property
    def size(self) -> float:
        """The greatest side of what it fills."""
        return float(np.ptp(self.positions, axis=0).max()) if len(self.positions) else 0.0

    def points(self) -> Int64:
        """(m, 3) the points that its corners are at: vertices in one place are one point."""
        return welded_points(self.positions, self.size)[0][self.faces]

    def welded(self) -> tuple[Float64, Int64]:
        """(p, 3) metres, where the points are, and (m, 3) the points of its triangles."""
        points = self.points()
        places = np.zeros((int(points.max(initial=-1)) + 1, 3))
        places[points.reshape(-1)] = self.positions[self.faces.reshape(-1)]
        return places, points

    def corners(self) -> Float64:
        """(m, 3, 3) metres."""
        return np.asarray(self.positions[self.faces])

    def kept(self, which: Bool) -> Soup:
        """Only the triangles of `which` (m,)."""
        return replace(
            self,
            faces=self.faces[which],
            covering=self.covering[which],
            piece=self.piece[which],
        )


@dataclass(frozen=True, slots=True)
class Faults:
    """What is wrong with triangles."""

    flat: int  #: triangles without area
    inwards: int  #: triangles that face otherwise than their neighbours, or into the body
    open_edges: int  #: edges with a triangle on one side only
    crossed: int  #: edges with more than two triangles
    bare: int  #: triangles without normals
    unmapped: int  #: triangles without texture coordinates


def gather(pieces: Sequence[Piece], positions: Sequence[Float64]) -> Soup:
    """One soup of `pieces`, whose vertices stand at `positions`; values that are none, and normals without a length, are left out."""
    first = np.cumsum([0, *(len(p) for p in positions)])
    channels: dict[str, Float64] = {}
    for name in _CHANNELS:
        given: list[Any] = [getattr(p, name) for p in pieces]
        if any(g is not None for g in given):
            channels[name] = np.concatenate(
                [
                    np.full((len(at), _WIDTH[name]), np.nan) if g is None else _sound(name, g)
                    for g, at in zip(given, positions, strict=True)
                ]
            )
    count = [len(p.indices) for p in pieces]
    return Soup(
        np.concatenate(list(positions)),
        np.concatenate(
            [p.indices.astype(np.int64) + f for p, f in zip(pieces, first, strict=False)]
        ),
        np.repeat([p.covering for p in pieces], count),
        np.repeat(np.arange(len(pieces)), count),
        channels,
    )


def _sound(name: str, values: Any) -> Float64:
    """(n, w) `values`; rows of NaN where they are no numbers, or a normal has no length."""
    out: Float64 = values.astype(np.float64)
    bad = ~np.isfinite(out).all(axis=1)
    if name == "normals":
        bad |= ~((out**2).sum(axis=1) > 1e-12)
    out[bad] = np.nan
    return out


def faults_of(soup: Soup) -> Faults:
    """What is wrong with `soup`."""
    flat = flat_triangles(soup.positions, soup.faces)
    sound = soup.kept(~flat)
    edges = edges_of(sound.points())
    lacking = {
        name: len(soup.faces)
        if name not in soup.channels
        else int(np.isnan(soup.channels[name][soup.faces]).any(axis=(1, 2)).sum())
        for name in ("normals", "uv")
    }
    return Faults(
        int(flat.sum()),
        int(_inwards(sound).sum()),
        int((edges.uses == 1).sum()),
        int((edges.uses > 2).sum()),
        lacking["normals"],
        lacking["uv"],
    )


def _inwards(soup: Soup) -> Bool:
    told = None
    if "normals" in soup.channels:
        told = np.nan_to_num(soup.channels["normals"])[soup.faces].mean(axis=1)
    return facing_wrong(*soup.welded(), told)


def without_flat(soup: Soup) -> Soup:
    """`soup` without triangles that have no area."""
    return soup.kept(~flat_triangles(soup.positions, soup.faces))


def turned_outwards(soup: Soup) -> Soup:
    """`soup` with neighbours that agree and bodies that face outwards; normals of what is turned are turned, too."""
    wrong = _inwards(soup)
    faces = np.where(wrong[:, None], soup.faces[:, ::-1], soup.faces)
    if "normals" not in soup.channels:
        return replace(soup, faces=faces)
    a, b, c = (soup.positions[faces[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    against = np.einsum("mj,mkj->mk", normal, soup.channels["normals"][faces]) < 0
    turn = np.zeros(len(soup.positions), bool)
    turn[faces[against]] = True
    stay = np.zeros(len(soup.positions), bool)
    stay[faces[~against & ~np.isnan(soup.channels["normals"][faces]).any(axis=2)]] = True
    normals = np.where((turn & ~stay)[:, None], -1.0, 1.0) * soup.channels["normals"]
    return replace(soup, faces=faces, channels={**soup.channels, "normals": normals})


def closed(soup: Soup) -> Soup:
    """`soup` with its holes closed, each by triangles about its middle that take after what is beside them."""
    points = soup.points()
    loops = holes(points)
    if not loops:
        return soup
    vertex_at = np.zeros(int(points.max()) + 1, np.int64)
    vertex_at[points.reshape(-1)[::-1]] = soup.faces.reshape(-1)[::-1]
    face_at = np.zeros(len(vertex_at), np.int64)
    face_at[points.reshape(-1)[::-1]] = np.repeat(np.arange(len(points)), 3)[::-1]
    count = len(soup.positions)
    positions, faces, beside, taken = [soup.positions], [soup.faces], [], []
    for loop in loops:
        rim = vertex_at[loop]
        n = len(rim)
        around = count + np.arange(n)
        positions += [soup.positions[rim], soup.positions[rim].mean(axis=0, keepdims=True)]
        faces.append(np.stack([around, np.roll(around, -1), np.full(n, count + n)], axis=1))
        taken += [rim, rim[:1]]
        beside.append(np.repeat(face_at[loop[:1]], n))
        count += n + 1
    rows, owners = np.concatenate(taken), np.concatenate(beside)
    channels = {}
    for name, values in soup.channels.items():
        own = np.full((len(rows), 3), np.nan) if name == "normals" else values[rows]
        channels[name] = np.concatenate([values, own])
    return Soup(
        np.concatenate(positions),
        np.concatenate(faces),
        np.concatenate([soup.covering, soup.covering[owners]]),
        np.concatenate([soup.piece, soup.piece[owners]]),
        channels,
    )


def covered(soup: Soup, crease: float, repeat: float, normals: bool, coordinates: bool) -> Soup:
    """`soup` with normals and texture coordinates everywhere: made where there are none, or for all triangles. Corners that are alike in all are one vertex.

    Args:
        crease: degrees above which an edge is sharp.
        repeat: metres after which a texture repeats.
        normals: make all anew.
        coordinates: make all anew.
    """
    m = len(soup.faces)
    values = {name: v[soup.faces].reshape(3 * m, -1) for name, v in soup.channels.items()}
    corners = soup.corners()
    for name, anew in (("normals", normals), ("uv", coordinates)):
        held = values.get(name, np.full((3 * m, _WIDTH[name]), np.nan))
        lacks = np.isnan(held).any(axis=1).reshape(m, 3).any(axis=1) | anew
        if not lacks.any():
            continue
        if name == "normals":
            fresh = crease_normals(*soup.welded(), crease)
        else:
            a, b, c = corners.transpose(1, 0, 2)
            fresh = boxed_coordinates(corners.reshape(-1, 3), np.cross(b - a, c - a), repeat)
        values[name] = np.where(np.repeat(lacks, 3)[:, None], fresh, held)
    vertex = soup.points().reshape(-1)
    for name, held in values.items():
        fine = 1e-4 if name == "normals" else 0.0
        vertex = _told_apart(vertex, held, fine)
    _, first, faces = np.unique(vertex, return_index=True, return_inverse=True)
    return replace(
        soup,
        positions=corners.reshape(-1, 3)[first],
        faces=faces.reshape(m, 3),
        channels={name: v[first] for name, v in values.items()},
    )


def _told_apart(vertex: Int64, values: Float64, fine: float) -> Int64:
    """(n,) numbers that differ where `vertex` or `values` (n, w) do, the values to within `fine`."""
    for column in values.T:
        held = np.rint(column / fine) if fine else column
        kinds, own = np.unique(held, return_inverse=True)
        vertex = np.unique(vertex * len(kinds) + own, return_inverse=True)[1].reshape(-1)
    return vertex


def mesh_of(soup: Soup, slots: Sequence[str]) -> tuple[Mesh, Int64]:
    """`soup`, covered, as a mesh whose parts are its coverings in order, and the (m,) piece of each of its triangles."""
    order = np.lexsort((soup.piece, soup.covering))
    used, indices = np.unique(soup.faces[order].reshape(-1), return_inverse=True)
    counts = np.bincount(soup.covering, minlength=len(slots))
    first = np.cumsum(counts) - counts
    parts = tuple(
        Part(slot, int(f), int(c)) for slot, f, c in zip(slots, first, counts, strict=True) if c
    )
    held = {name: values[used] for name, values in soup.channels.items()}

    def as_bytes(name: str, empty: tuple[int, int, int, int]) -> UInt8 | None:
        if name not in held:
            return None
        return np.where(np.isnan(held[name]), empty, held[name]).astype(np.uint8)

    normals = held["normals"] / np.maximum(np.linalg.norm(held["normals"], axis=1), 1e-20)[:, None]
    mesh = Mesh(
        soup.positions[used].astype(np.float32),
        normals.astype(np.float32),
        held["uv"].astype(np.float32),
        indices.reshape(-1, 3).astype(np.uint32),
        parts,
        colors=as_bytes("colors", (255, 255, 255, 255)),
        wind=as_bytes("wind", (0, 0, 0, 255)),
        uv1=None
        if "uv1" not in held or np.isnan(held["uv1"]).any()
        else held["uv1"].astype(np.float32),
    )
    return with_tangents(mesh), soup.piece[order]
