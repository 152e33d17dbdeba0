"""Leaves: a blade whose outline, edge and pose are given, alone or many on one stalk.

The outline lives in the texture (so that teeth and tears cost no triangles); the mesh is a strip that holds it, folded along the midrib, bent
and twisted. Compound leaves bear such blades along a stalk.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field

from plough.core.arrays import Float32, Float64, UInt8, UInt32
from plough.core.curves import profile_table
from plough.core.errors import TooLargeError
from plough.core.kernels import kernel
from plough.core.kinds import Product, kind
from plough.core.mesh.bleed import bleed
from plough.core.mesh.material import Maps, Material
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import (
    Color,
    Knots,
    Numeral,
    Parameters,
    Seed,
    choice,
    color,
    count,
    curve,
    number,
    parse_color,
)
from plough.core.rng import stream, uniform_array

Form = Literal["simple", "pinnate", "palmate", "frond"]
_FORMS = {"simple": "Simple", "pinnate": "Pinnate", "palmate": "Palmate", "frond": "Frond"}
TextureSize = Annotated[Literal["128", "256", "512", "1024", "2048"], Numeral]
SIZES = {str(s): f"{s} px" for s in (128, 256, 512, 1024, 2048)}
MOST_TRIANGLES = 60_000
_CUT, _LEAFLET, _POSE = stream("leaf.cut"), stream("leaf.leaflet"), stream("leaf.pose")
_MARGIN = 1.08  #: the strip is a little wider than the outline


class LeafParameters(Parameters):
    """One leaf."""

    form: Form = choice("simple", "Form", _FORMS, group="Outline")
    length: float = number(
        8,
        "Length",
        (0.3, 500),
        soft=(1, 60),
        unit="cm",
        step=0.1,
        group="Outline",
        help="Of the whole leaf, stalk included.",
    )
    width: float = number(
        0.52,
        "Width",
        (0.02, 2),
        soft=(0.05, 1.2),
        unit="× length",
        group="Outline",
        help="Of a blade, by its own length.",
    )
    outline: Knots = curve(
        ((0, 0.12), (0.42, 1), (0.8, 0.55), (1, 0)),
        "Outline",
        group="Outline",
        help="Half the width, from stalk to tip.",
    )
    stalk: float = number(0.14, "Stalk", (0, 0.9), soft=(0, 0.6), unit="of length", group="Outline")
    leaflets: int = count(
        9, "Leaflets", (3, 81), soft=(3, 41), group="Leaflets", help="Of a compound leaf."
    )
    leaflet_size: float = number(
        0.4, "Leaflet length", (0.03, 1.5), soft=(0.05, 1), unit="of leaf", group="Leaflets"
    )
    leaflet_profile: Knots = curve(
        ((0, 0.7), (0.4, 1), (1, 0.6)),
        "Leaflet size",
        group="Leaflets",
        help="Along the stalk, from its foot to its tip.",
    )
    leaflet_angle: float = number(
        58, "Leave the stalk at", (5, 120), unit="°", step=1, group="Leaflets"
    )

    teeth: float = number(0.25, "Teeth", (0, 1), group="Edge")
    teeth_count: int = count(16, "Teeth a side", (1, 80), soft=(2, 40), group="Edge")
    lobes: float = number(0, "Lobes", (0, 1), group="Edge", help="Depth of the bays between lobes.")
    lobe_count: int = count(4, "Lobes a side", (1, 12), group="Edge")
    tears: float = number(
        0, "Tears", (0, 1), group="Edge", help="How deep the edge is torn, towards the midrib."
    )
    tear_count: int = count(
        12, "Number of tears", (0, 60), group="Edge", help="More leave the others where they are."
    )
    tear_where: Knots = curve(
        ((0, 0.2), (0.5, 1), (1, 0.8)),
        "Where the tears lie",
        group="Edge",
        help="From stalk to tip.",
    )
    tear_seed: Seed = Field(
        1,
        title="Seed of the tears",
        json_schema_extra={"control": "seed", "unit": "", "group": "Edge"},
    )

    fold: float = number(
        22, "Fold", (-80, 85), unit="°", step=1, group="Pose", help="Along the midrib, upwards."
    )
    bend: float = number(
        28,
        "Bend",
        (-160, 200),
        unit="°",
        step=1,
        group="Pose",
        help="From stalk to tip, downwards.",
    )
    curl: float = number(
        10, "Curl", (-120, 160), unit="°", step=1, group="Pose", help="Of the tip alone."
    )
    twist: float = number(0, "Twist", (-180, 180), unit="°", step=1, group="Pose")
    variation: float = number(
        0.25,
        "Varies by",
        (0, 1),
        group="Pose",
        help="How far the leaves of other seeds are bent and twisted otherwise.",
    )
    divisions: int = count(
        5, "Divisions", (1, 32), group="Pose", help="Rows of triangles along a blade."
    )

    blade_color: Color = color("#557a33", "Blade", "Colour")
    tip_color: Color = color("#7d9a45", "Tip", "Colour")
    rib_color: Color = color("#a3b06a", "Midrib and veins", "Colour")
    edge_color: Color = color("#4d6d2f", "Edge", "Colour")
    stalk_color: Color = color("#7d7a48", "Stalk", "Colour")
    veins: float = number(0.5, "Veins", (0, 1), group="Colour")
    vein_count: int = count(8, "Veins a side", (0, 30), group="Colour")
    roughness: float = number(0.62, "Roughness", (0.1, 1), group="Colour")
    translucency: float = number(0.45, "Light through", (0, 1), group="Colour")
    season: float = number(
        0, "Season", (0, 1), group="Colour", help="From the leaf's own colours to the season's."
    )
    season_color: Color = color("#b0742c", "Season's colour", "Colour")
    texture_size: TextureSize = choice("256", "Texture size", SIZES, group="Colour")


class Outline(NamedTuple):
    """The numbers that the outline's kernels take."""

    width: float
    stalk: float
    teeth: float
    teeth_count: float
    lobes: float
    lobe_count: float
    tears: float
    veins: float
    vein_count: float


@kernel
def _look(table: Float32, t: float) -> float:
    x = min(1.0, max(0.0, t)) * (table.shape[0] - 1)
    k = min(int(x), table.shape[0] - 2)
    return float(table[k] + (x - k) * (table[k + 1] - table[k]))


@kernel
def _half_width(o: Outline, outline: Float32, t: float) -> float:
    """Half the width at `t` of the blade, as a share of the greatest half width."""
    w = _look(outline, t)
    if o.lobes > 0.0:
        bay = 0.5 + 0.5 * math.cos(2.0 * math.pi * (t * o.lobe_count + 0.5))
        w *= (
            1.0
            - 0.88
            * o.lobes
            * (1.0 - bay) ** 0.8
            * math.sin(math.pi * min(1.0, max(0.0, t))) ** 0.35
        )
    if o.teeth > 0.0:
        saw = (t * o.teeth_count) % 1.0
        w *= 1.0 - 0.26 * o.teeth * saw
    return w


@kernel
def _draw_blade(
    size: int,
    o: Outline,
    outline: Float32,
    cut_at: Float32,
    cut_side: Float32,
    tones: Float64,
    season: float,
) -> tuple[Float32, Float32, Float32, Float32]:
    """Colour times cover, cover, normal and translucency of one blade; its stalk begins at the middle of the lower edge."""
    color, alpha = np.zeros((size, size, 3), np.float32), np.zeros((size, size), np.float32)
    normal, thin = np.zeros((size, size, 3), np.float32), np.zeros((size, size), np.float32)
    foot = o.stalk
    across = o.width * (1.0 - foot) * 0.5  # half width in units of the leaf's length
    pixel_x, pixel_y = 2.0 * _MARGIN * across / size, 1.0 / size
    stalk = max(0.011, 1.3 * pixel_x)
    for r in range(size):
        s = 1.0 - (r + 0.5) / size
        t = (s - foot) / max(1e-6, 1.0 - foot)
        w = _half_width(o, outline, t) if t > 0.0 else 0.0
        slope = (
            (_half_width(o, outline, min(1.0, t + 0.01)) - w) / 0.01 * across if t > 0.0 else 0.0
        )
        edge = 0.5 * math.sqrt(pixel_x * pixel_x + (slope * pixel_y) ** 2) + 1e-6
        for c in range(size):
            x = ((c + 0.5) / size * 2.0 - 1.0) * _MARGIN * across
            side = 1.0 if x > 0.0 else -1.0
            cover = 0.0
            if t > 0.0 and t < 1.0:
                cover = min(1.0, max(0.0, (w * across - abs(x)) / (2.0 * edge) + 0.5))
            rel = min(1.0, abs(x) / max(1e-5, w * across))
            if o.tears > 0.0 and cover > 0.0:
                reach = 1.0 - 0.92 * o.tears
                lean = t - 0.10 * rel  # tears run out towards the tip, along the side veins
                for k in range(cut_at.shape[0]):
                    if cut_side[k] * side > 0.0 and rel > reach:
                        gap = (0.004 + 0.02 * o.tears) * (rel - reach) / (1.0 - reach)
                        cover = min(
                            cover, 1.0, max(0.0, (abs(lean - cut_at[k]) - gap) / pixel_y + 0.5)
                        )
            rib = stalk * (1.0 - 0.75 * max(0.0, t))
            on_rib = min(1.0, max(0.0, (rib - abs(x)) / (2.0 * pixel_x) + 0.5)) if t < 0.97 else 0.0
            if t <= 0.02:
                cover = max(cover, on_rib)
            if cover <= 0.0:
                normal[r, c, 2] = 1.0
                continue
            slant = (t * o.vein_count - rel * 1.1) % 1.0 - 0.5
            vein = o.veins * max(
                on_rib,
                0.75 * (1.0 - 0.7 * rel) * math.exp(-((slant / 0.085) ** 2))
                if o.vein_count > 0 and t > 0.0
                else 0.0,
            )
            fade = min(1.0, max(0.0, (rel - 0.55) / 0.45))
            bulge = 1.0 - 0.10 * o.veins * math.cos(2.0 * math.pi * slant)
            for k in range(3):
                blade = tones[0, k] + (tones[1, k] - tones[0, k]) * max(0.0, t) ** 1.5
                blade = blade + 0.8 * (tones[3, k] - blade) * fade * fade
                blade = blade + 0.7 * (tones[2, k] - blade) * vein
                if t <= 0.0:
                    blade = tones[4, k]
                blade = blade + (tones[5, k] - blade) * season * (0.75 + 0.25 * rel)
                color[r, c, k] = blade * bulge * cover
            tilt = (
                side * (0.20 - 0.12 * rel)
                + 0.30 * o.veins * math.sin(2.0 * math.pi * slant) * 0.6
                + 0.5 * on_rib * side
            )
            along = -0.22 * o.veins * math.sin(2.0 * math.pi * slant)
            s3 = 1.0 / math.sqrt(tilt * tilt + along * along + 1.0)
            normal[r, c, 0], normal[r, c, 1], normal[r, c, 2] = tilt * s3, along * s3, s3
            thin[r, c] = 1.0 - 0.65 * min(1.0, vein + (1.0 if t <= 0.0 else 0.0))
            alpha[r, c] = cover
    return color, alpha, normal, thin


def _outline(p: LeafParameters) -> tuple[Outline, Float32, Float32, Float32]:
    stalk = p.stalk if p.form == "simple" else 0.04
    o = Outline(
        p.width,
        stalk,
        p.teeth,
        p.teeth_count,
        p.lobes,
        p.lobe_count,
        p.tears,
        p.veins,
        p.vein_count,
    )
    index = np.arange(p.tear_count, dtype=np.uint64)
    where = np.cumsum(profile_table(p.tear_where).astype(np.float64) + 1e-6)
    unit = uniform_array(p.tear_seed, _CUT, index)
    at = np.interp(unit * where[-1], where, np.linspace(0.0, 1.0, where.size)).astype(np.float32)
    side = np.where(
        uniform_array(p.tear_seed, _CUT, index + np.uint64(10_000)) < 0.5, -1.0, 1.0
    ).astype(np.float32)
    return o, profile_table(p.outline), at, side


def _bytes(image: Float32) -> UInt8:
    return (np.clip(image, 0.0, 1.0) * 255.0 + 0.5).astype(np.uint8)


@dataclass(frozen=True, slots=True)
class BladeImage:
    """The texture of one blade."""

    leaf: LeafParameters
    size: int  #: pixels a side

    def draw(self) -> Maps:
        """The images."""
        p = self.leaf
        tones = np.array(
            [
                parse_color(c)
                for c in (
                    p.blade_color,
                    p.tip_color,
                    p.rib_color,
                    p.edge_color,
                    p.stalk_color,
                    p.season_color,
                )
            ]
        )
        color, alpha, normal, thin = _draw_blade(self.size, *_outline(p), tones, p.season)
        surface = np.zeros((self.size, self.size, 3), np.uint8)
        surface[..., 0], surface[..., 1] = 255, round(p.roughness * 255)
        albedo = np.concatenate([_bytes(bleed(color, alpha)), _bytes(alpha)[..., None]], axis=-1)
        return Maps(albedo, _bytes(normal * 0.5 + 0.5), surface, _bytes(thin * p.translucency))


@dataclass(frozen=True, slots=True)
class Shape:
    """A small mesh to be set down many times: y runs along it, z is its upper side, its length is 1."""

    positions: Float32  #: (v, 3)
    normals: Float32  #: (v, 3) unit
    uv: Float32  #: (v, 2)
    indices: UInt32  #: (t, 3)
    tip: Float32  #: (v,) 0 where it is held, 1 at its free end


def _strip(
    line: Float64, across: Float64, up: Float64, half: Float64, fold: float, v: Float64
) -> Shape:
    """A folded strip of three columns along `line` (n, 3)."""
    n = line.shape[0]
    c, s = math.cos(fold), math.sin(fold)
    left = line - across * (half * c)[:, None] + up * (half * s)[:, None]
    right = line + across * (half * c)[:, None] + up * (half * s)[:, None]
    positions = np.stack([left, line, right], axis=1).reshape(-1, 3)
    normals = np.stack([up * c + across * s, up, up * c - across * s], axis=1).reshape(-1, 3)
    uv = np.stack([np.tile([0.0, 0.5, 1.0], n), np.repeat(v, 3)], axis=1)
    k = np.arange(n - 1)[:, None] * 3 + np.arange(2)[None]
    a = k.reshape(-1)
    indices = np.concatenate([np.stack([a, a + 1, a + 3], 1), np.stack([a + 1, a + 4, a + 3], 1)])
    return Shape(
        positions.astype(np.float32),
        (normals / np.linalg.norm(normals, axis=1, keepdims=True)).astype(np.float32),
        uv.astype(np.float32),
        indices.astype(np.uint32),
        np.repeat(np.linspace(0, 1, n), 3).astype(np.float32),
    )


def _course(n: int, bend: float, curl: float, twist: float) -> tuple[Float64, Float64, Float64]:
    """Midrib, across and up (each (n, 3)) of a blade of length 1; angles in radians."""
    t = np.linspace(0.0, 1.0, n)
    pitch = -bend * t - curl * np.clip((t - 0.6) / 0.4, 0, 1) ** 2
    middle = 0.5 * (pitch[1:] + pitch[:-1])
    step = np.stack([np.zeros(n - 1), np.cos(middle), np.sin(middle)], axis=1) / (n - 1)
    line = np.concatenate([np.zeros((1, 3)), np.cumsum(step, axis=0)])
    along = np.stack([np.zeros(n), np.cos(pitch), np.sin(pitch)], axis=1)
    flat_up = np.stack([np.zeros(n), -np.sin(pitch), np.cos(pitch)], axis=1)
    flat_across = np.cross(along, flat_up)
    c, s = np.cos(twist * t)[:, None], np.sin(twist * t)[:, None]
    return line, flat_across * c + flat_up * s, flat_up * c - flat_across * s


def blade_shape(p: LeafParameters, divisions: int) -> Shape:
    """One blade of length 1, as a strip that holds its outline."""
    o, outline, _, _ = _outline(p)
    rows = max(1, divisions) + 1
    line, across, up = _course(
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
    half = np.maximum(hull, 0.06) * o.width * (1.0 - o.stalk) * 0.5 * _MARGIN
    shape = _strip(line, across, up, half, math.radians(p.fold), 1.0 - s)
    share = np.maximum(hull, 0.06)
    uv = shape.uv.copy()
    uv[:, 0] = 0.5 + (uv[:, 0] - 0.5) * np.repeat(share, 3)
    return replace(shape, uv=uv)


@kernel
def _set_down(
    positions: Float32,
    normals: Float32,
    uv: Float32,
    indices: UInt32,
    tip: Float32,
    base: Float32,
    along: Float32,
    up: Float32,
    size: Float32,
) -> tuple[Float32, Float32, Float32, UInt32, Float32]:
    n, v, t = base.shape[0], positions.shape[0], indices.shape[0]
    pos, nor = np.empty((n * v, 3), np.float32), np.empty((n * v, 3), np.float32)
    uvs, ind, free = (
        np.empty((n * v, 2), np.float32),
        np.empty((n * t, 3), np.uint32),
        np.empty(n * v, np.float32),
    )
    for i in range(n):
        ax, ay, az = along[i, 0], along[i, 1], along[i, 2]
        ux, uy, uz = up[i, 0], up[i, 1], up[i, 2]
        sx, sy, sz = ay * uz - az * uy, az * ux - ax * uz, ax * uy - ay * ux
        for k in range(v):
            x, y, z = (
                positions[k, 0] * size[i],
                positions[k, 1] * size[i],
                positions[k, 2] * size[i],
            )
            m = i * v + k
            pos[m, 0] = base[i, 0] + x * sx + y * ax + z * ux
            pos[m, 1] = base[i, 1] + x * sy + y * ay + z * uy
            pos[m, 2] = base[i, 2] + x * sz + y * az + z * uz
            x, y, z = normals[k, 0], normals[k, 1], normals[k, 2]
            nor[m, 0], nor[m, 1], nor[m, 2] = (
                x * sx + y * ax + z * ux,
                x * sy + y * ay + z * uy,
                x * sz + y * az + z * uz,
            )
            uvs[m, 0], uvs[m, 1], free[m] = uv[k, 0], uv[k, 1], tip[k]
        for k in range(t):
            for a in range(3):
                ind[i * t + k, a] = indices[k, a] + i * v
    return pos, nor, uvs, ind, free


def set_down(
    shape: Shape,
    base: Float32 | Float64,
    along: Float32 | Float64,
    up: Float32 | Float64,
    size: Float32 | Float64,
) -> Shape:
    """`shape` at n places: `base` (n, 3) metres, `along` and `up` (n, 3) unit and at right angles, `size` (n,) metres."""
    arrays = (np.ascontiguousarray(a, np.float32) for a in (base, along, up, size))
    return Shape(
        *_set_down(shape.positions, shape.normals, shape.uv, shape.indices, shape.tip, *arrays)
    )


def merged(shapes: list[Shape]) -> Shape:
    """All shapes in one."""
    first, indices = 0, []
    for shape in shapes:
        indices.append(shape.indices + np.uint32(first))
        first += shape.positions.shape[0]
    return Shape(
        np.concatenate([s.positions for s in shapes]),
        np.concatenate([s.normals for s in shapes]),
        np.concatenate([s.uv for s in shapes]),
        np.concatenate(indices),
        np.concatenate([s.tip for s in shapes]),
    )


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
    line, across, up = _course(
        rows, math.radians(p.bend), math.radians(p.curl), math.radians(p.twist)
    )
    palmate = p.form == "palmate"
    reach = max(0.05, p.stalk) if palmate else 1.0
    line = line * reach
    # the stalk: a narrow folded strip that shows the foot of the texture
    thick = np.linspace(0.011, 0.004, rows)
    stalk = _strip(line, across, up, thick, 0.9, np.full(rows, 0.99))
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
