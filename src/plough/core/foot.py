"""The tone of the ground at the foot of an asset, so that it does not look set down on it."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, get_args

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.ground.cover import TONES, CoverName
from plough.core.matters import Matters, above
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh
from plough.core.parameters import Color, Parameters, choice, color, linear, number

_SMALL = 64  #: pixels a side that a mean is taken of
_LEAST = 1e-3  # of light
_GROUNDS = {name: name.capitalize() for name in get_args(CoverName)}


class FootParameters(Parameters):
    """How far an asset takes on the tone of the ground."""

    matters: ClassVar[Matters] = {"* -strength": above("strength")}

    strength: float = number(
        0, "Tone of the ground", (0, 100), unit="%", step=1, help="At its foot; 0: none."
    )
    height: float = number(
        0.4, "Fading out by", (0.01, 20), soft=(0.02, 2), unit="m", help="Above the foot."
    )
    ground: CoverName = choice("soil", "That of", _GROUNDS)
    color: Color = color("#ffffff", "Times")


def with_foot(mesh: Mesh, materials: dict[str, Material], p: FootParameters) -> Mesh:
    """`mesh` with its vertex colours drawn towards the ground's tone near its foot.

    They multiply what the textures show, so a part that is darker than the ground stays as dark.
    """
    if p.strength <= 0:
        return mesh
    tone = np.array(linear(TONES[p.ground])) * linear(p.color)
    share = np.clip(1.0 - mesh.positions[:, 1] / p.height, 0.0, 1.0)
    share = p.strength / 100.0 * share * share * (3.0 - 2.0 * share)
    towards: Float32 = np.ones((mesh.vertices, 3), np.float32)
    means = {slot: mean_light(m) for slot, m in materials.items()}
    for part in mesh.parts:
        rows = np.unique(mesh.indices[part.first : part.first + part.count])
        mean = means.get(part.material, np.ones(3))
        towards[rows] = np.clip(tone / np.maximum(mean, _LEAST), 0.0, 1.0)
    tint = mesh.tint.copy()
    tint[:, :3] = np.rint(tint[:, :3] * (1.0 + share[:, None] * (towards - 1.0)))
    return replace(mesh, colors=tint)


def mean_light(material: Material) -> Float64:
    """(3,) the mean of what a material shows, linear; of what its texture cuts out, nothing counts."""
    own = np.array(material.color, np.float64)
    recipe = material.maps
    if recipe is None:
        return own
    if hasattr(recipe, "size"):
        recipe = replace(recipe, size=min(_SMALL, recipe.size))  # type: ignore[type-var]
    albedo = recipe.draw().albedo.astype(np.float64) / 255.0
    weight = albedo[..., 3:]
    shown = (albedo[..., :3] ** 2.2 * weight).sum(axis=(0, 1)) / max(float(weight.sum()), 1e-9)
    return np.asarray(own * shown)
