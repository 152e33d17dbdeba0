"""A climber: stems that grow over what other layers placed or made, and leaves on them."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field
from scipy.spatial.transform import Rotation

from plough.core.arrays import Float64, UInt64
from plough.core.build.ware import Ware
from plough.core.collider import Collider
from plough.core.ground.surface import Samples
from plough.core.hashing import key_of
from plough.core.matters import Matters, above, among
from plough.core.mesh.material import Material
from plough.core.mesh.sweep import Branches, sweep
from plough.core.parameters import (
    Color,
    Id,
    Parameters,
    Point,
    Seed,
    choice,
    color,
    count,
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
    Soup,
    Stems,
    clear_lines,
    climbed,
    leaves_of,
    nearest_front,
    pierced,
    room_about,
    soup_of,
)
from plough.core.place.faces import candidates
from plough.core.place.placements import Placements, cut, no_placements
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

VERSION = 1  #: raised when the same climber comes out otherwise
MOST_STEMS, MOST_LEAVES, MOST_TRIANGLES = 2_000, 60_000, 4_000_000
_STEP = 0.08  # metres
_NEAR = 3.0  # metres from a point that something must be, to grow there
_STANDS = 0.12  # metres above the ground at which it starts
_FOOT = 0.6  # metres above the ground that a foot is
_DENSE = 2.0  # starts a square metre of the foot, at 100 %
_HANGS = 0.35  # of a whole turn, that leaves hang out of the plumb from side to side
_THIN = 0.12  # of its thickness that a tip has left
_PLACE, _KEPT, _FOOT_SEED = (stream(f"climber.{n}") for n in ("place", "kept", "foot"))


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
    points: Annotated[tuple[Point, ...], Field(min_length=1, max_length=60)] = points(
        "Points", least=1, group="Where"
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
    bearers = inputs.bearers(p.on)
    nothing = Output(placements=TiledPlacements(mix.variants))
    if not bearers:
        return nothing
    soup, key = _soup(bearers, inputs)
    seed = inputs.seed(p.seed)
    ids, at, normal = _starts(p, seed, bearers, soup, inputs)
    if not len(ids):
        inputs.find("nothing-there", "nothing that it could climb is near its starts")
        return nothing
    if len(ids) * p.stems > MOST_STEMS:
        most = MOST_STEMS // p.stems
        text = f"it would start {len(ids):,} times with {p.stems} stems each; the limit is {MOST_STEMS:,} stems, so it starts {most} times"
        inputs.find("too-many", text)
        ids, at, normal = ids[:most], at[:most], normal[:most]
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
    placed, solids = [], []
    for k in range(len(ids)):
        inputs.check()
        own = slice(k, k + 1)
        told = key_of("climber", VERSION, key, repr(rule), int(ids[k]), at[k].tolist())
        stems = inputs.kept(
            told,
            lambda own=own: climbed(soup, rule, ids[own], at[own], normal[own]),  # type: ignore[misc]
            lambda s: s.nbytes,
        )
        if p.thick > 0 and len(stems.points):
            solids.append(_stems(p, f"stems {int(ids[k]):x}", told, soup, stems, inputs))
        if mix.variants and p.dense > 0:
            placed.append(_leaves(p, mix, seed, soup, stems, float(at[k, 1]) - _STANDS, inputs))
    whole = _joined(placed)
    if whole.count > MOST_LEAVES:
        text = f"it would have {whole.count:,} leaves; the limit is {MOST_LEAVES:,}: take fewer a metre"
        inputs.find("too-many", text)
        whole = whole.taken(np.arange(MOST_LEAVES))
    order = uniform_array(seed, _PLACE, whole.ids).astype(np.float32)
    tiles = tuple(cut(whole, order)) if whole.count else ()
    placements = TiledPlacements(mix.variants, tiles, together=True)
    return Output(placements=placements, solids=tuple(solids))


def _joined(parts: list[Placements]) -> Placements:
    from plough.core.place.placements import joined

    return joined(parts) if parts else no_placements()


def _soup(bearers: list[Bearers], inputs: Inputs) -> tuple[Soup, str]:
    """All faces of what it may climb."""
    told = [[f.key for f in b.faces] + [f"{t.x} {t.z} {t.key}" for t in b.tiles] for b in bearers]
    key = key_of("soup", VERSION, told)
    total = sum(b.triangles() for b in bearers)
    if total > MOST_TRIANGLES:
        text = f"what it may climb has {total:,} triangles; the limit is {MOST_TRIANGLES:,}: choose fewer layers"
        inputs.find("too-many", text)
        return soup_of(np.empty((0, 3, 3))), key

    def make() -> Soup:
        parts = [np.empty((0, 3, 3))]
        for b in bearers:
            for tile in b.tiles:
                own = tile.placements
                for k in range(own.count):
                    corners = b.faces[int(own.variant[k])].corners.astype(np.float64)
                    turned = Rotation.from_quat(own.rotation[k].astype(np.float64)).apply(
                        (corners * own.scale[k]).reshape(-1, 3)
                    )
                    parts.append((turned + own.position[k]).reshape(-1, 3, 3))
        return soup_of(np.concatenate(parts))

    return inputs.kept(key, make, lambda s: s.nbytes), key


def _starts(
    p: ClimberParameters, seed: int, bearers: list[Bearers], soup: Soup, inputs: Inputs
) -> tuple[UInt64, Float64, Float64]:
    """Ids, places (n, 3) off the faces and directions (n, 3) off them, of where it starts."""
    if not len(soup.triangles):
        return np.empty(0, np.uint64), np.empty((0, 3)), np.empty((0, 3))
    if p.starts == "points":
        wanted = np.array(p.points, float).reshape(-1, 2)
        ids = np.array([stream(f"start {k}") for k in range(len(wanted))], np.uint64)
        ground = inputs.surface().sample(*(np.ascontiguousarray(wanted[:, c]) for c in range(2)))
        near = ground.position + np.array([0.0, _STANDS, 0.0])
    else:
        ids, near = _feet(p, seed, bearers, inputs)
    places, ways, rows = [], [], []
    grid = soup.grid
    for k, (x, y, z) in enumerate(near.tolist()):
        t, fx, fy, fz = nearest_front(grid, x, y, z, _NEAR)
        if t < 0:
            continue
        foot, way = np.array([fx, fy, fz]), np.array([x - fx, y - fy, z - fz])
        long = float(np.linalg.norm(way))
        way = way / long if long > 0.02 else grid.normal[t]
        at = foot + 0.01 * p.cling * way
        if pierced(grid, *(foot + 1e-4 * way), *at)[0] < 0:
            places.append(at)
            ways.append(way)
            rows.append(k)
    return ids[rows], np.array(places).reshape(-1, 3), np.array(ways).reshape(-1, 3)


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
    joined = np.concatenate(ids)
    order = np.argsort(joined)
    return joined[order], np.concatenate(at)[order]


def _stems(
    p: ClimberParameters, name: str, told: str, soup: Soup, stems: Stems, inputs: Inputs
) -> Solid:
    key = key_of("climber stems", VERSION, told, p.thick, p.tint, p.seed)

    def make() -> Solid:
        many = np.diff(stems.first)
        kept = np.nonzero(many > 1)[0]
        rows = np.concatenate([np.arange(stems.first[s], stems.first[s + 1]) for s in kept])
        base = np.repeat(stems.left[stems.first[kept]], many[kept])
        whole = max(float(stems.left.max()), 1e-6)
        share = (base / whole) ** 0.5 * (_THIN + (1.0 - _THIN) * stems.left[rows] / base)
        room = room_about(soup.grid, stems.points, stems.first, 0.01 * p.thick)[rows]
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
    seed: int,
    soup: Soup,
    stems: Stems,
    low: float,
    inputs: Inputs,
) -> Placements:
    rule = LeafRule(seed_for(seed, "leaves"), p.dense, 0.01 * p.aside, p.bare, 0.01 * p.cling)
    ids, at, off = leaves_of(soup.grid, rule, stems.ids, stems.first, stems.points, stems.left, low)
    variant = mix.choices.choose(ids)
    rows = variant != NONE
    if p.thinned > 0:
        north = math.radians(p.thin_facing)
        away = 0.5 - 0.5 * (off[:, 0] * math.sin(north) - off[:, 2] * math.cos(north))
        rows &= uniform_array(seed, _KEPT, ids) >= 0.01 * p.thinned * away
    above = inputs.surface().sample(*(np.ascontiguousarray(at[:, c]) for c in (0, 2)))
    rows &= at[:, 1] > above.position[:, 1]
    kept = np.nonzero(rows)[0]
    if not len(kept):
        return no_placements()
    ids, at, off, variant = ids[kept], at[kept], off[kept], variant[kept]
    samples = Samples(at, off, np.ones(len(at), bool))
    # off the face, their tips hanging down
    pose = Pose(
        lean=1.0,
        turn=_HANGS,
        tilt=math.radians(p.tilt),
        size_low=p.size[0] / 100.0,
        size_high=p.size[1] / 100.0,
    )
    position, rotation, scale = set_up(
        np.uint64(seed), ids, samples.position, samples.normal, pose, facing_of(-off[:, [0, 2]])
    )
    scale = scale * own_sizes(seed, mix.choices, mix.sizes, ids, variant)
    clear = np.ones(len(ids), bool)
    for v, lines in enumerate(inputs.edges(mix.variants)):
        own = np.nonzero(variant == v)[0]
        if not len(own) or not len(lines):
            continue
        turned = Rotation.from_quat(rotation[own].astype(np.float64)).as_matrix()
        sized = lines[None] * scale[own].astype(np.float64)[:, None, None]
        ends = np.einsum("nij,nmej->nmei", turned, sized) + position[own][:, None, None]
        clear[own] = clear_lines(soup.grid, np.ascontiguousarray(ends, np.float64))
    placed = Placements(ids, variant, position, rotation, scale)
    return placed.taken(np.nonzero(clear)[0])
