"""Vessels, posts, balusters: an outline turned round an axis, with handles, staves and hoops."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.build.hulled import HulledParameters, hull_collider
from plough.core.build.stone import Stone
from plough.core.build.turning import Shell, rod, turned
from plough.core.build.ware import Ware
from plough.core.curves import monotone
from plough.core.kinds import Product, kind
from plough.core.matters import Matters, Told, above, among
from plough.core.mesh.material import MapRecipe, Material, as_bytes
from plough.core.mesh.surface import crease_normals, split_corners
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part, join
from plough.core.parameters import (
    Color,
    Knots,
    Parameters,
    choice,
    color,
    count,
    curve,
    flag,
    linear,
    number,
    parse_color,
    section,
)
from plough.core.rng import seed_for, stream, symmetric, symmetric_array, uniform, uniform_array

_SIDES = (48, 24, 12)  #: round it, by level
_FINE = (0.002, 0.008, 0.03)  #: of the height, that rows may lie off the outline
_ROD = ((9, 18), (6, 9), (4, 5))  #: corners round a handle, and rows along it
_CREASE = 42.0
_STAVE = (0.07, 0.93)  #: of a stave, between its joints
_WOBBLE, _DRIP, _PLANK, _TONE = (stream(f"vessel.{n}") for n in ("wobble", "drip", "plank", "tone"))


class VesselParameters(Parameters):
    """A turned piece."""

    stages: ClassVar[tuple[str, ...]] = ("Outline", "Wall", "Handles", "Parts", "Skin", "Game")
    matters: ClassVar[Matters] = {
        "thickness lip": among("hollow", True),
        "foot_width": above("foot"),
        "handle_*": among("handles", "one", "two", "basket"),
        "handle_foot": among("handles", "one", "two"),
        "hoop_*": above("hoops"),
        "stave_gap": above("staves"),
        "glaze_color drips": above("glaze"),
        "cracks": among("stuff", "clay", "wood", "iron", "willow"),
        "dirt_color": above("dirt"),
    }
    told: ClassVar[Told] = {"Outline": {"triangles": ("triangle", "triangles")}}

    height: float = number(0.5, "Height", (0.02, 12), soft=(0.1, 3), unit="m", group="Outline")
    width: float = number(
        0.8, "Width", (0.01, 6), soft=(0.05, 2), unit="of the height", group="Outline"
    )
    profile: Knots = curve(
        ((0.0, 0.45), (0.35, 1.0), (0.75, 0.55), (0.9, 0.42), (1.0, 0.55)),
        "Outline",
        group="Outline",
        help="Half its width from foot to lip.",
        handle={"form": "silhouette", "tall": "height", "wide": "width", "what": "outline"},
    )
    corners: int = count(0, "Corners", (0, 12), group="Outline", help="0: round.")
    wobble: float = number(0.15, "Wobble", (0, 1), group="Outline", help="Not quite round.")
    lean: float = number(0, "Leans", (0, 30), unit="°", step=0.5, group="Outline")
    hollow: bool = flag(True, "Hollow", group="Wall")
    thickness: float = number(
        0.9, "Thick", (0.1, 30), soft=(0.2, 6), unit="cm", step=0.1, group="Wall"
    )
    lip: float = number(0.3, "Rolled lip", (0, 1), group="Wall")
    foot: float = number(
        0.8, "Hollow under the foot", (0, 30), soft=(0, 4), unit="cm", step=0.1, group="Wall"
    )
    foot_width: float = number(0.16, "Its ring", (0.03, 0.8), unit="of its radius", group="Wall")
    buried: float = number(0, "In the ground", (0, 0.8), unit="of its height", group="Wall")
    handles: Literal["none", "one", "two", "basket"] = choice(
        "none",
        "Handles",
        {"none": "None", "one": "One", "two": "Two, opposite", "basket": "One over the top"},
        group="Handles",
    )
    handle_top: float = number(0.92, "From", (0.05, 1), unit="of the height", group="Handles")
    handle_foot: float = number(0.5, "To", (0, 0.95), unit="of the height", group="Handles")
    handle_reach: float = number(
        0.2, "Stands out", (0.02, 2), soft=(0.05, 0.8), unit="of the height", group="Handles"
    )
    handle_thick: float = number(
        2.0, "Thick", (0.2, 30), soft=(0.5, 6), unit="cm", step=0.1, group="Handles"
    )
    handle_wide: float = number(1.6, "Wide", (0.3, 6), unit="times", group="Handles")
    staves: int = count(0, "Staves", (0, 40), group="Parts", help="0: in one piece.")
    stave_gap: float = number(
        0.8, "Joints deep", (0, 6), soft=(0, 2), unit="cm", step=0.1, group="Parts"
    )
    hoops: int = count(0, "Hoops", (0, 8), group="Parts")
    hoop_wide: float = number(
        4, "Wide", (0.3, 60), soft=(1, 10), unit="cm", step=0.1, group="Parts"
    )
    hoop_thick: float = number(
        0.5, "Thick", (0.05, 10), soft=(0.2, 2), unit="cm", step=0.05, group="Parts"
    )
    hoop_light: Color = color("#7a5a3f", "Hoops, rust", "Parts")
    hoop_dark: Color = color("#3b3a3a", "Hoops", "Parts")
    stuff: Literal["clay", "wood", "stone", "iron", "willow"] = choice(
        "clay",
        "Made of",
        {
            "clay": "Fired clay",
            "wood": "Wood",
            "stone": "Stone",
            "iron": "Iron",
            "willow": "Woven willow",
        },
        group="Skin",
    )
    light: Color = color("#b98a63", "Light", "Skin")
    dark: Color = color("#7a5236", "Dark", "Skin")
    relief: float = number(0.4, "Coarse", (0, 1), group="Skin")
    strands: int = count(
        18, "Rings, grain, rods", (4, 64), group="Skin", help="Along one repeat of the texture."
    )
    repeat: float = number(
        0.5, "A texture repeats every", (0.05, 5), soft=(0.1, 2), unit="m", group="Skin"
    )
    cracks: float = number(0, "Cracks", (0, 1), group="Skin", help="In its skin.")
    glaze: float = number(
        0, "Glazed", (0, 1), unit="of the height", group="Skin", help="From the lip down."
    )
    glaze_color: Color = color("#56673f", "Glaze", "Skin", help="Darker than what it lies on.")
    drips: float = number(0.4, "Drips", (0, 1), group="Skin")
    worn: float = number(0.4, "Worn", (0, 1), group="Skin", help="Lip, foot and handles.")
    dirt: float = number(0.3, "Dirt", (0, 1), group="Skin", help="At the foot and in grooves.")
    dirt_color: Color = color("#5b4c3a", "Of dirt", "Skin")
    game: HulledParameters = section(HulledParameters(density=500), "Game", "Game")


@dataclass(frozen=True, slots=True)
class _Form:
    """The outline and how it is turned, at one level."""

    p: VesselParameters
    shares: Float64  #: (r,) of the height, ascending
    angles: Float64  #: (a,)
    factor: Float64  #: (a,) of the radius at each angle: corners, joints of staves
    seed: int

    def radius(self, share: Float64) -> Float64:
        """(n,) metres from the axis at shares of the height."""
        xs, ys = np.array(self.p.profile).T
        wide = monotone(xs, ys, np.clip(share, xs[0], xs[-1])).clip(0.012, 1.0)
        return np.asarray(0.5 * self.p.width * self.p.height * wide)

    def spread(self, share: Float64, joints: bool = True) -> Float64:
        """(n, a) by which the radius is multiplied at shares of the height and each angle."""
        seed, k = np.uint64(self.seed), np.arange(6, dtype=np.uint64)
        phase = 2 * math.pi * uniform_array(self.seed, _WOBBLE, k)
        much = 0.05 * self.p.wobble * (0.6 + 0.4 * symmetric(seed, _WOBBLE, np.uint64(9)))
        t, a = share[:, None], self.angles[None, :]
        off = np.cos(2 * a + phase[0] + 1.5 * t * math.sin(phase[1]))
        off = off + 0.6 * np.cos(a + phase[2] + 2.5 * t) + 0.35 * np.cos(3 * a + phase[3] - 2.0 * t)
        own = self.factor if joints else np.ones_like(self.factor)
        return np.asarray((1.0 + much * off) * own)


def _form(p: VesselParameters, seed: int, detail: int) -> _Form:
    factor = np.ones(1)
    if p.staves:
        between = max(2, math.ceil(0.5 * _SIDES[detail] / p.staves))
        inner = np.append(0.0, np.linspace(*_STAVE, between))
        if detail == 2:
            inner = np.arange(between - 1) / (between - 1)
        angles = (np.arange(p.staves)[:, None] + inner).reshape(-1) / p.staves
        groove = min(0.3, p.stave_gap / 100 / (0.5 * p.width * p.height)) * (detail < 2)
        factor = np.tile([1.0 - groove, *(1.0,) * (len(inner) - 1)], p.staves)
    else:
        sides = _SIDES[detail]
        if p.corners >= 3:
            sides = p.corners * max(1, sides // (3 * p.corners))
        angles = np.arange(sides) / sides
    if p.corners >= 3:
        half = math.pi / p.corners
        factor = factor * math.cos(half) / np.cos((2 * math.pi * angles) % (2 * half) - half)
    factor = np.broadcast_to(factor, angles.shape)
    fine = np.linspace(0.0, 1.0, 193)
    xs, ys = np.array(p.profile).T
    wide = monotone(xs, ys, np.clip(fine, xs[0], xs[-1])) * 0.5 * p.width
    rows = _kept(np.stack([wide, fine], axis=1), _FINE[detail])
    if p.glaze and detail < 2:
        line = 1.0 - p.glaze + p.drips * np.linspace(-0.3, 0.04, 8) * p.glaze
        rows = np.concatenate([rows, np.rint(192 * line.clip(0, 1)).astype(np.int64)])
    return _Form(p, fine[np.unique(rows)], 2 * math.pi * angles, factor, seed)


def _kept(points: Float64, off: float) -> Int64:
    """Rows of a line (n, 2) between which no point lies further off than `off` (Douglas and Peucker 1973)."""
    kept, ahead = [0, len(points) - 1], [(0, len(points) - 1)]
    while ahead:
        a, b = ahead.pop()
        if b - a < 2:
            continue
        way = points[b] - points[a]
        gap = points[a + 1 : b] - points[a]
        away = np.abs(way[0] * gap[:, 1] - way[1] * gap[:, 0]) / max(float(np.hypot(*way)), 1e-12)
        far = a + 1 + int(away.argmax())
        if away.max() > off:
            kept.append(far)
            ahead += [(a, far), (far, b)]
    return np.array(sorted(kept), np.int64)


def _outline(form: _Form) -> tuple[Float64, Float64]:
    """(r, 2) the outline from the axis below round to the axis above, and the (r,) share of the height of each."""
    p = form.p
    tall, radius = p.height, form.radius(form.shares)
    rows = [(0.0, 0.0)]
    ring = (1.0 - p.foot_width) * radius[0]
    under = min(p.foot / 100, 0.25 * tall, 0.5 * tall * _falls_to(ring, radius, form.shares))
    if under > 1e-3 * tall:
        rows = [(0.0, under), (0.96 * ring, under), (ring, 0.0)]
    rows += list(zip(radius, form.shares * tall, strict=True))
    if not p.hollow:
        return _told([*rows, (0.0, tall)], tall)
    thick = min(p.thickness / 100, 0.45 * float(radius.min()), 0.3 * tall)
    roll = thick * (0.5 + 0.5 * p.lip)
    top = radius[-1]
    rows[-1] = (top, tall - roll)
    bulge = 0.6 * p.lip * thick
    for angle in (0.35, 1.1, math.pi / 2, math.pi - 1.1, math.pi - 0.35):
        middle = top - 0.5 * thick
        out = 0.5 * thick + (bulge if angle < math.pi / 2 else 0.0)
        rows.append((middle + out * math.cos(angle), tall - roll + roll * math.sin(angle)))
    steep = np.abs(np.gradient(radius, form.shares * tall)) if len(radius) > 2 else np.zeros(2)
    inner = np.maximum(radius - thick * np.sqrt(1.0 + np.minimum(steep, 2.0) ** 2), 0.12 * radius)
    floor = under + thick
    inside = [
        (r, y)
        for r, y in zip(inner, form.shares * tall, strict=True)
        if floor + 0.02 * tall < y < tall - roll - 1e-6
    ]
    rows += [(top - thick, tall - roll), *inside[::-1]]
    last = float(np.interp(floor, form.shares * tall, inner))
    rows += [(last, floor + 0.01 * tall), (0.97 * last, floor), (0.0, floor)]
    return _told(rows, tall)


def _falls_to(ring: float, radius: Float64, shares: Float64) -> float:
    """The share of the height at which an outline is first as narrow as `ring`; 1 where it never is."""
    for k in np.flatnonzero(radius < ring)[:1].tolist():
        part = (ring - radius[k - 1]) / (radius[k] - radius[k - 1])
        return float(shares[k - 1] + part * (shares[k] - shares[k - 1]))
    return 1.0


def _told(rows: list[tuple[float, float]], tall: float) -> tuple[Float64, Float64]:
    outline = np.array(rows, np.float64)
    far = np.append(True, np.hypot(*np.diff(outline, axis=0).T) > 1e-5 * tall)
    return outline[far], outline[far, 1] / tall


def _handles(form: _Form, detail: int) -> list[Shell]:
    p = form.p
    sides, rows = _ROD[detail]
    thick, reach = 0.005 * p.handle_thick, p.handle_reach * p.height
    t = np.linspace(0.0, 1.0, rows)
    spread = form.spread(np.array([p.handle_top]), joints=False)[0]
    at = [float(spread[0]), float(spread[int(np.abs(form.angles - math.pi).argmin())])]
    if p.handles == "basket":
        r, y = float(form.radius(np.array([p.handle_top]))[0]), p.handle_top * p.height
        way = np.pi * t
        far = np.where(way < np.pi / 2, at[0], at[1]) * (r - 0.3 * thick)
        rise = reach + p.height - y
        line = np.stack([far * np.cos(way), y + rise * np.sin(way) ** 0.8, 0.0 * way], axis=1)
        return [_bow(p, line, thick, t, sides)]
    made = []
    for k in range({"none": 0, "one": 1, "two": 2}[p.handles]):
        low = min(p.handle_foot, p.handle_top - 0.05)
        ends = np.array([p.handle_top, low])
        near = at[k] * form.radius(ends) - np.minimum(0.6 * thick, 0.3 * form.radius(ends))
        a, b = (np.array([near[i], ends[i] * p.height]) for i in (0, 1))
        fall = a[1] - b[1]
        out = reach * 4 / 3
        knots = np.stack(
            [a, a + np.array([out, 0.12 * fall]), b + np.array([0.75 * out, 0.25 * fall]), b]
        )
        weights = np.stack([(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t**3], axis=1)
        bow = weights @ knots
        line = np.stack([(-1.0 if k else 1.0) * bow[:, 0], bow[:, 1], 0.0 * t], axis=1)
        made.append(_bow(p, line, thick, t, sides))
    return made


def _bow(p: VesselParameters, line: Float64, thick: float, t: Float64, sides: int) -> Shell:
    """A handle, wider at its ends."""
    grows = 1.0 + 0.35 * np.abs(2 * t - 1) ** 3
    return rod(line, np.array([0.0, 0.0, 1.0]), thick * p.handle_wide * grows, thick * grows, sides)


def _hoops(form: _Form) -> list[Shell]:
    p = form.p
    wide, thick = p.hoop_wide / 100 / p.height, p.hoop_thick / 100
    wide = min(wide, 0.9 / (p.hoops + 1))
    place = np.linspace(-1.0, 1.0, p.hoops) if p.hoops > 1 else np.zeros(p.hoops)
    middle = 0.5 + (0.47 - 0.5 * wide) * np.sign(place) * np.abs(place) ** 0.6
    made = []
    for share in middle:
        ends = np.array([share - 0.5 * wide, share + 0.5 * wide])
        (low, high), (a, b) = form.radius(ends), ends * p.height
        sunk = min(0.3 * low, 0.3 * high, thick + p.stave_gap / 100 * (p.staves > 0))
        ring = np.array([(low - sunk, a), (low + thick, a), (high + thick, b), (high - sunk, b)])
        spread = form.spread(np.array([ends[0], ends[0], ends[1], ends[1]]), joints=not p.staves)
        made.append(turned(ring, form.angles, spread))
    return made


def _marks(p: VesselParameters, shell: Shell, body: bool, seed: int) -> Float64:
    """(n, 4) at each point, 0 to 1: how worn, how far glaze has run, how dirty, and a value that is uneven round it."""
    at = shell.positions
    share = at[:, 1] / p.height
    around = np.arctan2(at[:, 2], at[:, 0])
    uneven = np.zeros(len(at))
    for k in range(1, 6):
        phase = 2 * math.pi * uniform(np.uint64(seed), _TONE, np.uint64(k))
        uneven += np.cos(k * around + phase + 3.1 * k * share) / k
    if p.staves:  # each is of a plank of its own
        plank = np.floor((around / (2 * math.pi)) % 1.0 * p.staves + 1e-6).astype(np.uint64)
        uneven = 0.4 * uneven + 1.6 * symmetric_array(seed, _PLANK, plank)
    uneven = (0.5 + 0.28 * uneven).clip(0.0, 1.0)
    run = np.zeros(len(at))
    for k in range(3, 14):
        phase = 2 * math.pi * uniform(np.uint64(seed), _DRIP, np.uint64(k))
        run += np.cos(k * around + phase) / 3.4
    low = 1.0 - p.glaze - p.drips * p.glaze * 0.3 * np.clip(run, -0.1, 1.0)
    glazed = np.clip((share - low) / 0.025, 0.0, 1.0) if p.glaze else np.zeros(len(at))
    worn = np.clip(1.0 - (1.0 - share) / 0.035, 0.0, 1.0) + np.clip(1.0 - share / 0.02, 0.0, 1.0)
    if not body:
        worn = np.full(len(at), 0.55)
    worn = (worn * (0.5 + uneven)).clip(0.0, 1.0)
    dirt = np.clip(1.0 - share / (0.08 + 0.22 * uneven), 0.0, 1.0)
    inside = np.hypot(at[:, 0], at[:, 2]) < 0.02 * p.height
    dirt = np.where(inside & p.hollow, 1.0, dirt)
    return np.stack([worn, glazed, dirt, uneven], axis=1)


def _tinted(p: VesselParameters, marks: Float64, hoop: bool) -> Float64:
    """(n, 3) what the textures are multiplied by at each point, 0 to 1, linear."""
    worn, glazed, dirt, uneven = marks.T[:, :, None]
    names = ("hoop_light", "hoop_dark") if hoop else ("light", "dark")
    ground = sum(np.array(linear(getattr(p, n))) for n in names) / 2
    tint = (0.86 + 0.28 * (uneven - 0.5)) * np.ones(3)
    if p.glaze and not hoop:
        glaze = (np.array(linear(p.glaze_color)) / np.maximum(ground, 0.02)).clip(0.0, 1.0)
        tint = tint + glazed * (1.0 - p.worn * worn) * (glaze - tint)
    tint = tint + p.worn * worn * (1.0 - tint) * 0.9
    soil = (np.array(linear(p.dirt_color)) / np.maximum(ground, 0.02)).clip(0.0, 1.0)
    tint = tint + 0.85 * p.dirt * dirt * (soil - tint)
    return np.asarray(tint.clip(0.0, 1.0))


def _mesh(p: VesselParameters, shell: Shell, slot: str, seed: int) -> Mesh:
    normals = crease_normals(shell.positions, shell.faces, _CREASE)
    uv = (shell.uv / np.float32(p.repeat)).astype(np.float32)
    if slot != "handle":  # whole repeats round it: no seam is seen
        wide = float(np.ptp(uv[:, 0]))
        uv[:, 0] *= np.float32(max(1, round(wide)) / wide)
    first, indices = split_corners(shell.corners, normals, uv)
    vertex = shell.corners[first]
    marks = _marks(p, shell, slot == "body", seed)
    tint = np.concatenate([_tinted(p, marks, slot == "hoop"), np.ones((len(marks), 1))], axis=1)
    return with_tangents(
        Mesh(
            shell.positions[vertex].astype(np.float32),
            np.ascontiguousarray(normals[first]),
            np.ascontiguousarray(uv[first]),
            indices.astype(np.uint32),
            (Part(slot if slot == "hoop" else "skin", 0, len(shell.faces)),),
            colors=as_bytes(tint)[vertex],
            masks=as_bytes(marks)[vertex],
        )
    )


def _stood(p: VesselParameters, shell: Shell, turn: float) -> Shell:
    """`shell` leaning, and let into the ground."""
    a = math.radians(p.lean)
    at = shell.positions
    if a:
        way = np.array([math.cos(turn), 0.0, math.sin(turn)])
        axis = np.array([way[2], 0.0, -way[0]])  # turns the top towards `way`
        along = np.outer(at @ axis, axis)
        at = along + math.cos(a) * (at - along) + math.sin(a) * np.cross(axis, at)
    sunk = np.array([0.0, p.buried * p.height, 0.0])
    return Shell(at - sunk, shell.faces, shell.uv)


@kind(
    "vessel",
    "Vessel or post",
    "Jars, barrels, baskets, posts, bollards, balusters: an outline turned round an axis.",
    VesselParameters,
    hard=True,
    version=3,
)
def make(p: VesselParameters, seed: int, detail: int) -> Product:
    """A turned piece that stands at the origin."""
    own = int(seed_for(seed, "vessel"))
    form = _form(p, own, detail)
    outline, shares = _outline(form)
    body = turned(outline, form.angles, form.spread(shares))
    shells = [("body", body)] + [("handle", h) for h in _handles(form, detail)]
    if detail < 2 or p.hoops:
        shells += [("hoop", h) for h in _hoops(form)]
    turn = 2 * math.pi * uniform(np.uint64(own), _WOBBLE, np.uint64(20))
    mesh = join([_mesh(p, _stood(p, shell, turn), slot, own) for slot, shell in shells])
    at = mesh.positions
    foot = at[at[:, 1] <= at[:, 1].min() + max(0.03, p.buried) * p.height + 1e-6]
    materials = {"skin": Material("skin", _skin(p, own), roughness=1.0)}
    if p.hoops:
        light, dark = parse_color(p.hoop_light), parse_color(p.hoop_dark)
        rust = Ware("iron", own % 4, 256, light, dark, 0.5, 8, 0.0)
        materials["hoop"] = Material("hoop", rust, roughness=1.0)
    return Product(
        mesh,
        materials,
        footprint_radius=float(np.hypot(foot[:, 0], foot[:, 2]).max()),
        canopy_radius=float(np.hypot(at[:, 0], at[:, 2]).max()),
        height=float(at[:, 1].max()),
        collider=hull_collider(p.game, at, None if detail else mesh.indices),
        game=p.game,
        counts={"triangles": mesh.triangles},
    )


def _skin(p: VesselParameters, seed: int) -> MapRecipe:
    light, dark = parse_color(p.light), parse_color(p.dark)
    if p.stuff == "stone":
        return Stone(
            seed % 4, 512, light, dark, 5 * p.strands, 0.4, p.relief, 0.0, 0.2, (0.7, 0.7, 0.6)
        )
    return Ware(p.stuff, seed % 4, 512, light, dark, p.relief, p.strands, p.cracks)
