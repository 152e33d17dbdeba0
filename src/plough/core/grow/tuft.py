"""Tufts: grasses, reeds and sedges, as bent blades from one root."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, UInt8, UInt32, UInt64
from plough.core.collider import GameParameters, upright
from plough.core.errors import TooLargeError
from plough.core.grow.skin import Blade
from plough.core.kernels import kernel
from plough.core.kinds import Product, kind
from plough.core.mesh.material import Material
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import Color, Parameters, color, count, number, parse_color, section
from plough.core.rng import bits, stream, symmetric, uniform

_BLADE, _HEIGHT, _WAY, _LEAN, _BEND, _AWAY, _TONE, _HEAD = (
    stream(f"tuft.{n}") for n in ("blade", "height", "way", "lean", "bend", "away", "tone", "head")
)
_KEEP = (1.0, 0.9, 0.35)  #: share of the blades, by level of detail
_SEGMENTS = (4, 3, 2)
MOST_TRIANGLES = 60_000


class TuftParameters(Parameters):
    """Blades from one root, some of them with a flower or seed head."""

    height: float = number(0.6, "Height", (0.02, 6), soft=(0.05, 3), unit="m", group="Blades")
    blades: int = count(
        40,
        "Blades",
        (1, 2000),
        soft=(3, 200),
        group="Blades",
        help="More blades leave the others as they are.",
    )
    variation: float = number(0.35, "Height varies by", (0, 0.95), unit="±", group="Blades")
    width: float = number(
        1.2, "Width", (0.1, 20), soft=(0.3, 6), unit="cm", step=0.1, group="Blades"
    )
    spread: float = number(
        0.12, "Spread at the root", (0.005, 3), soft=(0.01, 0.6), unit="m", group="Blades"
    )
    lean: float = number(
        16,
        "Lean",
        (0, 85),
        unit="°",
        step=1,
        group="Blades",
        help="Outwards from the middle, at most.",
    )
    bend: float = number(
        35, "Bend", (0, 160), unit="°", step=1, group="Blades", help="From root to tip, at most."
    )
    heads: float = number(
        0,
        "Heads",
        (0, 1),
        unit="share",
        group="Heads",
        help="Share of the blades that are stalks with a flower or seed head.",
    )
    head_length: float = number(0.18, "Head length", (0.02, 0.8), unit="of stalk", group="Heads")
    head_width: float = number(
        5, "Head width", (0.2, 40), soft=(1, 15), unit="cm", step=0.1, group="Heads"
    )
    green: Color = color("#6d8540", "Living", "Skin")
    dead: Color = color("#b59d62", "Dead", "Skin")
    dead_share: float = number(0.25, "Dead share", (0, 1), unit="share", group="Skin")
    head_color: Color = color("#7a5c46", "Head", "Skin")
    game: GameParameters = section(GameParameters(collider="none"), "For the game", "Game")


@kernel
def _blades(
    seed: np.uint64,
    ids: UInt64,
    segments: int,
    height: float,
    variation: float,
    width: float,
    spread: float,
    lean: float,
    bend: float,
    heads: float,
    head_length: float,
    head_width: float,
    dead_share: float,
) -> tuple[Float32, Float32, Float32, UInt8, UInt8, UInt32]:
    n = ids.shape[0]
    vertices = n * (2 * segments + 1)
    triangles = n * (2 * segments - 1)
    pos, nor, uv = (
        np.empty((vertices, 3), np.float32),
        np.empty((vertices, 3), np.float32),
        np.empty((vertices, 2), np.float32),
    )
    col, win = np.empty((vertices, 4), np.uint8), np.empty((vertices, 4), np.uint8)
    ind = np.empty((triangles, 3), np.uint32)
    v, t = 0, 0
    for i in range(n):
        me = ids[i]
        is_head = uniform(seed, _HEAD, me) < heads
        dead = uniform(seed, _TONE, me) < dead_share
        away = math.sqrt(uniform(seed, _AWAY, me))
        way = 2.0 * math.pi * uniform(seed, _WAY, me)
        long = height * (1.0 + variation * symmetric(seed, _HEIGHT, me))
        if is_head:
            long = height * (1.0 + 0.25 * variation * symmetric(seed, _HEIGHT, me)) * 1.08
        facing = way + 0.9 * symmetric(seed, _WAY, me + np.uint64(1))
        ox, oz = math.cos(facing), math.sin(facing)
        sx, sz = -oz, ox
        x, y, z = away * spread * math.cos(way), -0.04 * height, away * spread * math.sin(way)
        tilt = lean * (0.25 + 0.75 * away) * uniform(seed, _LEAN, me)
        curl = bend * (0.35 if is_head else 1.0) * uniform(seed, _BEND, me)
        first = v
        step = long * 1.04 / segments
        tone = 0.9 + 0.2 * uniform(seed, _TONE, me + np.uint64(2))
        for k in range(segments + 1):
            s = k / segments
            angle = tilt + curl * s * s
            up, out = math.cos(angle), math.sin(angle)
            if is_head:
                in_head = s > 0.999 - max(head_length, 1.0 / segments)
                w = 0.5 * head_width * (0.55 if k == segments else 1.0) if in_head else 0.22 * width
            else:
                w = 0.5 * width * (1.0 - 0.75 * s * s) * min(1.0, 0.55 + 1.6 * s)
            nx, ny, nz = -ox * up, out, -oz * up
            # lit as one rounded body rather than as single strips
            nx, ny, nz = 0.45 * nx + 0.35 * ox, 0.45 * abs(ny) + 0.75, 0.45 * nz + 0.35 * oz
            ln = 1.0 / math.sqrt(nx * nx + ny * ny + nz * nz)
            sides = 1 if k == segments else 2
            for side in range(sides):
                offset = 0.0 if k == segments else (side - 0.5) * 2.0 * w
                pos[v, 0], pos[v, 1], pos[v, 2] = x + sx * offset, y, z + sz * offset
                nor[v, 0], nor[v, 1], nor[v, 2] = nx * ln, ny * ln, nz * ln
                # the image has three columns: living, dead, head
                column = 2.0 if is_head else (1.0 if dead else 0.0)
                across = 0.5 if k == segments else 0.1 + 0.8 * side
                uv[v, 0], uv[v, 1] = (column + across) / 3.0, 1.0 - 0.98 * s
                shade = tone * (0.42 + 0.58 * min(1.0, s * 1.6))
                for ch in range(3):
                    col[v, ch] = np.uint8(min(255.0, 255.0 * shade))
                col[v, 3] = 255
                win[v, 0] = np.uint8(255 * s * s)
                win[v, 1] = np.uint8(255 * uniform(seed, _WAY, me))
                win[v, 2] = np.uint8(120 * s)
                win[v, 3] = np.uint8(255 * min(1.0, 0.4 + s))
                v += 1
            x, y, z = x + ox * out * step, y + up * step, z + oz * out * step
        for k in range(segments - 1):
            a = first + 2 * k
            ind[t, 0], ind[t, 1], ind[t, 2] = a, a + 1, a + 2
            ind[t + 1, 0], ind[t + 1, 1], ind[t + 1, 2] = a + 1, a + 3, a + 2
            t += 2
        a = first + 2 * (segments - 1)
        ind[t, 0], ind[t, 1], ind[t, 2] = a, a + 1, a + 2
        t += 1
    return pos, nor, uv, col, win, ind


@kind("tuft", "Tuft", "Grasses, reeds and sedges.", TuftParameters)
def make(p: TuftParameters, seed: int, detail: int) -> Product:
    """A tuft rooted at the origin."""
    segments = _SEGMENTS[detail]
    kept = max(1, round(p.blades * _KEEP[detail]))
    triangles = kept * (2 * segments - 1)
    if triangles > MOST_TRIANGLES:
        raise TooLargeError(
            "blades",
            f"the tuft would have {triangles:,} triangles; the limit is {MOST_TRIANGLES:,}: lower the blades",
        )
    ids = np.array([bits(np.uint64(seed), _BLADE, np.uint64(k)) for k in range(kept)], np.uint64)
    wide = 1.0 / math.sqrt(_KEEP[detail])
    pos, nor, uv, col, win, ind = _blades(
        np.uint64(seed),
        ids,
        segments,
        p.height,
        p.variation,
        p.width / 100 * wide,
        p.spread,
        math.radians(p.lean),
        math.radians(p.bend),
        p.heads,
        p.head_length,
        p.head_width / 100 * wide,
        p.dead_share,
    )
    mesh = with_tangents(
        Mesh(pos, nor, uv, ind, (Part("blade", 0, ind.shape[0]),), colors=col, wind=win)
    )
    blade = Blade(256, parse_color(p.green), parse_color(p.dead), parse_color(p.head_color))
    reach = float(np.hypot(pos[:, 0], pos[:, 2]).max())
    return Product(
        mesh,
        {"blade": Material("blade", blade, roughness=0.9, cutout=True, translucency=0.35)},
        footprint_radius=p.spread,
        canopy_radius=reach,
        height=float(pos[:, 1].max()),
        collider=upright(p.spread, float(pos[:, 1].max()), p.game),
        game=p.game,
        counts={"blades": kept},
        ranges={"blades": (0, mesh.triangles)},
    )
