"""A fence along a line: posts with rails, pales or boards, and gates where paths cross."""

from __future__ import annotations

import math
from functools import partial
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from plough.core.collider import Collider
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.hashing import key_of
from plough.core.lay.fencing import MOST_BAYS, FenceRule, Style, fence_of
from plough.core.lay.gates import GateName, GateRule
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span, run_curve
from plough.core.matters import Matters, above, among
from plough.core.parameters import Color, choice, color, count, number
from plough.core.scene.facets import Output, Shaped, Solid
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind
from plough.core.scene.runs import (
    RunOpening,
    RunParameters,
    ajar,
    beside,
    gate,
    into_itself,
    named_apart,
    openings_of,
    own_curve,
    own_openings,
    own_spans,
)
from plough.core.scene.timber import Timber

VERSION = 1  #: raised when the same fence comes out otherwise
MOST_PALES = 20_000
_THICK = 0.022  # metres of pales and boards


class FenceParameters(RunParameters):
    """A fence."""

    matters: ClassVar[Matters] = {
        "pale": among("style", "pales", "boards"),
        "gap": among("style", "pales"),
        "beside": among("crossed", "open"),
        "ajar": among("gate", "bars", "boards"),
        "moss_color": above("moss"),
    }

    style: Style = choice(
        "rails",
        "Built of",
        {"rails": "Posts and rails", "pales": "Pales", "boards": "Boards"},
        group="Fence",
    )
    height: float = number(
        1.2, "Height", (0.3, 4), soft=(0.5, 2.5), unit="m", step=0.05, group="Fence"
    )
    bay: float = number(
        2.2,
        "Posts apart",
        (0.4, 8),
        soft=(1, 4),
        unit="m",
        step=0.05,
        group="Fence",
        help="At most; shared out between points.",
    )
    post: float = number(
        110, "Posts thick", (30, 500), soft=(60, 250), unit="mm", step=1, group="Timber"
    )
    rails: int = count(3, "Rails", (1, 8), soft=(1, 5), group="Fence")
    rail: float = number(
        95, "Rails high", (4, 400), soft=(30, 200), unit="mm", step=1, group="Timber"
    )
    thin: float = number(
        40, "And thick", (4, 200), soft=(15, 100), unit="mm", step=1, group="Timber"
    )
    pale: float = number(
        90, "Pales wide", (15, 500), soft=(40, 250), unit="mm", step=1, group="Timber"
    )
    gap: float = number(
        60, "Between pales", (1, 1000), soft=(10, 150), unit="mm", step=1, group="Timber"
    )
    lift: float = number(
        0.1, "Above the ground", (0, 2), soft=(0, 0.5), unit="m", step=0.01, group="Fence"
    )
    off: float = number(0.35, "Out of true", (0, 1), group="Timber")
    worn: float = number(
        5, "Edges worn", (0, 40), soft=(0, 15), unit="mm", step=0.5, group="Timber"
    )
    crossed: Literal["none", "open"] = choice(
        "open",
        "Where a path crosses",
        {"none": "It goes on", "open": "It is open"},
        group="Openings",
        help="That people walk.",
    )
    beside: float = beside()
    gate: GateName = gate("bars")
    ajar: float = ajar()
    openings: tuple[RunOpening, ...] = own_openings()
    light: Color = color("#a89c86", "Light", "Skin")
    dark: Color = color("#6b6152", "Dark", "Skin")
    tones: float = number(0.6, "Of several tones", (0, 1), group="Skin")
    moss: float = number(0.2, "Moss", (0, 1), group="Skin", help="Where it looks up.")
    moss_color: Color = color("#66702f", "Of moss", "Skin")
    damp: float = number(0.6, "Dark at the foot", (0, 1), group="Skin")

    @model_validator(mode="after")
    def _stands(self) -> FenceParameters:
        named_apart(self.openings)
        if any(o.head != "open" for o in self.openings):
            raise ValueError("openings: a fence has nothing over its openings; take them open")
        bays = self.length / self.bay
        if bays > MOST_BAYS:
            raise ValueError(
                f"bay: about {bays:,.0f} posts; the limit is {MOST_BAYS:,}: set them farther apart"
            )
        pitch = self.pale + (self.gap if self.style == "pales" else 3)
        pales = 1000 * self.length / pitch if self.style != "rails" else 0.0
        if pales > MOST_PALES:
            raise ValueError(
                f"pale: about {pales:,.0f} pales; the limit is {MOST_PALES:,}: make them wider"
            )
        return self


def _trace(p: FenceParameters) -> Curve:
    return run_curve(p.points, p.bends, p.closed, 0.001 * p.post)


def _shape(p: FenceParameters, ground: Surface, inputs: Inputs) -> Shaped:
    """No stem stands in it."""
    return Shaped(ground, (own_curve(inputs).strip,))


def rule_of(p: FenceParameters, seed: int) -> FenceRule:
    """How it is built."""
    return FenceRule(
        seed=seed,
        style=p.style,
        height=p.height,
        bay=p.bay,
        post=0.001 * p.post,
        rails=p.rails,
        rail=(0.001 * p.rail, 0.001 * p.thin),
        pale=(0.001 * p.pale, _THICK),
        gap=0.001 * p.gap,
        lift=min(p.lift, 0.6 * p.height),
        off=p.off,
        gates=GateRule(p.gate, math.radians(p.ajar), max(0.12, 0.0014 * p.post)),
    )


@layer_kind(
    "fence",
    "Fence",
    "Posts along a line with rails, pales or boards, and gates where paths cross.",
    FenceParameters,
    gives=("curve", "solids"),
    shape=_shape,
    trace=_trace,
)
def evaluate(p: FenceParameters, inputs: Inputs) -> Output:
    """The fence, span by span."""
    spans, seed = own_spans(p.bends, inputs), inputs.seed(p.seed)
    openings = openings_of(p, spans, inputs)
    rule = rule_of(p, seed)
    timber = Timber(
        seed, p.seed, p.light, p.dark, p.tones, p.moss, p.moss_color, p.damp, 0.001 * p.worn
    )
    told = key_of(VERSION, repr(rule), timber.key, p.bends)
    solids = []
    for k, span in enumerate(spans):
        inputs.check()
        key = key_of("fence", told, k, span.key, repr(openings[k]))
        made = inputs.kept(
            key,
            partial(_made, f"{k}", key, span, openings[k], rule, p.bends, timber),
            lambda s: s.mesh.nbytes if s else 100,
        )
        if made is not None:
            solids.append(made)
    findings = into_itself(spans, p.closed, rule.post, inputs)
    return Output(curves=(own_curve(inputs),), solids=tuple(solids), findings=tuple(findings))


def _made(
    name: str,
    key: str,
    span: Span,
    openings: list[Opening],
    rule: FenceRule,
    bends: str,
    timber: Timber,
) -> Solid | None:
    fenced = fence_of(span, bends == "sharp", openings, rule)
    if not len(fenced.beams):
        return None
    ground = np.interp(fenced.at, span.at, span.ground)
    return timber.solid(name, key, fenced.beams, ground, Collider((), tuple(fenced.bodies)))
