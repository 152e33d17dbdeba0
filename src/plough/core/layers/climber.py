"""A climber: stems that grow over what other layers placed or made, and leaves on them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Annotated, Any, ClassVar, Literal, NamedTuple

import numpy as np
from pydantic import Field
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.build.ware import Ware
from plough.core.collider import Collider
from plough.core.hashing import digest, key_of
from plough.core.matters import Matters, above, among
from plough.core.mesh.grid import (
    Grid,
    Skin,
    clear_skins,
    free_lines,
    grid_of,
    nearest_fronts,
)
from plough.core.mesh.material import Material
from plough.core.mesh.sweep import Branches, sweep
from plough.core.parameters import (
    Color,
    Id,
    Parameters,
    Seed,
    choice,
    color,
    count,
    knot,
    number,
    parse_color,
    points,
    reference,
    seeded,
    span,
    within,
)
from plough.core.place.along import facing_of
from plough.core.place.climb import (
    ClimbRule,
    LeafRule,
    Stems,
    climbed,
    leaves_of,
    room_about,
)
from plough.core.place.faces import Faces, candidates
from plough.core.place.placements import Placements, cut, joined
from plough.core.place.pose import Pose, set_up
from plough.core.place.rules import own_sizes
from plough.core.place.touches import Touch
from plough.core.place.upon import Bearers
from plough.core.place.variants import NONE
from plough.core.rng import seed_for, stream, uniform_array
from plough.core.scene.document import MixEntry, mix_of, touches_of
from plough.core.scene.facets import Output, Solid, TiledPlacements
from plough.core.scene.inputs import Inputs, Mix
from plough.core.scene.registry import layer_kind
from plough.core.tiles import tile_of

VERSION = 2  #: raised when the same climber comes out otherwise
MOST_STEMS, MOST_METRES, MOST_LEAVES = 2_000, 8_000, 60_000
MOST_TRIANGLES = 2_000_000  #: of what is climbed
_STEP = 0.08  # metres
_NEAR = 3.0  # metres from a point that something must be, to grow there
_STANDS = 0.12  # metres above the ground at which it starts
_LEVEL = 0.5  # metres that a face which is level counts as farther away
_EIGHT = [(x, z) for x in (-1.0, 0.0, 1.0) for z in (-1.0, 0.0, 1.0) if x or z]
_ABOUT = np.array([(0.0, 0.0, 0.0), *((0.3 * x, 0.0, 0.3 * z) for x, z in _EIGHT)])
_FOOT = 0.6  # metres above the ground that a foot is
_DENSE = 2.0  # starts a square metre of the foot, at 100 %
_HANGS = 0.35  # of a whole turn, that leaves hang out of the plumb from side to side
_THIN = 0.12  # of its thickness that a tip has left
_PLACE, _KEPT, _FOOT_SEED = (stream(f"climber.{n}") for n in ("place", "kept", "foot"))


Start = Annotated[tuple[float, ...], knot(("height", 0, 60))]
"""East and south; then, where it is above the foot, metres above the ground."""


class ClimberParameters(Parameters):
    """Stems and leaves over what stands."""

    matters: ClassVar[Matters] = {
        "points": among("starts", "points"),
        "share facing either": among("starts", "foot"),
        "thin_facing": above("thinned"),
        "tint": above("thick"),
    }

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    on: tuple[Id, ...] = reference(
        (), "Over", "thing", group="Where", help="What these layers placed or made."
    )
    starts: Literal["points", "foot"] = choice(
        "points",
        "Starts",
        {"points": "At points", "foot": "From the foot of what it climbs"},
        group="Where",
    )
    points: Annotated[tuple[Start, ...], Field(min_length=1, max_length=60)] = points(
        "Points", least=1, group="Where", own=(("height", "m", 60),)
    )
    share: float = number(
        20, "Of the foot", (0, 100), unit="%", step=1, group="Where", help="That it starts from."
    )
    facing: float = number(
        0,
        "That faces",
        (0, 360),
        unit="°",
        step=5,
        group="Where",
        help="Clockwise from north.",
    )
    either: float = number(
        180, "Or up to", (0, 180), unit="°", step=5, group="Where", help="To either side of it."
    )
    reach: float = number(
        5, "Reach", (0.2, 40), soft=(1, 12), unit="m", step=0.1, group="Stems", help="Along faces."
    )
    stems: int = count(16, "Stems", (1, 200), soft=(1, 60), group="Stems", help="From each start.")
    age: float = number(
        100, "Age", (1, 100), unit="%", step=1, group="Stems", help="Of its full reach."
    )
    wander: float = number(0.6, "Wander", (0, 1), group="Stems")
    up: float = number(0.5, "Pull upwards", (0, 1), group="Stems")
    cling: float = number(
        2, "Off the faces", (0.5, 20), soft=(0.5, 8), unit="cm", step=0.1, group="Stems"
    )
    gap: float = number(
        0.25,
        "Goes across gaps",
        (0, 2),
        soft=(0, 1),
        unit="m",
        step=0.05,
        group="Stems",
        help="So wide.",
    )
    thick: float = number(
        2.5, "Thick", (0, 20), soft=(0, 8), unit="cm", step=0.1, group="Stems", help="At its foot."
    )
    tint: Color = color("#6b5a45", "Of stems", "Stems")
    dense: float = number(
        18, "Leaves", (0, 200), soft=(0, 60), group="Leaves", help="A metre of stem."
    )
    aside: float = number(
        10, "Beside the stem by up to", (0, 100), soft=(0, 30), unit="cm", step=1, group="Leaves"
    )
    bare: float = number(0, "Bare below", (0, 20), soft=(0, 3), unit="m", step=0.1, group="Leaves")
    thinned: float = number(
        0, "Thinned by", (0, 100), unit="%", step=1, group="Leaves", help="On faces that look away."
    )
    thin_facing: float = number(
        0,
        "From",
        (0, 360),
        unit="°",
        step=5,
        group="Leaves",
        help="Where they stand closest: clockwise from north.",
    )
    tilt: float = number(
        25, "Tilted by up to", (0, 90), soft=(0, 60), unit="°", step=1, group="Leaves"
    )
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (70, 130), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="Leaves"
    )


@dataclass(frozen=True, eq=False)
class _Things:
    """What it may climb."""

    faces: tuple[Faces, ...]
    placed: Placements  #: variants are rows of `faces`

    @staticmethod
    def of(bearers: list[Bearers]) -> _Things:
        """All that layers placed or made."""
        faces: list[Faces] = []
        parts = []
        for b in bearers:
            for tile in b.tiles:
                q = tile.placements
                parts.append(replace(q, variant=q.variant + np.uint32(len(faces))))
            faces += b.faces
        return _Things(tuple(faces), joined(parts))

    def taken(self, rows: Int64) -> _Things:
        """Those in `rows`."""
        return _Things(self.faces, self.placed.taken(rows))

    def near(self, starts: Float64, far: float) -> Int64:
        """Rows of those of which anything may lie no farther than that from any of some starts (n, 3)."""
        radius = np.array([f.radius for f in self.faces])[self.placed.variant]
        radius = radius * self.placed.scale.astype(np.float64).max(axis=1)
        away, _ = cKDTree(starts).query(self.placed.position.astype(np.float64))
        return np.nonzero(away <= far + radius)[0]

    @property
    def triangles(self) -> int:
        """Number of all their triangles."""
        return int(np.array([len(f.names) for f in self.faces])[self.placed.variant].sum())

    @property
    def key(self) -> str:
        """What they are and where."""
        q = self.placed
        keys = [self.faces[v].key for v in q.variant.tolist()]
        return key_of(keys, digest(*(a.tobytes() for a in (q.position, q.rotation, q.scale))))

    def corners(self) -> Float64:
        """(t, 3, 3) metres: all their triangles."""
        q, parts = self.placed, [np.empty((0, 3, 3))]
        for k in range(q.count):
            corners = self.faces[int(q.variant[k])].corners.astype(np.float64)
            turn = Rotation.from_quat(q.rotation[k].astype(np.float64))
            turned = turn.apply((corners * q.scale[k]).reshape(-1, 3))
            parts.append((turned + q.position[k]).reshape(-1, 3, 3))
        return np.concatenate(parts)


class _Starts(NamedTuple):
    ids: UInt64
    at: Float64  #: (n, 3) metres
    normal: Float64  #: (n, 3) unit, off the faces

    def taken(self, rows: Any) -> _Starts:
        """Those in `rows`."""
        return _Starts(self.ids[rows], self.at[rows], self.normal[rows])


@layer_kind(
    "climber",
    "Climber",
    "Stems that climb what stands, and leaves on them.",
    ClimberParameters,
    gives=("placements", "solids"),
    stands="on faces",
)
def evaluate(p: ClimberParameters, inputs: Inputs) -> Output:
    """Stems as solids, start by start, and leaves as placements."""
    mix = inputs.mix(p.mix)
    if not p.on:
        inputs.find("nothing-chosen", "no layer is chosen for it to climb")
    nothing = Output(placements=TiledPlacements(mix.variants))
    bearers = inputs.bearers(p.on)
    if not bearers:
        return nothing
    seed = inputs.seed(p.seed)
    rule = ClimbRule(
        np.uint64(seed),
        _STEP,
        p.reach * p.age / 100.0,
        p.stems,
        p.wander,
        p.up,
        0.01 * p.cling,
        p.gap,
    )
    skins = inputs.skins(mix.variants)
    things = _Things.of(bearers)
    wanted = _within_limits(p, rule, *_wanted(p, seed, bearers, things, inputs), inputs)
    # nothing farther away than that changes anything
    broad = max((float(np.linalg.norm(s.points, axis=1).max()) for s in skins), default=0.0)
    broad *= p.size[1] / 100.0 * max((s[1] for s in mix.sizes), default=1.0)
    far = _NEAR + rule.reach + rule.gap + 4.0 * _STEP + 0.01 * p.aside + broad
    if len(wanted.ids):
        things = things.taken(things.near(wanted.at, far))
    if not len(wanted.ids) or not things.triangles:
        inputs.find("nothing-there", "nothing that it could climb is near its starts")
        return nothing
    if things.triangles > MOST_TRIANGLES:
        _too_many_triangles(things, inputs)
        return nothing
    grid = inputs.kept(
        key_of("climbed", VERSION, things.key),
        lambda: grid_of(things.corners()),
        lambda g: g.nbytes,
    )
    starts = _settled(p, grid, wanted)
    grown = []
    for k in range(len(starts.ids)):
        inputs.check()
        own = starts.taken([k])
        there = things.taken(things.near(own.at, far)).key
        told = key_of("climber", VERSION, there, repr(rule), int(own.ids[0]), own.at.tolist())
        stems = inputs.kept(
            told,
            lambda own=own: climbed(grid, rule, *own),  # type: ignore[misc]
            lambda s: s.nbytes,
        )
        if len(stems.points):
            grown.append((own, told, stems))
    if not grown:
        inputs.find("nothing-there", "nothing that it could climb is near its starts")
        return nothing
    solids = []
    if p.thick > 0:
        for own, told, stems in grown:
            name = f"stems {int(own.ids[0]):x}"
            solids.append(_stems(p, name, told, grid, stems, inputs))
    placed = []
    dense = _density(p, [stems for _, _, stems in grown], inputs) if mix.variants else 0.0
    if dense > 0:
        for own, _, stems in grown:
            inputs.check()
            low = float(own.at[0, 1]) - _STANDS
            placed.append(_leaves(p, mix, skins, dense, grid, stems, low, inputs))
    whole = joined(placed)
    order = uniform_array(seed, _PLACE, whole.ids).astype(np.float32)
    tiles = tuple(cut(whole, order)) if whole.count else ()
    placements = TiledPlacements(mix.variants, tiles, together=True)
    return Output(placements=placements, solids=tuple(solids))


def _within_limits(
    p: ClimberParameters, rule: ClimbRule, ids: UInt64, at: Float64, inputs: Inputs
) -> _Starts:
    """As many of the starts as there may be."""
    long = rule.stems * max(rule.reach, _STEP)
    most = min(MOST_STEMS // rule.stems, int(MOST_METRES / long))
    if len(ids) > most:
        text = (
            f"it would start {len(ids):,} times with {p.stems} stems each that reach {rule.reach:.3g} m; the limits are {MOST_STEMS:,} stems "
            f"and {MOST_METRES:,} m of them, so it starts {most} times"
        )
        inputs.find("too-many", text)
    return _Starts(ids[:most], at[:most], np.zeros((len(ids[:most]), 3)))


def _density(p: ClimberParameters, grown: list[Stems], inputs: Inputs) -> float:
    """Leaves a metre, so many that they are not more than there may be."""
    long = sum(float(s.left[s.first[:-1][np.diff(s.first) > 0]].sum()) for s in grown)
    if p.dense * long <= MOST_LEAVES:
        return p.dense
    text = f"its {long:,.0f} m of stems would have {p.dense * long:,.0f} leaves; the limit is {MOST_LEAVES:,}, so it has {MOST_LEAVES / long:.3g} a metre"
    inputs.find("too-many", text)
    return MOST_LEAVES / long


def _too_many_triangles(things: _Things, inputs: Inputs) -> None:
    text = f"what it may climb has {things.triangles:,} triangles; the limit is {MOST_TRIANGLES:,}: choose fewer layers"
    inputs.find("too-many", text)


def _wanted(
    p: ClimberParameters, seed: int, bearers: list[Bearers], things: _Things, inputs: Inputs
) -> tuple[UInt64, Float64]:
    """Ids and places (n, 3) near which it starts."""
    if p.starts == "points":
        wanted = np.array([(*q, 0.0)[:3] for q in p.points])
        ids = np.array([stream(f"start {k}") for k in range(len(wanted))], np.uint64)
        ground = inputs.surface().sample(*(np.ascontiguousarray(wanted[:, c]) for c in range(2)))
        up = np.maximum(wanted[:, 2], _STANDS)
        return ids, ground.position + up[:, None] * np.array([0.0, 1.0, 0.0])
    if things.triangles > MOST_TRIANGLES:
        _too_many_triangles(things, inputs)
        return np.empty(0, np.uint64), np.empty((0, 3))
    return _feet(p, seed, bearers, inputs)


def _settled(p: ClimberParameters, grid: Grid, wanted: _Starts) -> _Starts:
    """Starts at the faces that are nearest, seen from there or from close by, where nothing is between: a place that was set on a wall may lie in its footing."""
    if not len(grid.triangles):
        return wanted.taken(np.empty(0, np.int64))
    many = len(_ABOUT)
    seen_from = (wanted.at[:, None] + _ABOUT).reshape(-1, 3)
    found, foot = nearest_fronts(grid, seen_from, _NEAR)
    way = seen_from - foot
    long = np.linalg.norm(way, axis=1, keepdims=True)
    normal = np.where(long > 0.02, way / np.maximum(long, 1e-9), grid.normal[found])
    at = foot + 0.01 * p.cling * normal
    free = (found >= 0) & free_lines(grid, np.stack([foot + 1e-4 * normal, at], axis=1))
    away = np.linalg.norm(foot - wanted.at.repeat(many, axis=0), axis=1)
    away += _LEVEL * (np.abs(normal[:, 1]) > 0.7)  # rather up a wall than on a ledge
    best = np.where(free, away, np.inf).reshape(-1, many).argmin(axis=1)
    rows = np.arange(len(wanted.ids)) * many + best
    return _Starts(wanted.ids, at[rows], normal[rows]).taken(free[rows])


def _feet(
    p: ClimberParameters, seed: int, bearers: list[Bearers], inputs: Inputs
) -> tuple[UInt64, Float64]:
    """Ids and places (n, 3) at the foot of what it climbs, where that faces as is asked for."""
    ids, at = [np.empty(0, np.uint64)], [np.empty((0, 3))]
    own = seed ^ int(_FOOT_SEED)
    north = math.radians(p.facing)
    ahead = np.array([math.sin(north), -math.cos(north)])
    for b in bearers:
        for tile in b.tiles:
            for variant in np.unique(tile.placements.variant).tolist():
                things = tile.placements.taken(tile.placements.variant == variant)
                inputs.check()
                found = candidates(own, b.faces[variant], things, _DENSE)
                flat = found.normal[:, [0, 2]]
                level = np.hypot(*flat.T)
                cosine = flat @ ahead / np.maximum(level, 1e-9)
                rows = (level > 0.7) & (cosine >= math.cos(math.radians(p.either)) - 1e-9)
                found = found.taken(np.nonzero(rows)[0])
                x, z = (np.ascontiguousarray(found.position[:, c]) for c in (0, 2))
                high = found.position[:, 1] - inputs.surface().sample(x, z).position[:, 1]
                draw = uniform_array(own, _KEPT, found.ids)
                rows = (high > 0.0) & (high < _FOOT) & (draw < 0.01 * p.share)
                ids.append(found.ids[rows])
                at.append(found.position[rows] + 0.01 * found.normal[rows])
    order = np.argsort(whole := np.concatenate(ids))
    return whole[order], np.concatenate(at)[order]


def _stems(
    p: ClimberParameters, name: str, told: str, grid: Grid, stems: Stems, inputs: Inputs
) -> Solid:
    key = key_of("climber stems", VERSION, told, p.thick, p.tint, p.seed)

    def make() -> Solid:
        many = np.diff(stems.first)
        kept = np.nonzero(many > 1)[0]
        rows = np.concatenate([np.arange(stems.first[s], stems.first[s + 1]) for s in kept])
        base = np.repeat(stems.left[stems.first[kept]], many[kept])
        whole = max(float(stems.left.max()), 1e-6)
        share = (base / whole) ** 0.5 * (_THIN + (1.0 - _THIN) * stems.left[rows] / base)
        room = room_about(grid, stems.points, stems.first, 0.01 * p.thick)[rows]
        radius = np.minimum(0.005 * p.thick * share, 0.6 * room)
        n = len(kept)
        lines = Branches(
            np.concatenate([[0], np.cumsum(many[kept])]).astype(np.int64),
            stems.points[rows].astype(np.float32),
            np.maximum(radius, 2e-4).astype(np.float32),
            np.zeros(len(rows), np.float32),
            np.full(n, 5, np.int64),
            np.zeros(n, np.float32),
            np.zeros((len(rows), 4), np.uint8),
        )
        mesh = sweep(lines, "stem", 0.25)
        middle = mesh.positions.mean(axis=0)
        (tile,) = tile_of(middle[:1], middle[2:]).tolist()
        r, g, b = parse_color(p.tint)
        drawn = Ware("wood", p.seed % 4, 256, (r, g, b), (0.6 * r, 0.6 * g, 0.6 * b), 0.8, 30, 0.0)
        materials = {"stem": Material("stem", drawn, roughness=1.0)}
        return Solid(name, mesh, materials, key, tile=(tile[0], tile[1]), collider=Collider())

    return inputs.kept(key, make, lambda s: s.mesh.nbytes)


def _leaves(
    p: ClimberParameters,
    mix: Mix,
    skins: list[Skin],
    dense: float,
    grid: Grid,
    stems: Stems,
    low: float,
    inputs: Inputs,
) -> Placements:
    seed = inputs.seed(p.seed)
    rule = LeafRule(seed_for(seed, "leaves"), dense, 0.01 * p.aside, p.bare, 0.01 * p.cling)
    ids, at, off = leaves_of(grid, rule, stems.ids, stems.first, stems.points, stems.left, low)
    variant = mix.choices.choose(ids)
    rows = variant != NONE
    if p.thinned > 0:
        north = math.radians(p.thin_facing)
        away = 0.5 - 0.5 * (off[:, 0] * math.sin(north) - off[:, 2] * math.cos(north))
        rows &= uniform_array(seed, _KEPT, ids) >= 0.01 * p.thinned * away
    ground = inputs.surface().sample(*(np.ascontiguousarray(at[:, c]) for c in (0, 2)))
    kept = np.nonzero(rows & (at[:, 1] > ground.position[:, 1]))[0]
    ids, at, off, variant = ids[kept], at[kept], off[kept], variant[kept]
    # off the face, their tips hanging down
    pose = Pose(
        lean=1.0,
        turn=_HANGS,
        tilt=math.radians(p.tilt),
        size_low=p.size[0] / 100.0,
        size_high=p.size[1] / 100.0,
    )
    position, rotation, scale = set_up(
        np.uint64(seed), ids, at, off, pose, facing_of(-off[:, [0, 2]])
    )
    scale = scale * own_sizes(seed, mix.choices, mix.sizes, ids, variant)
    clear = np.ones(len(ids), bool)
    for v, skin in enumerate(skins):
        own = np.nonzero(variant == v)[0]
        stand = (a[own].astype(np.float64) for a in (position, rotation, scale))
        clear[own] = clear_skins(grid, skin, *stand)
    placed = Placements(ids, variant, position, rotation, scale)
    return placed.taken(np.nonzero(clear)[0])
