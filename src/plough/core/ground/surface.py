"""What things stand on, whatever it is made of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh
from plough.core.tiles import Bounds, TileList


@dataclass(frozen=True, slots=True)
class Samples:
    """A surface at n places of the map."""

    position: Float64  #: (n, 3) metres
    normal: Float64  #: (n, 3) unit
    hit: Bool  #: (n,) whether there is a surface

    def taken(self, rows: Int64) -> Samples:
        """Those in `rows`."""
        return Samples(self.position.take(rows, 0), self.normal.take(rows, 0), self.hit.take(rows))


@dataclass(frozen=True, slots=True)
class Hits:
    """Where n rays first meet a surface."""

    distance: Float64  #: (n,) metres along the ray; infinite where it meets nothing
    position: Float64  #: (n, 3) metres
    normal: Float64  #: (n, 3) unit


@dataclass(frozen=True, slots=True)
class Own:
    """The triangles that a surface is made of."""

    mesh: Mesh
    materials: dict[str, Material]  #: by slot; none: it is dressed as ground is


class Sampled(Protocol):
    """Something to lie on."""

    def sample(self, x: Float64, z: Float64) -> Samples:
        """The surface at the places (x, z), each (n,) metres."""
        ...


class Level:
    """Level ground at a height of 0, as far as anything lies."""

    def sample(self, x: Float64, z: Float64) -> Samples:
        """The ground at the places (x, z), each (n,) metres."""
        position = np.stack([x, np.zeros_like(x), z], axis=1)
        return Samples(position, np.tile([0.0, 1.0, 0.0], (len(x), 1)), np.ones(len(x), bool))


class Surface(Sampled, Protocol):
    """Something to stand on: a height field, a mesh."""

    @property
    def own(self) -> Own | None:
        """The triangles that it is made of, where it is made of triangles."""
        ...

    @property
    def key(self) -> str:
        """Tells its shape from any other."""
        ...

    @property
    def bounds(self) -> Bounds:
        """The rectangle of the map that it lies in, in metres."""
        ...

    @property
    def triangles(self) -> int:
        """Triangles that show it whole."""
        ...

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        ...

    def cast(self, origin: Float64, direction: Float64) -> Hits:
        """Where rays from `origin` (n, 3) along `direction` (n, 3), of unit length, first meet it."""
        ...

    def tiles(self) -> TileList:
        """The tiles that it meets."""
        ...

    def tile_hashes(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of all that `sample` can read within each tile."""
        ...
