"""A street: houses along paths, with landmarks among them, hedged or walled plots, trees, lamps and a paved way."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, ClassVar, Literal, NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.build.stone import Stone
from plough.core.errors import TooLargeError
from plough.core.ground.conditions import Condition, sifted
from plough.core.ground.paths import Curve
from plough.core.lay.paving import Paving, many_of, way_of
from plough.core.lay.skin import Skin
from plough.core.layers.wall import WallParameters, walls_along
from plough.core.library.variants import Variant
from plough.core.matters import Matters, above, among
from plough.core.mesh.material import Material
from plough.core.parameters import (
    Color,
    Id,
    Parameters,
    Seed,
    choice,
    color,
    count,
    flag,
    number,
    parse_color,
    reference,
    seeded,
)
from plough.core.place.along import facing_of
from plough.core.place.placements import Placements, cut, joined, no_placements
from plough.core.place.pose import Pose, set_up
from plough.core.place.rules import own_sizes
from plough.core.place.street import (
    Course,
    PlotRule,
    Plots,
    StreetRule,
    StreetSides,
    clear_of,
    course_of,
    ground_of,
    hedge_lines,
    ordered,
    plot_lines,
    plots_of,
    polygons_at,
    reaches,
    wall_lines,
    with_room,
)
from plough.core.place.touches import Touch
from plough.core.place.variants import NONE
from plough.core.rng import seed_for, stream, uniform_array
from plough.core.scene.document import MixEntry, mix_of, part_mix, touches_of, where
from plough.core.scene.facets import Output, Solid, TiledPlacements
from plough.core.scene.inputs import Inputs, Mix
from plough.core.scene.paved import PAVINGS, paved_path
from plough.core.scene.registry import layer_kind

MOST = 20_000  #: trees, lamps or shrubs of one street
_LANDMARK, _CONDITION, _PLACE = (stream(f"street.{n}") for n in ("landmark", "condition", "place"))
MOST_PAVED = 20_000  #: stones of one street
MOST_WALLED = 40_000  #: stones of the walls about plots along one path
_JOINT, _CROWN = 0.010, 0.045  # metres
_GREEN, _LICHEN = (0.55, 0.75, 0.30), (189, 187, 156)
_DRY = 0.1  # metres of the ground above water, at least
_BESIDE = 0.1  # metres between walls and what they keep clear of
_WALK = 0.6  # metres between houses and what else stands in a street


class StreetParameters(Parameters):
    """Houses along paths, and what stands about them."""

    matters: ClassVar[Matters] = {
        "between": above("rows", 1),
        "hedge hedge_spacing": among("plots", "hedge"),
        "hedge_front hedge_deep gate hedge_seed": among("plots", "hedge", "wall"),
        "wall_high wall_thick wall_stones wall_light wall_dark": among("plots", "wall"),
        "slab way lift kerb light dark way_seed": among("paved", "flags", "setts", "cobbles"),
        "tree_offset": among("trees_stand", "outside"),
    }

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    paths: tuple[Id, ...] = reference((), "Along", "curve", group="Where")
    conditions: tuple[Condition, ...] = where()
    spacing: float = number(
        14, "Spacing", (3, 200), soft=(6, 40), unit="m", step=0.5, group="Houses", help="Of plots."
    )
    jitter: float = number(
        12, "Jittered by up to", (0, 50), unit="%", step=1, group="Houses", help="Of the spacing."
    )
    sides: Literal["both", "left", "right", "alternate"] = choice(
        "both",
        "Sides",
        {"both": "Both", "left": "Left", "right": "Right", "alternate": "By turns"},
        group="Houses",
    )
    back: float = number(
        3,
        "Set back",
        (0, 100),
        soft=(0, 15),
        unit="m",
        step=0.1,
        group="Houses",
        help="From the border of the path to their fronts.",
    )
    uneven: float = number(
        1, "Some by more", (0, 50), soft=(0, 6), unit="m", step=0.1, group="Houses"
    )
    rows: int = count(1, "Rows", (1, 4), group="Houses", help="On each side.")
    between: float = number(
        22, "From row to row", (4, 200), soft=(10, 50), unit="m", step=0.5, group="Houses"
    )
    turn: float = number(
        8,
        "Turned by up to",
        (0, 180),
        soft=(0, 45),
        unit="°",
        step=1,
        group="Houses",
        help="From side to side; they face the path.",
    )
    apart: float = number(
        2,
        "Apart",
        (0, 100),
        soft=(0, 12),
        unit="m",
        step=0.1,
        group="Houses",
        help="Between two, at least.",
    )
    landmarks: tuple[MixEntry, ...] = part_mix("Landmarks", "Landmarks")
    landmark_share: float = number(
        10, "In place of a house", (0, 100), unit="%", step=1, group="Landmarks"
    )
    landmark_apart: float = number(
        120,
        "From their like",
        (0, 5000),
        soft=(0, 400),
        unit="m",
        step=1,
        group="Landmarks",
        help="At least.",
    )
    landmark_seed: Seed = seeded("Which", group="Landmarks")
    plots: Literal["none", "hedge", "wall"] = choice(
        "none",
        "Plots",
        {"none": "Open", "hedge": "Hedged", "wall": "Walled"},
        group="Plots",
        help="Of the first row.",
    )
    hedge: tuple[MixEntry, ...] = part_mix("Of", "Plots")
    hedge_spacing: float = number(
        0.7, "Planted", (0.2, 20), soft=(0.3, 3), unit="m", step=0.05, group="Plots", help="Apart."
    )
    hedge_front: float = number(
        0.8,
        "From the path",
        (0, 20),
        soft=(0, 5),
        unit="m",
        step=0.1,
        group="Plots",
        help="From its border.",
    )
    hedge_deep: float = number(
        16,
        "Deep",
        (1, 200),
        soft=(5, 50),
        unit="m",
        step=0.5,
        group="Plots",
        help="Behind the fronts of the houses.",
    )
    gate: float = number(
        2, "Open before the door", (0, 20), soft=(0, 6), unit="m", step=0.1, group="Plots"
    )
    hedge_seed: Seed = seeded("Stand by", group="Plots")
    wall_high: float = number(
        1.0, "Walls high", (0.3, 4), soft=(0.4, 2), unit="m", step=0.05, group="Plots"
    )
    wall_thick: float = number(
        0.4, "And thick", (0.2, 1.5), soft=(0.25, 0.7), unit="m", step=0.01, group="Plots"
    )
    wall_stones: float = number(
        28, "Of stones", (5, 80), soft=(10, 45), unit="cm", step=1, group="Plots", help="High."
    )
    wall_light: Color = color("#a39a88", "Light", "Plots")
    wall_dark: Color = color("#6a6457", "Dark", "Plots")
    trees: tuple[MixEntry, ...] = part_mix("Trees", "Trees")
    trees_stand: Literal["middle", "outside"] = choice(
        "outside",
        "They stand",
        {"outside": "Beside the path", "middle": "In its middle"},
        group="Trees",
    )
    tree_spacing: float = number(
        12, "Apart", (0.5, 500), soft=(3, 40), unit="m", step=0.5, group="Trees"
    )
    tree_offset: float = number(
        1.5,
        "From its border",
        (0, 100),
        soft=(0, 10),
        unit="m",
        step=0.1,
        group="Trees",
    )
    tree_jitter: float = number(
        25, "Jittered by up to", (0, 100), unit="%", step=1, group="Trees", help="Of their spacing."
    )
    tree_seed: Seed = seeded("Where they stand", group="Trees")
    lamps: tuple[MixEntry, ...] = part_mix("Lamps", "Lamps")
    lamp_spacing: float = number(
        18, "Apart", (1, 500), soft=(5, 60), unit="m", step=0.5, group="Lamps"
    )
    lamp_offset: float = number(
        0.5, "From its border", (-20, 50), soft=(-2, 5), unit="m", step=0.1, group="Lamps"
    )
    lamp_seed: Seed = seeded("Which of them", group="Lamps")
    paved: Literal["none", "flags", "setts", "cobbles"] = choice(
        "none", "Paved", PAVINGS, group="Way"
    )
    slab: float = number(
        0.55,
        "Stones",
        (0.1, 3),
        soft=(0.15, 1),
        unit="m",
        step=0.05,
        group="Way",
        help="Along the path.",
    )
    way: float = number(
        0, "Wide", (0, 40), soft=(0, 12), unit="m", step=0.1, group="Way", help="0: as the path."
    )
    lift: float = number(
        0.04, "Above the ground", (0, 2), soft=(0, 0.3), unit="m", step=0.01, group="Way"
    )
    kerb: bool = flag(False, "Kerbs", group="Way")
    light: Color = color("#a09a8e", "Light", "Way")
    dark: Color = color("#6d685f", "Dark", "Way")
    way_seed: Seed = seeded("Laid by", group="Way")


class Built(NamedTuple):
    """The houses along one path."""

    course: Course
    plots: Plots
    shapes: list[Any]  #: their outlines, as polygons
    half: Float64  #: (n,) metres from the middle of each to its sides
    placed: Placements
    lost: int  #: plots that had no room


@layer_kind(
    "street",
    "Street",
    "Houses along paths, with landmarks, plots, trees, lamps and a paved way.",
    StreetParameters,
    gives=("placements", "solids"),
)
def evaluate(p: StreetParameters, inputs: Inputs) -> Output:
    """Placements and ways along each path."""
    parts = (p.mix, p.landmarks, p.hedge if p.plots == "hedge" else (), p.trees, p.lamps)
    mixes = [inputs.mix(m) for m in parts]
    first = np.cumsum([0, *(len(m.variants) for m in mixes)]).tolist()
    variants: tuple[Variant, ...] = tuple(v for m in mixes for v in m.variants)
    if not p.paths:
        inputs.find("nothing-chosen", "no path is chosen for it to run along")
    if not any(parts) and p.paved == "none":
        inputs.find("nothing-chosen", "nothing is chosen to stand along it")
    if p.plots == "hedge" and not p.hedge:
        inputs.find("nothing-chosen", "nothing is chosen for the hedges of its plots")
    paths = inputs.paths(p.paths)
    kept = (*inputs.cleared(), *(c.strip for name, c in inputs.walked() if name not in p.paths))
    others = [*(ground_of(s) for s in kept), *polygons_at(*inputs.built())]
    placed: list[Placements] = []
    shapes: list[Any] = []
    lost = 0
    solids: list[Solid] = []
    for name, path in paths:
        inputs.check()
        taken = [*others, ground_of(path.strip), *shapes]
        built = _houses(p, mixes[0], mixes[1], first, name, path, taken, inputs)
        lost += built.lost
        shapes += built.shapes
        placed.append(built.placed)
        if mixes[2].variants:
            placed.append(_hedges(p, mixes[2], first[2], built, [*others, *shapes], inputs))
        if p.plots == "wall":
            solids += _walls(p, built, [*others, *shapes], inputs)
    trees = _trees(p, inputs.seed(p.tree_seed))
    lamps = StreetRule(inputs.seed(p.lamp_seed), p.lamp_spacing, 0.0, "alternate", p.lamp_offset)
    for name, path in paths:
        course = course_of(path)
        if mixes[3].variants:
            at = plots_of(trees, f"trees {name}", course, MOST, "tree_spacing")
            placed.append(_standing(mixes[3], first[3], at, p.tree_seed, 1.0, shapes, inputs))
        if mixes[4].variants:
            at = plots_of(lamps, f"lamps {name}", course, MOST, "lamp_spacing")
            placed.append(_standing(mixes[4], first[4], at, p.lamp_seed, 0.0, shapes, inputs))
        if p.paved != "none":
            solids += _way(p, name, path, inputs)
    if lost and not shapes:
        text = f"none of {lost} plots has room for a house beside paths, water and walls; set houses back, or take smaller ones"
        inputs.find("no-room", text)
    whole = joined(placed)
    order = uniform_array(inputs.seed(p.seed), _PLACE, whole.ids).astype(np.float32)
    tiles = tuple(cut(whole, order)) if whole.count else ()
    follows = tuple(name for name, _ in paths)
    placements = TiledPlacements(variants, tiles, together=p.plots == "hedge")
    return Output(placements=placements, solids=tuple(solids), follows=follows)


def _houses(
    p: StreetParameters,
    mix: Mix,
    landmarks: Mix,
    first: Sequence[int],
    name: str,
    path: Curve,
    taken: list[Any],
    inputs: Inputs,
) -> Built:
    """What stands on the plots along a path."""
    seed, surface, course = inputs.seed(p.seed), inputs.surface(), course_of(path)
    none = Built(course, _no_plots(), [], np.empty(0), no_placements(), 0)
    if not mix.variants and not landmarks.variants:
        return none
    rule = StreetRule(
        seed, p.spacing, 0.01 * p.jitter, p.sides, p.back, p.uneven, p.rows, p.between
    )
    plots = plots_of(rule, name, course)
    variant = _chosen(p, mix, landmarks, first, plots.ids, inputs)
    there = np.nonzero(variant >= 0)[0]
    plots, variant = plots.taken(there), variant[there]
    x, z = (np.ascontiguousarray(plots.front[:, c]) for c in range(2))
    ground = surface.sample(x, z)
    draw = uniform_array(seed, _CONDITION, plots.ids)
    rows = sifted(inputs.weighted(p.conditions), ground, draw)
    plots, variant = plots.taken(rows), variant[rows]
    if not len(rows):
        return none
    outlines = inputs.plans((*mix.variants, *landmarks.variants))
    sizes = _sizes(mix, landmarks, first, plots.ids, variant, seed)
    rings = [s * outlines[v] for v, s in zip(variant.tolist(), sizes.tolist(), strict=True)]
    upright = np.tile([0.0, 1.0, 0.0], (len(rows), 1))
    pose, facing = Pose(turn=p.turn / 180.0), facing_of(-plots.out)
    position, rotation, scale = set_up(
        np.uint64(seed), plots.ids, 0.0 * upright, upright, pose, facing
    )
    turn = 2.0 * np.arctan2(rotation[:, 1], rotation[:, 3]).astype(np.float64)
    # however they are turned, what is foremost of them stands in line
    half, deep = reaches(rings, turn - facing)
    middle = plots.front + deep[:, None] * plots.out
    position[:, [0, 2]] = middle
    shapes = polygons_at(rings, middle, turn)
    floor, dry = _floors(shapes, inputs)
    assets = [v.asset for v in (*mix.variants, *landmarks.variants)]
    alike = np.array([assets.index(a) for a in assets], np.int64)[variant]
    far = np.where(variant >= first[1], p.landmark_apart, 0.0)
    order = ordered(seed, plots)
    free = with_room(shapes, dry, taken, p.apart, order[dry[order]], alike, middle, far)
    position[:, 1] = floor
    rows = np.nonzero(free)[0]
    placed = Placements(
        plots.ids,
        variant.astype(np.uint32),
        position,
        rotation,
        (scale * sizes[:, None]).astype(np.float32),
    )
    return Built(
        course,
        plots.taken(rows),
        [shapes[k] for k in rows],
        half[rows],
        placed.taken(rows),
        len(free) - len(rows),
    )


def _no_plots() -> Plots:
    none, pairs = np.empty(0), np.empty((0, 2))
    whole = np.empty(0, np.int64)
    return Plots(np.empty(0, np.uint64), none, whole, whole, pairs, pairs)


def _chosen(
    p: StreetParameters,
    mix: Mix,
    landmarks: Mix,
    first: Sequence[int],
    ids: UInt64,
    inputs: Inputs,
) -> Int64:
    """(n,) rows of the variants that stand on plots; -1 where nothing does."""
    out = np.full(len(ids), -1, np.int64)
    mark = np.zeros(len(ids), bool)
    if landmarks.variants:
        draw = uniform_array(inputs.seed(p.landmark_seed), _LANDMARK, ids)
        mark = draw < 0.01 * p.landmark_share
    for found, of, rows in ((mix, first[0], ~mark), (landmarks, first[1], mark)):
        if found.variants and rows.any():
            chosen = found.choices.choose(ids[rows])
            out[rows] = np.where(chosen == NONE, -1, chosen.astype(np.int64) + of)
    return out


def _sizes(
    mix: Mix, landmarks: Mix, first: Sequence[int], ids: UInt64, variant: Int64, seed: int
) -> Float64:
    """(n,) what the size of each house is multiplied by."""
    out = np.ones(len(ids))
    for found, of, rows in (
        (mix, first[0], variant < first[1]),
        (landmarks, first[1], variant >= first[1]),
    ):
        if rows.any():
            own = (variant[rows] - of).astype(np.uint32)
            out[rows] *= own_sizes(seed, found.choices, found.sizes, ids[rows], own)[:, 0]
    return out


def _floors(shapes: Sequence[Any], inputs: Inputs) -> tuple[Float64, Bool]:
    """(n,) metres of the highest ground beneath each outline, on which it stands; and whether there is dry ground beneath all of it."""
    from shapely import get_coordinates, segmentize

    rings = segmentize(np.array(shapes, object), 1.0)
    at, of = get_coordinates(rings, return_index=True)
    found = inputs.surface().sample(np.ascontiguousarray(at[:, 0]), np.ascontiguousarray(at[:, 1]))
    level = -np.inf if inputs.water is None else inputs.water + _DRY
    floor, there = np.full(len(shapes), -np.inf), np.ones(len(shapes), bool)
    np.maximum.at(floor, of, found.position[:, 1])
    np.logical_and.at(there, of, found.hit & (found.position[:, 1] > level))
    return floor, there


def _hedges(
    p: StreetParameters, mix: Mix, first: int, built: Built, taken: list[Any], inputs: Inputs
) -> Placements:
    seed = inputs.seed(p.hedge_seed)
    rule = PlotRule(seed, p.hedge_front, p.hedge_deep, p.gate, p.hedge_spacing)
    ids, at, faces = hedge_lines(rule, built.course, built.plots, built.half, MOST)
    rows = np.nonzero(clear_of(at, taken, _WALK))[0]
    return _set(mix, first, ids[rows], at[rows], facing_of(faces[rows]), seed, 0.03, inputs)


def _walls(p: StreetParameters, built: Built, taken: list[Any], inputs: Inputs) -> list[Solid]:
    """Walls about plots, where they have room and dry ground."""
    seed = inputs.seed(p.hedge_seed)
    size = p.wall_stones
    stone = WallParameters(
        seed=p.hedge_seed,
        points=((0.0, 0.0), (1.0, 0.0)),
        height=p.wall_high,
        thickness=p.wall_thick,
        sizes=(0.7 * size, 1.3 * size),
        cope=min(0.22, 0.25 * p.wall_high),
        light=p.wall_light,
        dark=p.wall_dark,
    )
    rule = PlotRule(seed, p.hedge_front + 0.5 * p.wall_thick, p.hedge_deep, p.gate, 1.0)
    lines = plot_lines(rule, built.course, built.plots, built.half)
    many = stone.stones_of(float(lines.long.sum()))
    if many > MOST_WALLED:
        text = f"walls of the plots would take about {many:,.0f} stones; the limit is {MOST_WALLED:,}: take larger ones, or lower walls"
        raise TooLargeError("wall_stones", text, limit=f"{MOST_WALLED:,} stones", value=size)

    def free(at: Float64) -> Bool:
        ground = inputs.surface().sample(*(np.ascontiguousarray(at[:, c]) for c in range(2)))
        level = -np.inf if inputs.water is None else inputs.water + _DRY
        dry = ground.hit & (ground.position[:, 1] > level)
        return np.asarray(clear_of(at, taken, 0.5 * p.wall_thick + _BESIDE) & dry)

    return walls_along(
        stone, seed, wall_lines(built.course, built.plots, lines, p.wall_thick, free), inputs
    )


def _trees(p: StreetParameters, seed: int) -> StreetRule:
    sides: StreetSides = "both" if p.trees_stand == "outside" else "middle"
    return StreetRule(seed, p.tree_spacing, 0.01 * p.tree_jitter, sides, p.tree_offset)


def _standing(
    mix: Mix, first: int, at: Plots, own: int, turn: float, shapes: Sequence[Any], inputs: Inputs
) -> Placements:
    """What stands at places that keep clear of houses; it faces the path."""
    at = at.taken(clear_of(at.front, shapes, _WALK))
    seed = inputs.seed(own)
    return _set(mix, first, at.ids, at.front, facing_of(-at.out), seed, turn, inputs)


def _set(
    mix: Mix,
    first: int,
    ids: UInt64,
    at: Float64,
    facing: Float64,
    seed: int,
    turn: float,
    inputs: Inputs,
) -> Placements:
    """Things of a part on dry ground; `turn` as that of `Pose`."""
    variant = mix.choices.choose(ids)
    ground = inputs.surface().sample(*(np.ascontiguousarray(at[:, c]) for c in range(2)))
    level = -np.inf if inputs.water is None else inputs.water
    dry = ground.hit & (ground.position[:, 1] > level)
    rows = np.nonzero((variant != NONE) & dry)[0]
    if not len(rows):
        return no_placements()
    ids, variant, ground = ids[rows], variant[rows], ground.taken(rows)
    position, rotation, scale = set_up(
        np.uint64(seed), ids, ground.position, ground.normal, Pose(turn=turn), facing[rows]
    )
    scale = scale * own_sizes(seed, mix.choices, mix.sizes, ids, variant)
    return Placements(ids, variant + np.uint32(first), position, rotation, scale)


def _way(p: StreetParameters, name: str, path: Curve, inputs: Inputs) -> list[Solid]:
    """The paving of a path."""
    assert p.paved != "none"
    rule = Paving(inputs.seed(p.way_seed), p.paved, p.slab, _JOINT, p.lift, _CROWN)
    half = np.full(len(path.line), 0.5 * p.way) if p.way else path.half
    many = many_of(way_of(path.line, half), rule)
    if many > MOST_PAVED:
        text = f"paving would take {many:,.0f} stones; they are larger, to be {MOST_PAVED:,} at most: take larger ones"
        inputs.find("paving-coarser", text)
        rule = rule._replace(size=rule.size * math.sqrt(many / MOST_PAVED))
    skin = Skin(seed_for(rule.seed, "skin"), 1.0, 0.5, 0.7, 0.9, 0.12, _GREEN, 0.0)
    drawn = Stone(
        p.way_seed % 4,
        512,
        parse_color(p.light),
        parse_color(p.dark),
        60,
        0.3,
        0.5,
        0.1,
        0.1,
        _LICHEN,
    )
    stone = Material("stone", drawn, roughness=1.0)
    return paved_path(name, course_of(path), rule, p.way, p.kerb, skin, stone, inputs)
