"""A building from afar: its walls, gables and roofs as a few faces, on which its look is baked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from plough.core.arrays import Float64
from plough.core.house.body import Covered, Storey
from plough.core.house.forms import Drawing
from plough.core.house.raised import main_of
from plough.core.house.roofed import RoofLook, bare_gable, chimneys_of, gables_of, shell
from plough.core.house.soup import Soup, level
from plough.core.mesh.unwrap import second_uv
from plough.core.mesh.value import Mesh, Part

_SLOT = "far"
_GAP = 0.016  #: of the sheet, between two pieces: so much that small mip levels do not mix them


def far_of(
    storeys: Sequence[Storey],
    covered: Sequence[Covered],
    look: RoofLook,
    deep: float,
    seed: int,
) -> Mesh:
    """Few faces in the place of a building, whose first texture coordinates lie side by side in [0, 1].

    Args:
        deep: metres below the ground that it reaches.
    """
    soup = Soup()
    first = 0
    for k, s in enumerate(storeys):
        ring, over = s.ring.corners, storeys[k + 1 : k + 2]
        if over and np.array_equal(over[0].ring.corners, ring):
            continue
        low = storeys[first].low if first else -deep
        soup.belt(level(ring, low), level(ring, s.high), _SLOT, _SLOT)
        first = k + 1
        for other in over:  # what stands out is seen from below
            _lid(soup, [other.ring.corners], other.low, under=True)
    for n, c in enumerate(covered):
        if c.roof is None or c.eaves is None:
            for ring in c.region.rings if look.parapet else ():
                soup.belt(level(ring, c.low), level(ring, c.low + look.parapet), _SLOT, _SLOT)
            _lid(soup, c.region.rings, c.low)
            continue
        for gable in gables_of(c):
            bare_gable(soup, gable, _SLOT, _SLOT)
        shell(soup, c.eaves, c.low, look, _SLOT, detail=2)
        if n == main_of(covered):
            for origin, way in chimneys_of(c, look.chimneys, seed):
                drawing = Drawing()
                drawing.box((-0.42, 0.42), (-0.9, 1.35), (-0.32, 0.32), _SLOT, "under")
                soup.drawn(*drawing.drawn, _SLOT, (origin, way, np.array([way[1], -way[0]])))
    drawn = soup.mesh({})
    mesh = replace(drawn, parts=(Part(_SLOT, 0, drawn.triangles),), colors=None)
    return replace(mesh, uv0=second_uv(mesh, _GAP), tangents=None)


def roofs_of(covered: Sequence[Covered], look: RoofLook) -> list[Float64]:
    """(m, 3, 3) the bare faces of each roof that is not flat."""
    out = []
    for c in covered:
        if c.roof is None or c.eaves is None:
            continue
        soup = Soup()
        for gable in gables_of(c):
            bare_gable(soup, gable, _SLOT, _SLOT)
        shell(soup, c.eaves, c.low, look, _SLOT, detail=2)
        mesh = soup.mesh({})
        out.append(mesh.positions[mesh.indices].astype(np.float64))
    return out


def _lid(soup: Soup, rings: Sequence[Float64], up: float, under: bool = False) -> None:
    """A level part of a plan."""
    ends = np.cumsum([0, *(len(r) for r in rings)])
    rows = [np.arange(a, b) for a, b in pairwise(ends)]
    soup.flat(level(np.concatenate(rings), up), rows, _SLOT, _SLOT, under)
