"""Tufts: grasses, reeds and sedges, as bent blades from one root."""

from __future__ import annotations

import math
from typing import ClassVar, NamedTuple

import numpy as np

from plough.core.arrays import Float32, UInt8, UInt32, UInt64
from plough.core.collider import GameParameters, upright
from plough.core.errors import TooLargeError
from plough.core.grow.sward import Blade
from plough.core.kernels import kernel
from plough.core.kinds import Product, kind
from plough.core.matters import Matters, Told, above
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
_PLUME = 0.72  #: of a blade's image lies below the plume of its head
MOST_TRIANGLES = 60_000


class TuftParameters(Parameters):
    """Blades from one root, some of them with a flower or seed head."""

    matters: ClassVar[Matters] = {"head_*": above("heads")}
    told: ClassVar[Told] = {"Blades": {"blades": ("blade", "blades")}}

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
def _along(k: int, segments: int, head_length: float) -> float:
    """Where the row `k` of a stalk lies, 0 at its root to 1: the one before the last is its head's widest."""
    stalk = 1.0 - head_length
    if k == segments:
        return 1.0
    if k == segments - 1:
        return stalk + 0.3 * head_length
    return stalk * k / max(1, segments - 2)


class _Growth(NamedTuple):
    """What blades are like."""

    height: float  #: metres
    variation: float
    width: float  #: metres
    spread: float  #: metres
    lean: float  #: radians
    bend: float  #: radians
    heads: float  #: share of the blades
    head_length: float  #: share of a stalk
    head_width: float  #: metres
    dead_share: float


@kernel
def _row(g: _Growth, k: int, segments: int, is_head: bool) -> tuple[float, float, float, float]:
    """Of row `k` of a blade: where it lies, where the next one does, its half width, and its place on the image."""
    if not is_head:
        s = k / segments
        half = 0.5 * g.width * (1.0 - 0.75 * s * s) * min(1.0, 0.55 + 1.6 * s)
        return s, min(k + 1, segments) / segments, half, s
    s = _along(k, segments, g.head_length)
    half = 0.5 * g.head_width if k == segments - 1 else 0.22 * g.width
    # the image's plume fills its topmost part, however long the head is
    in_head = (s - 1.0 + g.head_length) / g.head_length
    if in_head >= 0.0:
        image = _PLUME + (1.0 - _PLUME) * in_head
    else:
        image = _PLUME * s / (1.0 - g.head_length)
    return s, _along(min(k + 1, segments), segments, g.head_length), half, image


@kernel
def _stitched(ind: UInt32, t: int, first: int, segments: int) -> int:
    """Write the triangles of a blade whose vertices begin at `first`."""
    for k in range(segments - 1):
        a = first + 2 * k
        ind[t, 0], ind[t, 1], ind[t, 2] = a, a + 1, a + 2
        ind[t + 1, 0], ind[t + 1, 1], ind[t + 1, 2] = a + 1, a + 3, a + 2
        t += 2
    a = first + 2 * (segments - 1)
    ind[t, 0], ind[t, 1], ind[t, 2] = a, a + 1, a + 2
    return t + 1


@kernel
def _blades(
    seed: np.uint64, ids: UInt64, segments: int, g: _Growth
) -> tuple[Float32, Float32, Float32, UInt8, UInt8, UInt32]:
    n = ids.shape[0]
    vertices = n * (2 * segments + 1)
    pos, nor, uv = (
        np.empty((vertices, 3), np.float32),
        np.empty((vertices, 3), np.float32),
        np.empty((vertices, 2), np.float32),
    )
    col, win = np.empty((vertices, 4), np.uint8), np.empty((vertices, 4), np.uint8)
    ind = np.empty((n * (2 * segments - 1), 3), np.uint32)
    v, t = 0, 0
    for i in range(n):
        me = ids[i]
        is_head = uniform(seed, _HEAD, me) < g.heads
        # the image has three columns: living, dead, head
        column = 2.0 if is_head else (1.0 if uniform(seed, _TONE, me) < g.dead_share else 0.0)
        away = math.sqrt(uniform(seed, _AWAY, me))
        way = 2.0 * math.pi * uniform(seed, _WAY, me)
        long = g.height * (1.0 + g.variation * symmetric(seed, _HEIGHT, me))
        if is_head:
            long = g.height * (1.0 + 0.25 * g.variation * symmetric(seed, _HEIGHT, me)) * 1.08
        facing = way + 0.9 * symmetric(seed, _WAY, me + np.uint64(1))
        ox, oz = math.cos(facing), math.sin(facing)
        x, y, z = (
            away * g.spread * math.cos(way),
            -0.04 * g.height,
            away * g.spread * math.sin(way),
        )
        tilt = g.lean * (0.25 + 0.75 * away) * uniform(seed, _LEAN, me)
        curl = g.bend * (0.35 if is_head else 1.0) * uniform(seed, _BEND, me)
        first = v
        tone = 0.9 + 0.2 * uniform(seed, _TONE, me + np.uint64(2))
        for k in range(segments + 1):
            s, next_s, w, image = _row(g, k, segments, is_head)
            angle = tilt + curl * s * s
            up, out = math.cos(angle), math.sin(angle)
            nx, ny, nz = -ox * up, out, -oz * up
            # lit as one rounded body rather than as single strips
            nx, ny, nz = 0.45 * nx + 0.35 * ox, 0.45 * abs(ny) + 0.75, 0.45 * nz + 0.35 * oz
            ln = 1.0 / math.sqrt(nx * nx + ny * ny + nz * nz)
            for side in range(1 if k == segments else 2):
                offset = 0.0 if k == segments else (side - 0.5) * 2.0 * w
                pos[v, 0], pos[v, 1], pos[v, 2] = x - oz * offset, y, z + ox * offset
                nor[v, 0], nor[v, 1], nor[v, 2] = nx * ln, ny * ln, nz * ln
                across = 0.5 if k == segments else 0.1 + 0.8 * side
                uv[v, 0], uv[v, 1] = (column + across) / 3.0, 1.0 - 0.98 * image
                shade = tone * (0.42 + 0.58 * min(1.0, s * 1.6))
                for ch in range(3):
                    col[v, ch] = np.uint8(min(255.0, 255.0 * shade))
                col[v, 3] = 255
                win[v, 0] = np.uint8(255 * s * s)
                win[v, 1] = np.uint8(255 * uniform(seed, _WAY, me))
                win[v, 2] = np.uint8(120 * s)
                win[v, 3] = np.uint8(255 * min(1.0, 0.4 + s))
                v += 1
            step = 1.04 * long * (next_s - s)
            half = 0.5 * (s + next_s)
            fall = tilt + curl * half * half
            up, out = step * math.cos(fall), step * math.sin(fall)
            x, y, z = x + ox * out, y + up, z + oz * out
        t = _stitched(ind, t, first, segments)
    return pos, nor, uv, col, win, ind


@kind("tuft", "Tuft", "Grasses, reeds and sedges.", TuftParameters, version=2)
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
    growth = _Growth(
        height=p.height,
        variation=p.variation,
        width=p.width / 100 * wide,
        spread=p.spread,
        lean=math.radians(p.lean),
        bend=math.radians(p.bend),
        heads=p.heads,
        head_length=p.head_length,
        head_width=p.head_width / 100 * wide,
        dead_share=p.dead_share,
    )
    pos, nor, uv, col, win, ind = _blades(np.uint64(seed), ids, segments, growth)
    mesh = with_tangents(
        Mesh(pos, nor, uv, ind, (Part("blade", 0, ind.shape[0]),), colors=col, wind=win)
    )
    head = parse_color(p.head_color if p.heads else p.green)
    blade = Blade(256, parse_color(p.green), parse_color(p.dead), head)
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
