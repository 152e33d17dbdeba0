"""A stone wall along a line: dry or in mortar, in courses or of rubble, with openings wherever a path crosses."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from plough.core.arrays import Float64, UInt64
from plough.core.build.stone import Stone
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.hashing import digest, key_of
from plough.core.lay.dressing import Dress
from plough.core.lay.elevation import of_wall
from plough.core.lay.fallen import Lost, fallen, lying
from plough.core.lay.filling import Fill
from plough.core.lay.gates import GateName
from plough.core.lay.masonry import Plan
from plough.core.lay.rule import Opening, WallRule
from plough.core.lay.run import Span, run_curve, spans_of
from plough.core.lay.skin import Skin
from plough.core.lay.wall import SILL_STANDS, Piece, collider_of, laid_wall, mesh_of
from plough.core.matters import Matters, above, among
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh
from plough.core.parameters import (
    Color,
    Seed,
    choice,
    color,
    count,
    linear,
    number,
    parse_color,
    seeded,
    span,
    within,
)
from plough.core.rng import seed_for
from plough.core.scene.facets import Output, Shaped, Solid, solid
from plough.core.scene.inputs import Inputs
from plough.core.scene.paved import Through, apron, paved_through, paving
from plough.core.scene.registry import layer_kind
from plough.core.scene.runs import (
    HEADS,
    RunOpening,
    RunParameters,
    ajar,
    beside,
    clear,
    gate,
    into_itself,
    named_apart,
    openings_of,
    own_curve,
    own_openings,
    own_spans,
    tight,
)
from plough.core.scene.timber import Timber, hung
from plough.core.tiles import tile_of

VERSION = 2  #: raised when the same wall comes out otherwise
MOST_STONES = 30_000
_PROUD = 1.15  # times as wide as it is told, with what stands out of its faces
MOST_OPENINGS = 60
_THINNEST = 0.12  # metres of a wall's top


class WallParameters(RunParameters):
    """A stone wall."""

    matters: ClassVar[Matters] = {
        "step": among("follows", "steps"),
        "uneven": among("bond", "courses"),
        "cope": among("coping", "flat", "upright"),
        "beside clear": among("crossed", "open", "lintel", "arch"),
        "clear": among("crossed", "lintel", "arch"),
        "ajar": among("gate", "bars", "boards"),
        "apron": among("paved", "flags", "setts", "cobbles"),
        "mortar": among("joints", "mortar"),
        "moss_color": above("moss"),
        "lichen_color": above("lichen"),
        "ruin_seed lying": above("ruin"),
    }

    height: float = number(
        1.3, "Height", (0.3, 8), soft=(0.5, 3), unit="m", step=0.05, group="Course"
    )
    thickness: float = number(
        0.55,
        "Thickness",
        (0.2, 3),
        soft=(0.3, 1.2),
        unit="m",
        step=0.01,
        group="Course",
        help="At the ground.",
    )
    batter: float = number(
        4,
        "Faces lean back",
        (0, 20),
        soft=(0, 12),
        unit="°",
        step=0.5,
        group="Course",
        help="As far as its top is thick enough for that.",
    )
    follows: Literal["slope", "steps"] = choice(
        "slope",
        "Follows the ground",
        {"slope": "By its slope", "steps": "In level steps"},
        group="Course",
    )
    step: float = number(
        2.5, "Steps", (0.8, 20), soft=(1, 6), unit="m", step=0.1, group="Course", help="Long."
    )
    footing: float = number(
        0.3, "Footing", (0.05, 3), soft=(0.1, 1), unit="m", step=0.05, group="Course"
    )
    bond: Literal["courses", "rubble"] = choice(
        "courses", "Laid", {"courses": "In courses", "rubble": "As rubble"}, group="Stones"
    )
    sizes: within(3, 80) = span(  # type: ignore[valid-type]
        (11, 24),
        "Stones high",
        (3, 80),
        soft=(5, 45),
        unit="cm",
        step=0.5,
        group="Stones",
        help="At the top, and at the foot.",
    )
    lengths: within(50, 500) = span(  # type: ignore[valid-type]
        (90, 230),
        "And long",
        (50, 500),
        soft=(70, 400),
        unit="%",
        step=1,
        group="Stones",
        help="Of their height.",
    )
    uneven: float = number(0.8, "Uneven courses", (0, 1), group="Stones")
    ties: float = number(
        1.1,
        "Through stones",
        (0, 10),
        soft=(0, 3),
        unit="m",
        step=0.05,
        group="Stones",
        help="So far from each other; none at 0.",
    )
    coping: Literal["none", "flat", "upright"] = choice(
        "upright",
        "Coping",
        {"none": "None", "flat": "Flat stones", "upright": "Stones on edge"},
        group="Stones",
    )
    cope: float = number(
        0.22, "Its height", (0.03, 0.8), soft=(0.05, 0.4), unit="m", step=0.01, group="Stones"
    )
    joints: Literal["dry", "mortar"] = choice(
        "dry", "Joints", {"dry": "Dry", "mortar": "In mortar"}, group="Joints"
    )
    gap: float = number(
        12, "Wide", (2, 50), soft=(4, 30), unit="mm", step=1, group="Joints", help="On the whole."
    )
    rounded: float = number(0.55, "Corners taken off", (0, 1), group="Joints")
    rough: float = number(0.55, "Rough faces", (0, 1), group="Joints")
    worn: float = number(18, "Edges worn", (2, 60), soft=(4, 40), unit="mm", step=1, group="Joints")
    mortar: Color = color("#b8ab94", "Mortar", "Joints")
    crossed: Literal["none", "open", "lintel", "arch"] = choice(
        "open",
        "Where a path crosses",
        {"none": "It goes on", **HEADS},
        group="Openings",
        help="That people walk.",
    )
    beside: float = beside()
    clear: float = clear()
    gate: GateName = gate()
    ajar: float = ajar()
    paved: Literal["none", "flags", "setts", "cobbles"] = paving()
    apron: float = apron()
    openings: tuple[RunOpening, ...] = own_openings()
    ruin: float = number(0, "Fallen", (0, 100), unit="%", step=1, group="Ruin")
    ruin_seed: Seed = seeded("Where", group="Ruin")
    lying: float = number(
        50,
        "Still lying there",
        (0, 100),
        unit="%",
        step=1,
        group="Ruin",
        help="Of what has fallen.",
    )
    light: Color = color("#a39a88", "Light", "Skin")
    dark: Color = color("#6a6457", "Dark", "Skin")
    tones: float = number(0.7, "Of several tones", (0, 1), group="Skin")
    grain: int = count(60, "Grains", (4, 160), soft=(20, 120), group="Skin", help="A metre.")
    lichen: float = number(0.2, "Lichen", (0, 1), group="Skin")
    lichen_color: Color = color("#bdbb9c", "Of lichen", "Skin")
    moss: float = number(0.35, "Moss", (0, 1), group="Skin", help="Where it looks up.")
    moss_color: Color = color("#5d6b2c", "Of moss", "Skin")
    damp: float = number(0.5, "Dark at the foot", (0, 1), group="Skin")

    @model_validator(mode="after")
    def _stands(self) -> WallParameters:
        named_apart(self.openings)
        most = self._stones()
        if most > MOST_STONES:
            raise ValueError(
                f"sizes: about {most:,.0f} stones; the limit is {MOST_STONES:,}: make them larger or the wall shorter"
            )
        return self

    def _stones(self) -> float:
        return self.stones_of(self.length)

    def stones_of(self, length: float) -> float:
        """About how many stones so many metres of it are of."""
        mean = 0.005 * sum(self.sizes)
        long = mean * 0.005 * sum(self.lengths)
        copes = {"none": 0.0, "flat": 3.2, "upright": 0.5}[self.coping]  # lengths by heights
        cope = length / (copes * self.cope) if copes else 0.0
        faces: float = 2.0 * length * (self.height + self.footing) / (mean * long)
        return faces + cope


def _trace(p: WallParameters) -> Curve:
    return run_curve(p.points, p.bends, p.closed, p.thickness)


def _shape(p: WallParameters, ground: Surface, inputs: Inputs) -> Shaped:
    """Nothing grows in a wall."""
    return Shaped(ground, (own_curve(inputs).strip,))


def rule_of(p: WallParameters, seed: int) -> WallRule:
    """How it is built."""
    return WallRule(
        seed=seed,
        height=p.height,
        thickness=p.thickness,
        batter=min(math.tan(math.radians(p.batter)), (p.thickness - _THINNEST) / (2 * p.height)),
        footing=p.footing,
        courses=p.bond == "courses",
        sizes=(0.01 * p.sizes[0], 0.01 * p.sizes[1]),
        lengths=(0.01 * p.lengths[0], 0.01 * p.lengths[1]),
        uneven=p.uneven,
        ties=p.ties,
        coping=p.coping,
        cope=p.cope,
        steps=p.step if p.follows == "steps" else 0.0,
        ruin=0.01 * p.ruin,
        ruin_seed=p.ruin_seed,
    )


Looks = tuple[Dress, Skin, Fill, dict[str, Material]]


def _looks(p: WallParameters, seed: int) -> Looks:
    dress = Dress(
        seed_for(seed, "dress"), 0.001 * p.gap, p.rounded, p.rough, 0.025 * p.rough, 0.001 * p.worn
    )
    light, dark = np.array(linear(p.light)), np.array(linear(p.dark))
    stone = 0.5 * (light + dark)
    green = tuple((np.array(linear(p.moss_color)) / np.maximum(stone, 0.02)).clip(0, 1).tolist())
    mortar = p.joints == "mortar"
    skin = Skin(
        seed_for(seed, "skin"), 1.0, p.tones, 0.7, 0.35 if mortar else 0.9, p.moss, green, p.damp
    )
    fill = Fill(
        dress.proud + 0.3 * dress.bevel + 0.012 if mortar else min(0.09, 0.2 * p.thickness),
        linear(p.mortar) if mortar else (0.05, 0.046, 0.04),
    )
    drawn = Stone(
        p.seed % 4,
        512,
        parse_color(p.light),
        parse_color(p.dark),
        p.grain,
        0.3,
        0.6,
        0.1,
        p.lichen,
        parse_color(p.lichen_color),
    )
    materials = {
        "stone": Material("stone", drawn, roughness=1.0),
        "fill": Material("fill", roughness=1.0),
    }
    return dress, skin, fill, materials


@layer_kind(
    "wall",
    "Stone wall",
    "Stones laid along a line, in courses or as rubble, with openings where paths cross.",
    WallParameters,
    gives=("curve", "solids", "elevation"),
    shape=_shape,
    trace=_trace,
)
def evaluate(p: WallParameters, inputs: Inputs) -> Output:
    """The wall, piece by piece."""
    spans = own_spans(p.bends, inputs)
    seed = inputs.seed(p.seed)
    openings = openings_of(p, spans, inputs, p.clear)
    looks = _looks(p, seed)
    pieces, lost, solids = _laid(rule_of(p, seed), looks, spans, openings, inputs)
    solids += hung(p, spans, openings, p.height, Timber(seed, p.seed), inputs)
    sill = SILL_STANDS + looks[0].proud + 0.02 * p.rough
    through = Through(p.thickness, sill, seed, looks[1], looks[3]["stone"])
    solids += paved_through(p, spans, openings, through, inputs)
    if lost and p.lying > 0:
        solids += _fallen(
            p, [lying(x, looks[0], seed, 0.01 * p.lying) for x in lost], looks, inputs
        )
    findings = (
        *tight(spans, p.closed, p.thickness, inputs),
        *into_itself(spans, p.closed, _PROUD * p.thickness, inputs),
    )
    return Output(
        curves=(own_curve(inputs),),
        solids=tuple(solids),
        elevation=partial(of_wall, pieces, spans, openings, p.follows == "steps", p.height),
        findings=findings,
    )


def walls_along(
    p: WallParameters, seed: int, lines: Sequence[tuple[UInt64, Float64]], inputs: Inputs
) -> list[Solid]:
    """Walls by themselves, each with an id, along the points (k, 2) of its line."""
    looks, surface, out = _looks(p, seed), inputs.surface(), []
    for id_, points in lines:
        curve = run_curve(list(map(tuple, points.tolist())), p.bends, False, p.thickness)
        spans = inputs.kept(
            key_of("spans", curve.key, p.bends, surface.key),
            lambda curve=curve: spans_of(curve, p.bends, surface),  # type: ignore[misc]
            lambda found, many=len(curve.line): 200 * many,  # type: ignore[misc]
        )
        rule = rule_of(p, int(seed_for(seed, f"{int(id_):x}")))
        solids = _laid(rule, looks, spans, [[] for _ in spans], inputs)[2]
        out += [replace(s, name=f"{int(id_):x} {s.name}") for s in solids]
    return out


def _laid(
    rule: WallRule,
    looks: Looks,
    spans: Sequence[Span],
    openings: list[list[Opening]],
    inputs: Inputs,
) -> tuple[list[Piece], list[Lost], list[Solid]]:
    """The pieces of a wall, what has fallen of it, and what stands of it as solids."""

    def plan(key: str, make: Callable[[], Plan]) -> Plan:
        return inputs.kept(key, make, lambda found: 400 * len(found.stones))

    pieces, lost = laid_wall(spans, rule, openings, plan)
    told = key_of(VERSION, repr(looks))

    def made(piece: Piece) -> Solid | None:
        inputs.check()
        key = f"wall {piece.key} {told}"
        return inputs.kept(key, partial(_made, piece, key, *looks), _bytes)

    return pieces, lost, [s for s in map(made, pieces) if s is not None]


def _made(
    piece: Piece, key: str, dress: Dress, skin: Skin, fill: Fill, materials: dict[str, Material]
) -> Solid | None:
    mesh = mesh_of(piece, dress, skin, fill)
    if mesh is None:
        return None
    middle = mesh.positions.mean(axis=0)
    (tile,) = tile_of(middle[:1], middle[2:]).tolist()
    used = {part.material: materials[part.material] for part in mesh.parts}
    return Solid(
        piece.name,
        mesh,
        used,
        key_of(key),
        tile=(tile[0], tile[1]),
        collider=collider_of(piece),
        coarser=tuple(partial(_coarser, piece, dress, skin, fill, d) for d in (1, 2)),
    )


def _coarser(piece: Piece, dress: Dress, skin: Skin, fill: Fill, detail: int) -> Mesh:
    made = mesh_of(piece, dress, skin, fill, detail)
    assert made is not None  # it stands at every level or at none
    return made


def _fallen(
    p: WallParameters,
    lost: list[Lost],
    looks: Looks,
    inputs: Inputs,
) -> list[Solid]:
    """What lies at the foot of a wall that has fallen."""
    dress, skin, _, materials = looks
    surface, seed = inputs.surface(), inputs.seed(p.ruin_seed)
    told = [[x.span.key, digest(x.stones.corners.tobytes(), x.stones.id.tobytes())] for x in lost]
    beside = [digest(box.tobytes()) for x in lost for box in x.beside]
    key = key_of("fallen", VERSION, told, beside, repr(looks), surface.key)

    def make() -> list[Mesh | None]:
        half = 0.5 * p.thickness
        return fallen(lost, half, surface, dress, skin, seed, inputs.check)

    made = inputs.kept(key, make, lambda ms: 100 + sum(m.nbytes for m in ms if m))
    return [
        solid(f"fallen {k}", mesh, {"stone": materials["stone"]})
        for k, mesh in enumerate(made)
        if mesh is not None
    ]


def _bytes(made: Solid | None) -> int:
    return made.mesh.nbytes if made else 100
