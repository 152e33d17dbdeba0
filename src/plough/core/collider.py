"""What a game collides with: capsules and convex pieces, and what they block."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from plough.core.arrays import Float32
from plough.core.foot import FootParameters
from plough.core.lamp import LampParameters
from plough.core.parameters import Parameters, choice, flag, section
from plough.core.vectors import across


class GameParameters(Parameters):
    """What an asset brings for a game besides its mesh."""

    collider: Literal["none", "capsules", "convex"] = choice(
        "capsules",
        "Collider",
        {"none": "None", "capsules": "Capsules", "convex": "Convex pieces"},
        help="Along the stems and the main limbs.",
    )
    movement: bool = flag(True, "Blocks movement")
    camera: bool = flag(True, "Lets the camera through")
    shots: bool = flag(True, "Blocks shots")
    impostor: Literal["crossed", "eight"] = choice(
        "crossed",
        "Farthest level",
        {"crossed": "Two crossed cards", "eight": "Four cards, eight views"},
        help="Drawn from the asset itself.",
    )
    second_uv: bool = flag(
        False,
        "Second texture coordinates",
        help="Without overlap, for light maps; written to exports and bakes.",
    )
    foot: FootParameters = section(FootParameters(), "At its foot", "At its foot")
    lamp: LampParameters = section(LampParameters(), "Lamp", "Lamp")


@dataclass(frozen=True, slots=True)
class Capsule:
    """A rounded rod, for collisions."""

    start: tuple[float, float, float]  #: metres
    end: tuple[float, float, float]  #: metres
    radius: float  #: metres


@dataclass(frozen=True, slots=True)
class Collider:
    """Simple bodies in place of a mesh."""

    capsules: tuple[Capsule, ...] = ()
    pieces: tuple[Float32, ...] = ()  #: each (n, 3) metres, corners of a convex body
    movement: bool = True
    camera: bool = True  #: lets it through
    shots: bool = True

    @property
    def count(self) -> int:
        """Number of bodies."""
        return len(self.capsules) + len(self.pieces)

    def extras(self) -> dict[str, Any]:
        """What an engine is told of each body."""
        shape = "capsule" if self.capsules else "convex"
        return {
            "collider": shape,
            "blocksMovement": self.movement,
            "letsCameraThrough": self.camera,
            "blocksShots": self.shots,
        }


def along_branch(points: Float32, radius: Float32, parts: int, p: GameParameters) -> Collider:
    """A chain of `parts` bodies along one branch: `points` (n, 3), `radius` (n,) metres."""
    n = points.shape[0]
    at = np.unique(np.rint(np.linspace(0, n - 1, parts + 1)).astype(int))
    if p.collider == "none" or at.size < 2:
        return Collider()
    spans = list(zip(at[:-1], at[1:], strict=True))
    if p.collider == "capsules":
        rods = tuple(
            Capsule(_triple(points[a]), _triple(points[b]), float(radius[a : b + 1].mean()))
            for a, b in spans
        )
        return Collider(rods)
    return Collider(pieces=tuple(_rings(points[[a, b]], radius[[a, b]]) for a, b in spans))


def upright(radius: float, height: float, p: GameParameters) -> Collider:
    """One body from the ground up, `radius` and `height` in metres."""
    line = np.array([[0.0, k * height / 2, 0.0] for k in range(3)], np.float32)
    return joined([along_branch(line, np.full(3, radius, np.float32), 1, p)], p)


def joined(parts: list[Collider], p: GameParameters) -> Collider:
    """All bodies of `parts`, with what they block."""
    rods = tuple(c for part in parts for c in part.capsules)
    pieces = tuple(c for part in parts for c in part.pieces)
    return Collider(rods, pieces, p.movement, p.camera, p.shots)


def _triple(p: Float32) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def _rings(points: Float32, radius: Float32, sides: int = 8) -> Float32:
    axis = points[1] - points[0]
    axis = axis / max(1e-9, float(np.linalg.norm(axis)))
    one, other = across(axis.astype(np.float64))
    a = np.arange(sides) * 2 * math.pi / sides
    ring = np.cos(a)[:, None] * one + np.sin(a)[:, None] * other
    return np.concatenate([p + r * ring for p, r in zip(points, radius, strict=True)]).astype(
        np.float32
    )
