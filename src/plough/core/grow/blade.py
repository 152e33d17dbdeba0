"""The picture of one blade: outline, teeth, lobes, tears and veins, drawn into its texture."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.curves import profile_table
from plough.core.grow.lamina import LeafParameters
from plough.core.kernels import kernel
from plough.core.mesh.bleed import bleed
from plough.core.mesh.material import Maps, as_bytes
from plough.core.parameters import (
    parse_color,
)
from plough.core.rng import stream, uniform_array

_CUT = stream("leaf.cut")
MARGIN = 1.08  #: the strip is a little wider than the outline


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
    pixel_x, pixel_y = 2.0 * MARGIN * across / size, 1.0 / size
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
            x = ((c + 0.5) / size * 2.0 - 1.0) * MARGIN * across
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


def outline_of(p: LeafParameters) -> tuple[Outline, Float32, Float32, Float32]:
    """Its numbers, the half width along it as a table (t,), and its tears (tears,): where they lie along it, and on which side (-1, 1)."""
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
        color, alpha, normal, thin = _draw_blade(self.size, *outline_of(p), tones, p.season)
        surface = np.zeros((self.size, self.size, 3), np.uint8)
        surface[..., 0], surface[..., 1] = 255, round(p.roughness * 255)
        albedo = np.concatenate(
            [as_bytes(bleed(color, alpha)), as_bytes(alpha)[..., None]], axis=-1
        )
        return Maps(albedo, as_bytes(normal * 0.5 + 0.5), surface, as_bytes(thin * p.translucency))
