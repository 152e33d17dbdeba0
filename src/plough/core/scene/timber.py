"""Timber along runs: its skin, and the gates that hang in walls."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial
from typing import Protocol

import numpy as np

from plough.core.arrays import Float64
from plough.core.build.ware import Ware
from plough.core.collider import Collider
from plough.core.hashing import key_of
from plough.core.lay.beams import Beams, Wear, beamed
from plough.core.lay.gates import LEAST, GateName, GateRule, gate_in, height_in
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span
from plough.core.lay.skin import Skin
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh
from plough.core.parameters import linear, parse_color
from plough.core.rng import seed_for
from plough.core.scene.facets import Solid
from plough.core.scene.inputs import Inputs
from plough.core.tiles import tile_of

VERSION = 1  #: raised when the same gate comes out otherwise
SLOT = "timber"


class Timber:
    """How timber looks."""

    def __init__(
        self,
        seed: int,
        own: int,
        light: str = "#a89c86",
        dark: str = "#6b6152",
        tones: float = 0.6,
        moss: float = 0.2,
        moss_color: str = "#66702f",
        damp: float = 0.6,
        worn: float = 0.005,
    ) -> None:
        drawn = Ware("wood", own % 4, 512, parse_color(light), parse_color(dark), 0.7, 26, 0.0)
        self.material = Material(SLOT, drawn, roughness=0.95)
        green = tuple((np.array(linear(moss_color)) / 0.25).clip(0, 1).tolist())
        self.skin = Skin(seed_for(seed, "skin"), 1.0, tones, 0.4, 0.2, moss, green, damp)
        self.wear = Wear(seed_for(seed, "wear"), worn, 0.0)
        self.key = key_of(VERSION, repr(self.material), repr(self.skin), repr(self.wear))

    def mesh(self, beams: Beams, ground: Float64, worn: bool = True) -> Mesh:
        """The mesh of beams over ground (n,) in metres, with their edges as they are or sharp."""
        wear = self.wear if worn else self.wear._replace(edge=0.0)
        return beamed(beams, wear, self.skin, ground, SLOT, runs_up=True)

    def solid(
        self, name: str, key: str, beams: Beams, ground: Float64, collider: Collider
    ) -> Solid:
        """Beams as a solid."""
        mesh = self.mesh(beams, ground)
        middle = mesh.positions.mean(axis=0)
        (tile,) = tile_of(middle[:1], middle[2:]).tolist()
        used = {SLOT: self.material}
        coarser = (partial(self.mesh, beams, ground, False),) if self.wear.edge > 0 else ()
        return Solid(
            name, mesh, used, key, tile=(tile[0], tile[1]), collider=collider, coarser=coarser
        )


class Gated(Protocol):
    """Parameters of what has gates."""

    @property
    def gate(self) -> GateName: ...
    @property
    def ajar(self) -> float: ...


def hung(
    p: Gated,
    spans: Sequence[Span],
    openings: Sequence[Sequence[Opening]],
    standing: float,
    timber: Timber,
    inputs: Inputs,
) -> list[Solid]:
    """The gates in the openings of something so high."""
    if p.gate == "none":
        return []
    rule = GateRule(p.gate, math.radians(p.ajar), 0.0)
    out = []
    for span, own in zip(spans, openings, strict=True):
        for o in own:
            if not 0 <= 0.5 * (o.start + o.end) < span.length or o.end - o.start < LEAST:
                continue
            name = f"gate {span.number} {o.id}"
            key = key_of("gate", name, timber.key, span.key, repr(o), repr(rule), standing)
            make = partial(_gate, name, key, span, o, standing, rule, timber)
            out.append(inputs.kept(key, make, lambda s: s.mesh.nbytes))
    return out


def _gate(
    name: str, key: str, span: Span, o: Opening, standing: float, rule: GateRule, timber: Timber
) -> Solid:
    beams = gate_in(span, o, height_in(o, standing), rule)
    ground = np.full(len(beams), span.height(0.5 * (o.start + o.end)))
    return timber.solid(name, key, beams, ground, Collider((), tuple(beams.boxes())))
