"""Leaves: a blade whose outline, edge and pose are given, alone or many on one stalk.

The outline lives in the texture (so that teeth and tears cost no triangles); the mesh is a strip that holds it, folded along the midrib, bent
and twisted. Compound leaves bear such blades along a stalk.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from plough.core.curves import profile_table
from plough.core.errors import TooLargeError
from plough.core.grow.blade import MARGIN, BladeImage, outline_of
from plough.core.grow.lamina import LeafParameters
from plough.core.grow.shape import Shape, course, merged, set_down, strip
from plough.core.kinds import Product, kind
from plough.core.mesh.material import Material
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.rng import stream, uniform_array

MOST_TRIANGLES = 60_000
_LEAFLET, _POSE = stream("leaf.leaflet"), stream("leaf.pose")


def blade_shape(p: LeafParameters, divisions: int) -> Shape:
    """One blade of length 1, as a strip that holds its outline."""
    o, outline, _, _ = outline_of(p)
    rows = max(1, divisions) + 1
    line, across, up = course(
        rows, math.radians(p.bend), math.radians(p.curl), math.radians(p.twist)
    )
    s = np.linspace(0.0, 1.0, rows)
    fine = np.linspace(0.0, 1.0, 257)
    blade = np.interp(
        (fine - o.stalk) / max(1e-6, 1.0 - o.stalk),
        np.linspace(0, 1, outline.size),
        outline,
        left=0.0,
        right=0.0,
    )
    # a straight edge between two rows must hold what bulges between them
    hull = np.array([blade[np.abs(fine - x) <= 1.0 / (rows - 1) + 1e-9].max() for x in s])
    half = np.maximum(hull, 0.06) * o.width * (1.0 - o.stalk) * 0.5 * MARGIN
    shape = strip(line, across, up, half, math.radians(p.fold), 1.0 - s)
    share = np.maximum(hull, 0.06)
    uv = shape.uv.copy()
    uv[:, 0] = 0.5 + (uv[:, 0] - 0.5) * np.repeat(share, 3)
    return replace(shape, uv=uv)


def leaf_shape(p: LeafParameters, divisions: int | None = None) -> Shape:
    """The whole leaf, of length 1.

    Raises:
        TooLargeError: it would have more than `MOST_TRIANGLES` triangles.
    """
    divisions = p.divisions if divisions is None else divisions
    blade = blade_shape(p, divisions)
    if p.form == "simple":
        return blade
    if blade.indices.shape[0] * p.leaflets > MOST_TRIANGLES:
        raise TooLargeError(
            "leaflets",
            f"the leaf would have more than {MOST_TRIANGLES:,} triangles: lower leaflets or divisions",
        )
    rows = max(4, min(24, 2 * divisions))
    line, across, up = course(
        rows, math.radians(p.bend), math.radians(p.curl), math.radians(p.twist)
    )
    palmate = p.form == "palmate"
    reach = max(0.05, p.stalk) if palmate else 1.0
    line = line * reach
    # the stalk: a narrow folded strip that shows the foot of the texture
    thick = np.linspace(0.011, 0.004, rows)
    stalk = strip(line, across, up, thick, 0.9, np.full(rows, 0.99))
    uv = stalk.uv.copy()
    uv[:, 0] = 0.5 + (uv[:, 0] - 0.5) * 0.02
    stalk = replace(stalk, uv=uv, tip=stalk.tip * reach)
    profile = profile_table(p.leaflet_profile)
    k = np.arange(p.leaflets)
    jitter = 2.0 * uniform_array(p.tear_seed, _LEAFLET, k.astype(np.uint64)) - 1.0
    if palmate:
        fan = (k / max(1, p.leaflets - 1) - 0.5) * 2.0
        angle = fan * math.radians(p.leaflet_angle) * 1.5 + 0.04 * jitter
        size = p.leaflet_size * np.interp(
            1.0 - np.abs(fan), np.linspace(0, 1, profile.size), profile
        )
        at = np.full(p.leaflets, float(rows - 1))
    else:
        end = p.leaflets % 2 == 1 and p.form == "pinnate"
        pair = k // 2
        pairs = max(1, (p.leaflets - end + 1) // 2)
        u = np.clip((pair + (0.25 * (k % 2) if p.form == "frond" else 0.0) + 0.5) / pairs, 0, 1)
        side = np.where(k % 2 == 0, 1.0, -1.0)
        angle = (
            side * math.radians(p.leaflet_angle) * (1.0 - (0.55 if p.form == "frond" else 0.25) * u)
            + 0.05 * jitter
        )
        size = (
            p.leaflet_size
            * np.interp(u, np.linspace(0, 1, profile.size), profile)
            * (1.0 + 0.06 * jitter)
        )
        at = (p.stalk + (0.995 - p.stalk) * u) * (rows - 1)
        if end:
            angle[-1], at[-1], size[-1] = 0.0, rows - 1.0, p.leaflet_size * float(profile[-1]) * 1.1
    low = np.minimum(at.astype(np.int64), rows - 2)
    f = (at - low)[:, None]
    base = line[low] * (1 - f) + line[low + 1] * f
    forward = line[low + 1] - line[low]
    forward = forward / np.linalg.norm(forward, axis=1, keepdims=True)
    above = up[low] - forward * (up[low] * forward).sum(axis=1, keepdims=True)
    above = above / np.linalg.norm(above, axis=1, keepdims=True)
    aside = np.cross(forward, above)
    along = forward * np.cos(angle)[:, None] + aside * np.sin(angle)[:, None]
    leaflets = set_down(blade, base, along, above, np.maximum(size, 1e-3))
    held = np.repeat((at / (rows - 1)).astype(np.float32) * reach, blade.tip.shape[0])
    leaflets = replace(
        leaflets, tip=np.maximum(held, 0.6 * held + 0.4 * leaflets.tip).astype(np.float32)
    )
    return merged([stalk, leaflets])


def shape_mesh(shape: Shape, material: str, height: float) -> Mesh:
    """`shape` as a mesh with tangents, white tint and wind; `height` metres is that of the whole plant."""
    n = shape.positions.shape[0]
    wind = np.zeros((n, 4), np.uint8)
    wind[:, 0] = np.clip(shape.positions[:, 1] / max(height, 1e-6), 0, 1) ** 2 * 255
    wind[:, 2] = np.clip(shape.tip, 0, 1) * 255
    wind[:, 3] = 255
    part = Part(material, 0, shape.indices.shape[0])
    return with_tangents(
        Mesh(
            shape.positions,
            shape.normals,
            shape.uv,
            shape.indices,
            (part,),
            colors=np.full((n, 4), 255, np.uint8),
            wind=wind,
        )
    )


def leaf_material(p: LeafParameters, name: str = "leaf") -> Material:
    """The material of a leaf's blades."""
    return Material(
        name,
        BladeImage(p, int(p.texture_size)),
        roughness=1.0,
        cutout=True,
        translucency=p.translucency,
    )


_LEVEL = (1.0, 0.5, 0.25)  #: share of the divisions, by level of detail


@kind(
    "leaf",
    "Leaf",
    "One leaf, simple or compound: for trees, shrubs and plants to bear.",
    LeafParameters,
)
def make(p: LeafParameters, seed: int, detail: int) -> Product:
    """A leaf that stands on its stalk at the origin, leaning back a little."""
    turn, bend, twist = (
        2.0 * uniform_array(seed, _POSE, np.arange(3, dtype=np.uint64)) - 1.0
    ) * p.variation
    p = p.model_copy(
        update={
            "bend": p.bend + 40.0 * bend,
            "twist": p.twist + 35.0 * twist,
            "curl": p.curl + 30.0 * turn,
        }
    )
    shape = leaf_shape(p, max(1, round(p.divisions * _LEVEL[detail])))
    size = p.length / 100.0
    lean = math.radians(24)
    along = np.array([[0.0, math.cos(lean), -math.sin(lean)]])
    up = np.array([[0.0, math.sin(lean), math.cos(lean)]])
    placed = set_down(shape, np.zeros((1, 3)), along, up, np.array([size]))
    height = float(placed.positions[:, 1].max())
    mesh = shape_mesh(placed, "leaf", max(height, size))
    reach = float(np.hypot(placed.positions[:, 0], placed.positions[:, 2]).max())
    blades = 1 if p.form == "simple" else p.leaflets
    ranges = {"blades": (0, mesh.triangles)}
    return Product(
        mesh,
        {"leaf": leaf_material(p)},
        size * 0.05,
        reach,
        max(height, 0.05 * size),
        counts={"blades": blades},
        ranges=ranges,
    )
