"""The axes, the unit and the origin of files that do not say theirs: tables and OBJ. glTF, 3D Tiles and OpenUSD keep what their standards say."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.layers.bake import BakeParameters
from plough.core.mesh.value import Mesh
from plough.core.place.placements import Placements

_UNITS = {"m": 1.0, "dm": 10.0, "cm": 100.0, "mm": 1000.0}  #: of each in a metre


@dataclass(frozen=True, slots=True)
class Frame:
    """How metres with Y up, about the middle of the scene, are written; all axes are right-handed."""

    unit: str = "m"
    up: str = "y"
    origin: tuple[float, float, float] = (0.0, 0.0, 0.0)  #: metres

    @staticmethod
    def of(p: BakeParameters, bounds: tuple[float, float, float, float]) -> Frame:
        """As a bake asks for it; `bounds` are the ground's west, north, east and south."""
        west, north, _, south = bounds
        corner = {"middle": (0.0, 0.0), "north-west": (west, north), "south-west": (west, south)}
        x, z = corner[p.origin]
        return Frame(p.unit, p.up, (x, 0.0, z))

    @staticmethod
    def told(manifest: Mapping[str, Any]) -> Frame:
        """That of a bake, which its manifest tells."""
        told = manifest.get("frame", {})
        return Frame(
            told.get("unit", "m"), told.get("up", "y"), tuple(told.get("origin", (0.0, 0.0, 0.0)))
        )

    @property
    def plain(self) -> bool:
        """Whether it is the scene's own."""
        return self == Frame()

    def _turned(self, v: Float64, back: bool) -> Float64:
        """Vectors (n, 3), or the first three of quaternions, along the other axes."""
        if self.up == "y":
            return v
        x, y, z = v[:, 0], v[:, 1], v[:, 2]
        return np.stack([x, z, -y] if back else [x, -z, y], axis=1)

    def places(self, at: Float32, back: bool = False) -> Float32:
        """(n, 3) places as they are written; with `back`, from what is written."""
        many = _UNITS[self.unit]
        if back:
            return (self._turned(at.astype(np.float64), back) / many + self.origin).astype("f4")
        return (self._turned(at.astype(np.float64) - self.origin, back) * many).astype("f4")

    def turns(self, q: Float32, back: bool = False) -> Float32:
        """(n, 4) quaternions, x, y, z, w."""
        axis = self._turned(q[:, :3].astype(np.float64), back)
        return np.concatenate([axis, q[:, 3:]], axis=1).astype(np.float32)

    def scales(self, s: Float32, back: bool = False) -> Float32:
        """(n, 3) factors along each axis."""
        return np.abs(self._turned(s.astype(np.float64), back)).astype(np.float32)

    def placed(self, p: Placements) -> Placements:
        """Placements as they are written."""
        if self.plain:
            return p
        return Placements(
            p.ids,
            p.variant,
            self.places(p.position),
            self.turns(p.rotation),
            self.scales(p.scale),
        )

    def rows(self, numbers: Float32) -> Float32:
        """(n, 10) position, rotation and scale of a table, in metres with Y up again."""
        if self.plain:
            return numbers
        at, turn, size = numbers[:, :3], numbers[:, 3:7], numbers[:, 7:]
        back = [self.places(at, True), self.turns(turn, True), self.scales(size, True)]
        return np.concatenate(back, axis=1)

    def mesh(self, mesh: Mesh) -> Mesh:
        """An asset's mesh; its own origin stays."""
        if self.plain:
            return mesh
        own = replace(self, origin=(0.0, 0.0, 0.0))
        normals = own._turned(mesh.normals.astype(np.float64), False).astype(np.float32)
        return replace(mesh, positions=own.places(mesh.positions), normals=normals, tangents=None)

    def facts(self) -> dict[str, Any]:
        """As the manifest tells it; nothing where it is the scene's own."""
        if self.plain:
            return {}
        return {"frame": {"unit": self.unit, "up": self.up, "origin": list(self.origin)}}
