"""Along paths: assets at a distance from each other along paths, on their sides or in their middle."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any, ClassVar, Literal

import numpy as np

from plough.core.arrays import Float32, Float64, UInt32
from plough.core.curves import profile_table
from plough.core.ground.conditions import Condition, sifted
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Samples
from plough.core.matters import Matters, above, among
from plough.core.parameters import (
    Id,
    Knots,
    Parameters,
    Seed,
    choice,
    count,
    curve,
    flag,
    number,
    reference,
    seeded,
    span,
    within,
)
from plough.core.place.along import (
    MOST,
    MOST_PUSHED,
    AlongRule,
    Layout,
    Sides,
    Stations,
    facing_of,
    pushed_apart,
    stations,
)
from plough.core.place.footing import gaps
from plough.core.place.placements import Placements, cut, joined
from plough.core.place.pose import Pose, set_up, widths
from plough.core.place.touches import Touch
from plough.core.place.variants import NONE
from plough.core.rng import stream, uniform_array
from plough.core.scene.document import MixEntry, mirrored, mix_of, touches_of, where
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs, Mix
from plough.core.scene.registry import layer_kind

_CONDITION, _PLACE, _OWN = stream("along.condition"), stream("along.place"), stream("along.size")
_WHOLE = ((0.0, 1.0), (1.0, 1.0))
_NOTHING = 1e-3  # of a size: what is smaller is not there
_LEVEL = 0.02  # gradient below which ground faces nowhere


def _turns(title: str) -> Any:
    return number(
        0,
        title,
        (-1440, 1440),
        soft=(-180, 180),
        unit="°/s",
        step=1,
        group="How they move",
        help="In the view while leaves move, and in the bake.",
    )


class AlongParameters(Parameters):
    """Assets along paths."""

    matters: ClassVar[Matters] = {
        "jitter": among("layout", "jittered"),
        "offset": among("sides", "left", "right", "both", "alternate"),
        "between": above("rows", 1),
        "radius": above("cluster", 1),
        "azimuth": among("facing", "fixed"),
        "east south": among("facing", "point"),
    }

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    paths: tuple[Id, ...] = reference((), "Along", "curve", group="Where")
    spacing: float = number(
        10, "Spacing", (0.1, 1000), soft=(0.5, 40), unit="m", step=0.05, group="How close"
    )
    layout: Layout = choice(
        "even",
        "Spread",
        {
            "even": "Evenly",
            "fitted": "Evenly, fitted to end exactly",
            "jittered": "Jittered",
        },
        group="How close",
    )
    jitter: float = number(
        30,
        "Jittered by up to",
        (0, 100),
        unit="%",
        step=1,
        group="How close",
        help="Of the spacing, either way.",
    )
    free_start: float = number(
        0, "Free at its start", (0, 5000), soft=(0, 60), unit="m", step=0.5, group="How close"
    )
    free_end: float = number(
        0, "Free at its end", (0, 5000), soft=(0, 60), unit="m", step=0.5, group="How close"
    )
    closeness: Knots = curve(
        _WHOLE, "How close along it", group="How close", help="From its start to its end."
    )
    sides: Sides = choice(
        "both",
        "Sides",
        {
            "both": "Both",
            "left": "Left",
            "right": "Right",
            "alternate": "By turns",
            "middle": "In its middle",
        },
        group="Rows",
    )
    offset: float = number(
        2,
        "From its middle",
        (0, 200),
        soft=(0, 15),
        unit="m",
        step=0.05,
        group="Rows",
        help="Of the first row.",
    )
    rows: int = count(1, "Rows", (1, 40), soft=(1, 8), group="Rows", help="On each side.")
    between: float = number(
        1.5, "Between rows", (0.05, 100), soft=(0.2, 10), unit="m", step=0.05, group="Rows"
    )
    cluster: int = count(
        1, "At each place", (1, 60), soft=(1, 12), group="Rows", help="So many about it."
    )
    radius: float = number(
        1, "Within", (0, 60), soft=(0, 6), unit="m", step=0.05, group="Rows", help="Of its place."
    )
    apart: Literal["no", "feet", "crowns"] = choice(
        "no",
        "Pushed apart",
        {"no": "No", "feet": "Until no feet touch", "crowns": "Until no crowns touch"},
        group="Rows",
    )
    conditions: tuple[Condition, ...] = where()
    facing: Literal["along", "across", "outwards", "point", "fixed"] = choice(
        "along",
        "Facing",
        {
            "along": "Along the path",
            "across": "Away from it",
            "outwards": "As the ground faces",
            "point": "A point",
            "fixed": "One way",
        },
        group="How they stand",
    )
    azimuth: float = number(
        180,
        "Which way",
        (0, 360),
        unit="°",
        step=1,
        group="How they stand",
        help="Clockwise from north.",
    )
    east: float = number(
        0, "East of the middle", (-4096, 4096), soft=(-256, 256), unit="m", group="How they stand"
    )
    south: float = number(
        0, "South of the middle", (-4096, 4096), soft=(-256, 256), unit="m", group="How they stand"
    )
    turn: float = number(
        0,
        "Turned by up to",
        (0, 360),
        unit="°",
        step=1,
        group="How they stand",
        help="From side to side about where they face; 360: any way.",
    )
    pitch: float = number(
        0, "Nodding by up to", (0, 90), soft=(0, 20), unit="°", step=0.5, group="How they stand"
    )
    roll: float = number(
        0, "Swaying by up to", (0, 90), soft=(0, 20), unit="°", step=0.5, group="How they stand"
    )
    lean: float = number(
        0,
        "Leans with the slope",
        (0, 100),
        unit="%",
        step=1,
        group="How they stand",
        help="0 upright, 100 square to the slope.",
    )
    mirrored: float = mirrored()
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (100, 100), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    tapering: Knots = curve(
        _WHOLE,
        "Size along it",
        group="How they stand",
        help="From its start to its end; none where it is 0.",
    )
    sink: within(-200, 500) = span(  # type: ignore[valid-type]
        (0, 0), "Sunk", (-200, 500), soft=(-20, 50), unit="cm", step=1, group="How they stand"
    )
    grounded: bool = flag(False, "Down until no gap shows", group="How they stand")
    spin: float = _turns("Spins about its upright axis")
    spin_sides: float = _turns("About that through its sides")
    spin_front: float = _turns("About that to its front")


def _rule(p: AlongParameters, seed: int) -> AlongRule:
    return AlongRule(
        seed=seed,
        spacing=p.spacing,
        layout=p.layout,
        jitter=p.jitter / 100.0,
        sides=p.sides,
        offset=p.offset,
        rows=p.rows,
        between=p.between,
        margins=(p.free_start, p.free_end),
        cluster=p.cluster,
        radius=p.radius if p.cluster > 1 else 0.0,
        closeness=p.closeness,
    )


def _pose(p: AlongParameters) -> Pose:
    return Pose(
        lean=p.lean / 100.0,
        turn=p.turn / 360.0,
        size_low=p.size[0] / 100.0,
        size_high=p.size[1] / 100.0,
        sink_low=p.sink[0] / 100.0,
        sink_high=p.sink[1] / 100.0,
        pitch=math.radians(p.pitch),
        roll=math.radians(p.roll),
    )


def _facing(p: AlongParameters, at: Stations, ground: Samples) -> Float64:
    """(n,) radians about the vertical that each faces."""
    if p.facing == "fixed":
        return np.full(len(at.x), math.pi - math.radians(p.azimuth))
    if p.facing == "point":
        return facing_of(np.stack([p.east - at.x, p.south - at.z], axis=1))
    if p.facing == "across":
        return facing_of(at.out)
    if p.facing == "along":
        return facing_of(at.tangent)
    way = ground.normal[:, [0, 2]]
    level = np.hypot(*way.T) < _LEVEL
    return facing_of(np.where(level[:, None], at.tangent, way))


def _sizes(p: AlongParameters, mix: Mix, at: Stations, variant: UInt32, seed: int) -> Float32:
    """(n,) by what the size of each is multiplied, as one of its asset and by where it stands."""
    table = profile_table(p.tapering)
    along = np.interp(at.share, np.linspace(0, 1, len(table)), table)
    low, high = np.array([e.size for e in mix.entries]).T[:, mix.choices.asset_of(variant)] / 100.0
    own = low + (high - low) * uniform_array(seed, _OWN, at.ids)
    return np.asarray(along * own, np.float32)


def _along(
    p: AlongParameters, mix: Mix, name: str, path: Curve, most: int, inputs: Inputs
) -> tuple[Placements, int]:
    """What stands along one path, at most so many, and how many still touch."""
    inputs.check()
    seed, surface, pose = inputs.seed(p.seed), inputs.surface(), _pose(p)
    at = stations(_rule(p, seed), name, path, most)
    variant = mix.choices.choose(at.ids)
    there = np.nonzero(variant != NONE)[0]
    at, variant = at.taken(there), variant[there]
    scale = _sizes(p, mix, at, variant, seed)
    there = np.nonzero(scale > _NOTHING)[0]
    at, variant, scale = at.taken(there), variant[there], scale[there]
    at, left = _apart(p, mix, at, variant, scale * widths(seed, at.ids, pose), inputs)
    ground = surface.sample(at.x, at.z)
    draw = uniform_array(seed, _CONDITION, at.ids)
    rows = sifted(inputs.weighted(p.conditions), ground, draw)
    at, ground, variant, scale = at.taken(rows), ground.taken(rows), variant[rows], scale[rows]
    position, rotation, size = set_up(
        np.uint64(seed), at.ids, ground.position, ground.normal, pose, _facing(p, at, ground)
    )
    size = size * scale[:, None]
    if p.grounded:
        feet = inputs.feet(mix.variants)[variant] * size[:, 0]
        position[:, 1] -= np.maximum(0.0, gaps(surface, position, rotation, feet))
    return Placements(at.ids, variant, position, rotation, size), left


def _apart(
    p: AlongParameters, mix: Mix, at: Stations, variant: UInt32, size: Float32, inputs: Inputs
) -> tuple[Stations, int]:
    """`at` pushed apart, where that is asked for, and how many still touch."""
    if p.apart == "no":
        return at, 0
    of = inputs.crowns if p.apart == "crowns" else inputs.feet
    radius = np.asarray(of(mix.variants)[variant] * size, np.float32)
    rank = uniform_array(inputs.seed(p.seed), _PLACE, at.ids)
    x, z, left = pushed_apart(at.x, at.z, radius, rank)
    return replace(at, x=x, z=z), left


@layer_kind(
    "along",
    "Along paths",
    "Assets in a row, or several, beside paths or on them.",
    AlongParameters,
    gives=("placements",),
)
def evaluate(p: AlongParameters, inputs: Inputs) -> Output:
    """Placements along each path."""
    mix = inputs.mix(p.mix, p.mirrored)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to stand along it")
    if not p.paths:
        inputs.find("nothing-chosen", "no path is chosen to stand along")
    paths = inputs.paths(p.paths)
    if not mix.variants or not paths:
        return Output(placements=TiledPlacements(mix.variants))
    made: list[tuple[Placements, int]] = []
    room = MOST if p.apart == "no" else MOST_PUSHED
    for name, path in paths:
        made.append(_along(p, mix, name, path, room, inputs))
        room -= made[-1][0].count
    left = sum(n for _, n in made)
    if left:
        inputs.find("touching", f"{left:,} touch others still; raise the spacing or the offset")
    whole = joined([placed for placed, _ in made])
    place = uniform_array(inputs.seed(p.seed), _PLACE, whole.ids).astype(np.float32)
    tiles = tuple(cut(whole, place)) if whole.count else ()
    follows = tuple(name for name, _ in paths)
    spin = (p.spin_sides, p.spin, p.spin_front)
    return Output(placements=TiledPlacements(mix.variants, tiles, spin), follows=follows)
