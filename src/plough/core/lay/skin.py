"""Skin of laid stone: tones, joints in shade, moss; and the meshes of what is laid."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64, UInt8, UInt64
from plough.core.kernels import kernel
from plough.core.lay.dressing import Blocks
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.rng import stream, symmetric, uniform
from plough.core.solid_noise import layered_at

_TONE, _HUE = stream("skin.tone"), stream("skin.hue")
_SCALE = 0.7  #: patches a metre


class Skin(NamedTuple):
    """How laid stone is coloured; colours linear, 0 to 1."""

    seed: np.uint64
    repeat: float  #: metres of one repeat of the texture
    tones: float  #: how far stones differ, 0 to 1
    worn: float  #: how much lighter edges are
    joint: float  #: how dark joints are
    moss: float  #: share of what looks up that it covers, 0 to 1
    green: tuple[float, float, float]  #: moss, by the stone's own colour
    damp: float  #: how dark the foot is, 0 to 1


@kernel
def _byte(share: float) -> np.uint8:
    return np.uint8(min(1.0, max(0.0, share)) * 255.0 + 0.5)


@kernel
def _coloured(
    position: Float64,
    normal: Float64,
    shade: Float64,
    edge: Float64,
    stone: Int64,
    ids: UInt64,
    high: Float64,
    s: Skin,
) -> tuple[UInt8, UInt8]:
    """(v, 4) colours and (v, 4) masks: worn edges, what looks up, hollows, patches."""
    n = position.shape[0]
    color, mask = np.full((n, 4), np.uint8(255)), np.empty((n, 4), np.uint8)
    patches = layered_at(s.seed, position, _SCALE, 2, 0.6)
    one, tone, warm = -1, 1.0, 0.0
    rgb = np.empty(3)
    for v in range(n):
        if stone[v] != one:
            one = stone[v]
            tone = 1.0 - 0.34 * s.tones * uniform(s.seed, _TONE, ids[one])
            warm = 0.10 * s.tones * symmetric(s.seed, _HUE, ids[one])
        patch = patches[v]
        up = normal[v, 1]
        joint = 1.0 - s.joint * (1.0 - shade[v])
        light = tone * joint * (1.0 - 0.16 * s.worn + 0.16 * s.worn * edge[v])
        light *= 1.0 - 0.4 * s.damp * min(1.0, max(0.0, 1.0 - high[v] / 0.4))
        light *= 0.92 + 0.08 * patch
        cover = 0.0
        if s.moss > 0.0:
            facing = min(1.0, max(0.0, (up - 0.1) / 0.45)) + 0.35 * min(
                1.0, max(0.0, 1.0 - high[v] / 0.35)
            )
            if up < -0.2:
                facing = 0.0
            cover = facing * min(1.0, max(0.0, 2.4 * s.moss - 1.0 + 1.5 * patch + 0.25))
            cover = min(1.0, cover)
        rgb[0] = light * (1.0 + warm - 0.10 * s.tones)
        rgb[1] = light * (1.0 - 0.10 * s.tones)
        rgb[2] = light * (1.0 - warm - 0.10 * s.tones)
        dim = (0.7 + 0.3 * shade[v]) * (0.85 + 0.15 * patch)
        for c in range(3):
            color[v, c] = _byte(rgb[c] + cover * (s.green[c] * dim - rgb[c]))
        mask[v, 0], mask[v, 1] = _byte(edge[v]), _byte(0.5 + 0.5 * up)
        mask[v, 2], mask[v, 3] = _byte(1.0 - shade[v]), _byte(0.5 + 0.5 * patch)
    return color, mask


def skinned(
    blocks: Blocks,
    position: Float64,
    normal: Float64,
    tangent: Float64 | None,
    ids: UInt64,
    high: Float64,
    skin: Skin,
    slot: str = "stone",
) -> Mesh:
    """The mesh of laid stones.

    Args:
        ids: (n,) of the stones.
        high: (v,) metres above the ground.
    """
    color, mask = _coloured(
        position, normal, blocks.shade, blocks.edge, blocks.stone, ids, high, skin
    )
    mesh = Mesh(
        position.astype(np.float32),
        normal.astype(np.float32),
        (blocks.flat / skin.repeat).astype(np.float32),
        blocks.triangles.astype(np.uint32),
        (Part(slot, 0, len(blocks.triangles)),),
        tangents=None if tangent is None else tangent.astype(np.float32),
        colors=color,
        masks=mask,
    )
    return with_tangents(mesh) if tangent is None else mesh
