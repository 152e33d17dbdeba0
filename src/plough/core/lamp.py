"""Lamps that an asset carries: light from a globe, or from the asset's own panes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from plough.core.arrays import Float32
from plough.core.matters import Acts, Matters, above
from plough.core.mesh.material import Material
from plough.core.mesh.sphere import icosphere
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import Color, Parameters, color, linear, number

SLOT = "globe"
DIM = 0.1  #: lux, less than half of what a full moon gives
LEAST = 0.01  #: metres, of a globe that is made


class LampParameters(Parameters):
    """One lamp, lit at dusk and at night."""

    matters: ClassVar[Matters] = {"* -lumens": above("lumens")}
    acts: ClassVar[Acts] = {"*": ("lamp",)}

    lumens: float = number(
        0.0,
        "Light",
        (0, 100_000),
        soft=(0, 3000),
        unit="lm",
        step=10,
        help="Light to all sides, at dusk and at night: a candle gives 12, a lantern 400, a street lamp 4,000; 0 for none.",
    )
    color: Color = color("#ffcf94", "Colour of its light")
    height: float = number(2.4, "Above the foot", (0, 100), soft=(0, 12), unit="m")
    right: float = number(0.0, "To the right", (-50, 50), soft=(-4, 4), unit="m")
    front: float = number(0.0, "To the front", (-50, 50), soft=(-4, 4), unit="m")
    radius: float = number(
        0.12,
        "Radius of its globe",
        (0, 2),
        soft=(0, 0.5),
        unit="m",
        help="Below 1 cm there is none: the light comes from the asset's own panes.",
    )


@dataclass(frozen=True, slots=True)
class Lamp:
    """Light from one place to all sides."""

    position: tuple[float, float, float]  #: metres, in the asset's axes
    color: tuple[float, float, float]  #: linear, the greatest 1
    lumens: float
    radius: float  #: metres, of what glows

    @property
    def candela(self) -> float:
        """Intensity in any direction."""
        return self.lumens / (4.0 * math.pi)

    @property
    def reach(self) -> float:
        """Metres at which it is too dim to be told."""
        return math.sqrt(self.candela / DIM)


def lamps_of(p: LampParameters) -> tuple[Lamp, ...]:
    """What an asset's parameters ask for."""
    if not p.lumens:
        return ()
    tone = linear(p.color)
    most = max(*tone, 1e-6)
    return (
        Lamp(
            (p.right, p.height, p.front),
            (tone[0] / most, tone[1] / most, tone[2] / most),
            p.lumens,
            p.radius if p.radius >= LEAST else 0.0,
        ),
    )


def globe_material(lamp: Lamp) -> Material:
    """Milky glass that shows the colour of its light."""
    r, g, b = lamp.color
    return Material(SLOT, color=(0.4 + 0.4 * r, 0.4 + 0.4 * g, 0.4 + 0.4 * b), glow=lamp.color)


def globe_mesh(lamp: Lamp, detail: int, near: Mesh) -> Mesh:
    """A ball about a lamp; it moves in the wind as what is next to it in `near`, whose channels it has."""
    unit, faces = icosphere(max(0, 2 - detail))
    at = np.asarray(lamp.position, np.float64)
    positions = (at + lamp.radius * unit).astype(np.float32)
    around = np.arctan2(unit[:, 2], unit[:, 0]) / (2 * math.pi) + 0.5
    uv = np.stack([around, 0.5 - 0.5 * unit[:, 1]], axis=1).astype(np.float32)
    n, m = len(unit), len(faces)
    wind = near.wind
    if wind is not None:
        closest = int(((near.positions - at.astype(np.float32)) ** 2).sum(axis=1).argmin())
        wind = np.tile(wind[closest], (n, 1))
        wind[:, 2:] = 0, 255  # it neither flutters nor lies in the shade
    mesh = Mesh(
        positions,
        unit.astype(np.float32),
        uv,
        faces.astype(np.uint32),
        (Part(SLOT, 0, m),),
        colors=None if near.colors is None else np.full((n, 4), 255, np.uint8),
        wind=wind,
    )
    return mesh if near.tangents is None else with_tangents(mesh)


def placed_at(lamp: Lamp, position: Float32, rotation: Float32, scale: Float32) -> Float32:
    """(n, 3) metres, where a lamp is in n instances with (n, 3) positions, (n, 4) quaternions xyzw and (n, 3) scales."""
    at = np.asarray(lamp.position, np.float32) * scale
    axis, w = rotation[:, :3], rotation[:, 3:]
    turned = at + 2.0 * np.cross(axis, np.cross(axis, at) + w * at)
    out: Float32 = (position + turned).astype(np.float32)
    return out
