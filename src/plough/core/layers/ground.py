"""The ground: terrain from layered noise, with standing water."""

from __future__ import annotations

import numpy as np

from plough.core.ground.heightfield import HeightField, TerrainParameters, make_terrain
from plough.core.hashing import key_of
from plough.core.mesh.material import Material
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import flag, number
from plough.core.scene.facets import Output, Solid, solid
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind

_WATER = Material("water", color=(0.02, 0.035, 0.035), roughness=0.12)


class GroundParameters(TerrainParameters):
    """Terrain from layered noise, and the water that stands on it."""

    water: bool = flag(False, "Standing water", group="Water")
    water_level: float = number(
        0, "Level", (-200, 600), soft=(-10, 20), unit="m", step=0.05, group="Water"
    )


@layer_kind(
    "ground",
    "Ground",
    "The terrain: hills, basin, standing water.",
    GroundParameters,
    place="first",
    gives=("surface", "solids"),
)
def evaluate(p: GroundParameters, inputs: Inputs) -> Output:
    """The terrain as a surface; water is a solid of its own, so that its level rebuilds nothing."""
    shape = TerrainParameters(**{n: getattr(p, n) for n in TerrainParameters.model_fields})
    key = key_of("terrain", shape.model_dump(mode="json"))
    field = inputs.kept(key, lambda: make_terrain(shape, inputs.check), lambda f: f.nbytes)
    return Output(surface=field, solids=(_water(field, p.water_level),) if p.water else ())


def _water(field: HeightField, level: float) -> Solid:
    """A level square over the whole ground."""
    h = field.size / 2
    corners = [[-h, level, -h], [-h, level, h], [h, level, -h], [h, level, h]]
    positions = np.array(corners, np.float32)
    normals = np.tile(np.array([0, 1, 0], np.float32), (4, 1))
    indices = np.array([[0, 1, 2], [2, 1, 3]], np.uint32)
    uv = positions[:, [0, 2]] / np.float32(8)
    mesh = Mesh(positions, normals, uv, indices, (Part("water", 0, 2),))
    return solid("water", with_tangents(mesh), {"water": _WATER}, "water")
