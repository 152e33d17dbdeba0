"""Foundations: what carries a building's footing on down to the lowest ground under its plan."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

from plough.core.arrays import Float64
from plough.core.ground.surface import Surface
from plough.core.hashing import digest, key_of
from plough.core.house.raised import block
from plough.core.house.soup import Soup
from plough.core.kinds import Base, get_kind
from plough.core.mesh.value import Mesh, join, transformed
from plough.core.place.placements import Placements
from plough.core.scene.facets import Solid, TiledPlacements
from plough.core.scene.inputs import Inputs

VERSION = 1  #: raised when the same foundation comes out otherwise
_STEP = 0.5  # metres along an outline at which the ground is looked at
_MOST = 12.0  # metres down; what stands higher up than that was lifted on purpose
_INTO = 0.25  # metres that it goes into the lowest ground
_UPRIGHT = 0.999  # of a placement's up that is the vertical: what leans has no foundation


def foundations(placed: TiledPlacements, inputs: Inputs) -> tuple[Solid, ...]:
    """Of all buildings that a layer placed, tile by tile and variant by variant, where the ground falls away below their footings."""
    based = [n for n, v in enumerate(placed.variants) if get_kind(v.kind).based]
    out = []
    for tile in placed.tiles if based else ():
        for n in based:
            rows = np.nonzero(tile.placements.variant == n)[0]
            base = inputs.base(placed.variants[n]) if len(rows) else None
            if base is None:
                continue
            own = tile.placements.taken(rows)
            low = _depths(own, base, inputs.surface())
            deep = np.nonzero((low > base.deep) & (low <= _MOST))[0]
            if not len(deep):
                continue
            own, low = own.taken(deep), low[deep]
            stands = [a.tobytes() for a in (own.position, own.rotation, own.scale, low)]
            key = key_of("foundation", VERSION, placed.variants[n].key, digest(*stands))

            def make(own: Placements = own, low: Float64 = low, base: Base = base) -> Mesh:
                return join([_mesh(own, k, low[k], base) for k in range(own.count)])

            mesh = inputs.kept(key, make, lambda m: m.nbytes)
            name = f"foundations {placed.variants[n].key[:8]} {tile.x} {tile.z}"
            out.append(Solid(name, mesh, {"plinth": base.material}, key, tile=(tile.x, tile.z)))
    return tuple(out)


def _depths(own: Placements, base: Base, surface: Surface) -> Float64:
    """(n,) metres below its origin, in its own size, that each building's foundation must reach; 0 for what leans."""
    ring = np.concatenate([base.outline, base.outline[:1]])
    steps = [
        a + np.arange(many)[:, None] / many * (b - a)
        for a, b in zip(ring[:-1], ring[1:], strict=True)
        for many in [max(1, int(np.ceil(np.hypot(*(b - a)) / _STEP)))]
    ]
    edge = np.concatenate(steps)
    points = np.stack([edge[:, 0], np.zeros(len(edge)), -edge[:, 1]], axis=1)
    out = np.zeros(own.count)
    turns = Rotation.from_quat(own.rotation.astype(np.float64))
    upright = turns.apply([0.0, 1.0, 0.0])[:, 1] > _UPRIGHT
    for k in np.nonzero(upright)[0].tolist():
        at = turns[k].apply(points * own.scale[k]) + own.position[k]
        x, z = (np.ascontiguousarray(at[:, c]) for c in (0, 2))
        lowest = float(surface.sample(x, z).position[:, 1].min())
        out[k] = (float(own.position[k, 1]) - lowest) / float(own.scale[k, 1])
    return out


def _mesh(own: Placements, k: int, low: float, base: Base) -> Mesh:
    soup = Soup()
    block(soup, base.outline, -low - _INTO / float(own.scale[k, 1]), -base.deep)
    mesh = soup.mesh({"plinth": base.repeat})
    stands = np.eye(4)
    turn = Rotation.from_quat(own.rotation[k].astype(np.float64)).as_matrix()
    stands[:3, :3] = turn * own.scale[k].astype(np.float64)
    stands[:3, 3] = own.position[k]
    return transformed(mesh, stands)
