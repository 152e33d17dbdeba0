"""A brick run: blocks of one size laid along a line in a bond, with openings wherever a path crosses."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from plough.core.arrays import Float64
from plough.core.build.stone import Stone
from plough.core.collider import Collider
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.hashing import digest, key_of
from plough.core.lay.beams import Wear, beamed, upright
from plough.core.lay.block_list import Blocks
from plough.core.lay.bonds import BondName
from plough.core.lay.brick_grid import SHALLOW, grid_of, snapped
from plough.core.lay.brick_rule import BrickRule
from plough.core.lay.bricks import Bricks, Laid, laid_bricks
from plough.core.lay.elevation import of_bricks
from plough.core.lay.filling import Fill, Rectangle, filled
from plough.core.lay.gates import GateName
from plough.core.lay.line import Line
from plough.core.lay.on_wall import boxed
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span, run_curve
from plough.core.lay.skin import Skin
from plough.core.matters import Matters, above, among
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, join
from plough.core.parameters import (
    Color,
    choice,
    color,
    count,
    flag,
    linear,
    number,
    parse_color,
)
from plough.core.rng import seed_for
from plough.core.scene.facets import Finding, Output, Shaped, Solid
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

VERSION = 1  #: raised when the same run comes out otherwise
MOST_BLOCKS = 30_000
_PIECE = 8.0  # metres of a span that are one piece
_RECESS = 0.003  # metres that mortar lies behind the faces
_FLAGSTONE = Stone(1, 512, (163, 154, 136), (106, 100, 87), 60, 0.3, 0.6, 0.1, 0.1, (189, 187, 156))
_FLAT = 0.002  # metres that it departs from a bend


def _size(default: float, title: str, most: float, help: str = "") -> Any:
    return number(
        default, title, (20, most), soft=(50, 500), unit="mm", step=1, group="Blocks", help=help
    )


class BricksParameters(RunParameters):
    """A brick run."""

    matters: ClassVar[Matters] = {
        "rows turn_even turn_odd": among("bond", "running", "third", "stack", "pierced"),
        "step": among("follows", "steps"),
        "beside": among("crossed", "open", "lintel"),
        "clear": among("crossed", "lintel"),
        "ajar": among("gate", "bars", "boards"),
        "apron": among("paved", "flags", "setts", "cobbles"),
        "mortar": among("joints", "mortar"),
        "moss_color": above("moss"),
        "lichen_color": above("lichen"),
    }

    long: float = _size(240, "Long", 3000)
    wide: float = _size(115, "Wide", 2000)
    high: float = _size(65, "High", 2000)
    gap: float = number(
        10,
        "Joints along it",
        (1, 500),
        soft=(2, 60),
        unit="mm",
        step=1,
        group="Blocks",
        help="At least; what is left over between two points is shared among them.",
    )
    bed: float = number(
        10,
        "Between courses",
        (0, 200),
        soft=(0, 30),
        unit="mm",
        step=1,
        group="Blocks",
    )
    bond: BondName = choice(
        "english",
        "Bond",
        {
            "running": "Running, half over half",
            "third": "Running, by thirds",
            "stack": "Stacked",
            "header": "Headers",
            "english": "English: stretchers and headers by turns",
            "garden": "Garden wall: three of stretchers, one of headers",
            "flemish": "Flemish: stretcher and header in each",
            "pierced": "Pierced",
        },
        group="Bond",
    )
    rows: int = count(1, "Rows", (1, 4), group="Bond", help="Side by side.")
    turn_even: float = number(
        0, "Even courses turned", (-90, 90), soft=(-45, 45), unit="°", step=1, group="Bond"
    )
    turn_odd: float = number(
        0, "Odd courses turned", (-90, 90), soft=(-45, 45), unit="°", step=1, group="Bond"
    )
    courses: int = count(20, "Courses", (1, 120), soft=(3, 60), group="Height")
    follows: Literal["level", "steps"] = choice(
        "steps",
        "Its top",
        {"level": "Is level", "steps": "Follows the ground in steps"},
        group="Height",
    )
    step: float = number(
        3.0, "Steps", (0.8, 20), soft=(1, 6), unit="m", step=0.1, group="Height", help="Long."
    )
    footing: float = number(
        0.2, "Footing", (0.02, 3), soft=(0.05, 1), unit="m", step=0.05, group="Height"
    )
    cap: bool = flag(True, "Blocks on edge over it", group="Height")
    joints: Literal["dry", "mortar"] = choice(
        "mortar", "Joints", {"dry": "Dry", "mortar": "In mortar"}, group="Joints"
    )
    mortar: Color = color("#a79f90", "Mortar", "Joints")
    worn: float = number(
        4, "Edges worn", (0, 40), soft=(0, 15), unit="mm", step=0.5, group="Joints"
    )
    uneven: float = number(1.5, "Uneven", (0, 20), soft=(0, 8), unit="mm", step=0.5, group="Joints")
    crossed: Literal["none", "open", "lintel"] = choice(
        "open",
        "Where a path crosses",
        {"none": "It goes on", "open": HEADS["open"], "lintel": HEADS["lintel"]},
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
    light: Color = color("#9e6550", "Light", "Skin")
    dark: Color = color("#6d4034", "Dark", "Skin")
    tones: float = number(0.8, "Of several tones", (0, 1), group="Skin")
    grain: int = count(70, "Grains", (4, 160), soft=(20, 120), group="Skin", help="A metre.")
    lichen: float = number(0.0, "Lichen", (0, 1), group="Skin")
    lichen_color: Color = color("#bdbb9c", "Of lichen", "Skin")
    moss: float = number(0.2, "Moss", (0, 1), group="Skin", help="Where it looks up.")
    moss_color: Color = color("#5d6b2c", "Of moss", "Skin")
    damp: float = number(0.5, "Dark at the foot", (0, 1), group="Skin")

    @model_validator(mode="after")
    def _stands(self) -> BricksParameters:
        named_apart(self.openings)
        if any(o.head == "arch" for o in self.openings):
            raise ValueError("openings: blocks of one size make no arch; take a lintel")
        most = self._blocks()
        if most > MOST_BLOCKS:
            raise ValueError(
                f"courses: about {most:,.0f} blocks; the limit is {MOST_BLOCKS:,}: lay fewer, or make the run shorter or the blocks larger"
            )
        return self

    def _blocks(self) -> float:
        """About how many blocks it is of."""
        rule = rule_of(self)
        cap = self.length / (0.001 * (self.high + self.gap)) if self.cap else 0.0
        deep = self.courses + (self.footing + SHALLOW) / rule.pitch
        return rule.dense * self.length * deep + cap


def rule_of(p: BricksParameters) -> BrickRule:
    """How it is laid."""
    return BrickRule(
        block=(0.001 * p.long, 0.001 * p.wide, 0.001 * p.high),
        gap=0.001 * p.gap,
        bed=0.001 * p.bed,
        bond=p.bond,
        rows=p.rows,
        turns=(math.radians(p.turn_even), math.radians(p.turn_odd)),
        courses=p.courses,
        level=p.follows == "level",
        step=p.step,
        footing=p.footing,
        cap=p.cap,
    )


def _trace(p: BricksParameters) -> Curve:
    return run_curve(p.points, p.bends, p.closed, rule_of(p).thickness)


def _shape(p: BricksParameters, ground: Surface, inputs: Inputs) -> Shaped:
    """Nothing grows in it."""
    return Shaped(ground, (own_curve(inputs).strip,))


def _looks(p: BricksParameters, seed: int) -> tuple[Wear, Skin, Fill, dict[str, Material]]:
    light, dark = np.array(linear(p.light)), np.array(linear(p.dark))
    baked = 0.5 * (light + dark)
    green = tuple((np.array(linear(p.moss_color)) / np.maximum(baked, 0.02)).clip(0, 1).tolist())
    skin = Skin(seed_for(seed, "skin"), 1.0, p.tones, 0.5, 0.35, p.moss, green, p.damp)
    drawn = Stone(
        p.seed % 4,
        512,
        parse_color(p.light),
        parse_color(p.dark),
        p.grain,
        0.35,
        0.45,
        0.0,
        p.lichen,
        parse_color(p.lichen_color),
    )
    materials = {
        "brick": Material("brick", drawn, roughness=1.0),
        "fill": Material("fill", roughness=1.0),
    }
    wear = Wear(seed_for(seed, "wear"), 0.001 * p.worn, 0.001 * p.uneven)
    return (
        wear,
        skin,
        Fill(_RECESS + 0.6 * wear.uneven + 0.3 * wear.edge, linear(p.mortar)),
        materials,
    )


@layer_kind(
    "bricks",
    "Brick run",
    "Blocks of one size laid along a line in a bond, and read as a list by those who build it.",
    BricksParameters,
    gives=("curve", "solids", "blocks", "elevation"),
    shape=_shape,
    trace=_trace,
)
def evaluate(p: BricksParameters, inputs: Inputs) -> Output:
    """The run, piece by piece."""
    spans, rule = own_spans(p.bends, inputs), rule_of(p)
    sharp = p.bends == "sharp"
    grids = [grid_of(s, rule, Line(s, sharp)) for s in spans]

    def snap(k: int, o: Opening) -> Opening:
        return snapped(o, grids[k], rule)

    openings = openings_of(p, spans, inputs, p.clear, snap)
    key = key_of("bricks", VERSION, [s.key for s in spans], repr(rule), repr(openings), sharp)
    laid = inputs.kept(
        key,
        lambda: laid_bricks(spans, rule, openings, grids, sharp, MOST_BLOCKS),
        lambda x: 200 * len(x.bricks) + 1000,
    )
    looks = _looks(p, inputs.seed(p.seed))
    told = key_of(VERSION, repr(looks), p.joints)

    solids = []
    for k, span in enumerate(spans):
        inputs.check()
        solids += _pieces(k, span, laid, rule, p, looks, told, inputs)
    standing = rule.courses * rule.pitch
    seed = inputs.seed(p.seed)
    solids += hung(p, spans, openings, standing, Timber(seed, p.seed), inputs)
    stone = replace(looks[3]["brick"], name="stone", maps=_FLAGSTONE)
    through = Through(rule.thickness, -1.0, seed, looks[1], stone)
    solids += paved_through(p, spans, openings, through, inputs)
    findings = (
        *tight(spans, p.closed, rule.thickness, inputs),
        *into_itself(spans, p.closed, rule.thickness, inputs),
        *_amiss(p, rule, laid, spans, inputs),
    )
    return Output(
        curves=(own_curve(inputs),),
        solids=tuple(solids),
        findings=findings,
        blocks=Blocks.of(laid.bricks),
        elevation=partial(of_bricks, laid.bricks, spans, openings, standing),
    )


def _pieces(
    k: int,
    span: Span,
    laid: Laid,
    rule: BrickRule,
    p: BricksParameters,
    looks: tuple[Wear, Skin, Fill, dict[str, Material]],
    told: str,
    inputs: Inputs,
) -> list[Solid]:
    """The solids of a span."""
    own = np.nonzero(laid.bricks.span == k)[0]
    at = laid.bricks.at[own]
    count = max(1, round(span.length / _PIECE))
    edges = np.linspace(0.0, span.length, count + 1)
    chunk = np.clip(np.searchsorted(edges, at, "right") - 1, 0, count - 1)
    out = []
    for c in range(count):
        bricks = laid.bricks.taken(own[chunk == c])
        within = (
            -math.inf if c == 0 else float(edges[c]),
            math.inf if c == count - 1 else float(edges[c + 1]),
        )
        core = [
            (max(a, within[0]), min(b, within[1]), low, high)
            for a, b, low, high in laid.cores[k]
            if min(b, within[1]) - max(a, within[0]) > 0.01
        ]
        if not len(bricks):
            continue
        arrays = (bricks.middle, bricks.turn, bricks.size, bricks.id)
        ground = np.interp(bricks.at, span.at, span.ground)
        key = key_of(
            "brick piece",
            told,
            [digest(a.tobytes()) for a in arrays],
            digest(ground.tobytes()),
            core,
        )
        make = partial(_made, f"{k} {c}", key, bricks, ground, core, span, rule, p, looks)
        out.append(inputs.kept(key_of(key, k, c), make, lambda s: s.mesh.nbytes))
    return out


def _made(
    name: str,
    key: str,
    bricks: Bricks,
    ground: Float64,
    core: Sequence[Rectangle],
    span: Span,
    rule: BrickRule,
    p: BricksParameters,
    looks: tuple[Wear, Skin, Fill, dict[str, Material]],
) -> Solid:
    wear, skin, fill, materials = looks
    beams = upright(bricks.middle, bricks.turn, bricks.size, bricks.id)
    frame = Line(span, p.bends == "sharp").frame(0.5 * rule.thickness)
    behind_them: list[Mesh] = []
    if p.joints == "mortar" and core and not rule.turned and rule.bond != "pierced":
        # behind the faces of straight blocks in a bend
        sag = 0.125 * rule.block[0] ** 2 * span.bend
        behind = min(fill.behind + sag, 0.4 * rule.thickness)
        every = math.sqrt(8.0 * _FLAT / max(span.bend, 0.01))
        behind_them = [filled(core, frame, fill._replace(behind=behind), skin, every)]

    def laid(edge: float) -> Mesh:
        return join([beamed(beams, wear._replace(edge=edge), skin, ground, "brick"), *behind_them])

    mesh = laid(wear.edge)
    middle = mesh.positions.mean(axis=0)
    (tile,) = tile_of(middle[:1], middle[2:]).tolist()
    used = {part.material: materials[part.material] for part in mesh.parts}
    collider = Collider((), tuple(boxed(frame, core)))
    return Solid(
        name,
        mesh,
        used,
        key,
        tile=(tile[0], tile[1]),
        collider=collider,
        coarser=(partial(laid, 0.0),) if wear.edge > 0 else (),
    )


def _amiss(
    p: BricksParameters, rule: BrickRule, laid: Laid, spans: list[Span], inputs: Inputs
) -> list[Finding]:
    """What of it cannot be laid as it is asked for."""
    out = []

    def told(code: str, text: str, span: Span, s: float, measure: float) -> None:
        x, z = span.place(s)
        place = (x, span.height(s), z)
        out.append(Finding(code, text, "warning", inputs.layer_id, place, measure=measure))

    worst = max(laid.grids, key=lambda g: g.tightest if g.count else 0.0)
    if worst.count and worst.tightest > max(0.003, 0.5 * rule.gap):
        x, z = worst.span.place(worst.bend_at)
        wider = 1000 * (rule.gap + worst.tightest)
        text = f"joints are {wider:.0f} mm wide near ({x:.1f}, {z:.1f}), where it bends too tightly for its blocks; bend it less, or take shorter blocks"
        told("joints-widened", text, worst.span, worst.bend_at, wider)
    if len(laid.lost):
        first = laid.lost.taken(np.arange(1))
        x, _, z = first.middle[0].tolist()
        many = "a block has" if len(laid.lost) == 1 else f"{len(laid.lost)} blocks have"
        text = f"{many} no room near ({x:.1f}, {z:.1f}); move a point, or turn blocks less"
        span = spans[int(first.span[0])]
        told("block-lost", text, span, float(first.at[0]), float(len(laid.lost)))
    if laid.hanging:
        k, s, high = max(laid.hanging, key=lambda h: h[2])
        x, z = spans[k].place(s)
        text = f"it ends {high:.1f} m above the ground near ({x:.1f}, {z:.1f}), which falls too far there; lay it in shorter steps, or elsewhere"
        told("hangs", text, spans[k], s, high)
    most = 500 * max(0.0, rule.block[0] - rule.gap)
    if rule.bonded.headers and p.wide > most + 0.1:
        text = f"headers are cut to {most:.0f} mm: in this bond two and their joint lie in the length of a block; make blocks narrower or longer, or joints thinner"
        told("blocks-cut", text, spans[0], 0.0, most)
    return out
