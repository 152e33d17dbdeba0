"""What kinds of layer that spread assets over the ground have in common: what, how close, and how they stand."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from plough.core.ground.conditions import Condition
from plough.core.matters import Matters, among
from plough.core.parameters import Parameters, Seed, choice, flag, number, seeded, span, within
from plough.core.place.brush import MOST_STROKES, BrushStroke, Brushwork
from plough.core.place.placements import PlacedTile
from plough.core.place.pose import Pose
from plough.core.place.room import Room, with_room
from plough.core.place.rules import ScatterRule, scatter
from plough.core.place.touches import Touch
from plough.core.scene.document import MixEntry, mirrored, mix_of, touches_of, where
from plough.core.scene.inputs import Inputs, Mix


def painting() -> Any:
    """What a brush painted on a layer; the field's type is `tuple[BrushStroke, ...]`."""
    return Field(
        (),
        max_length=MOST_STROKES,
        title="Painted",
        description="Strokes of the brush, in order: which assets may stand where.",
        json_schema_extra={"control": "strokes", "unit": "", "group": "Brush"},
    )


class PaintedOver(Parameters):
    """A rule with a brush over it."""

    only_painted: bool = flag(
        False, "Only where it is painted", group="Brush", help="Else all but what the brush erased."
    )
    strokes: tuple[BrushStroke, ...] = painting()

    def brushwork(self, mix: Mix, fill: float) -> Brushwork | None:
        """What the brush lets stand of `mix`, up to `fill` of what fits; None: all."""
        if not (self.strokes or self.only_painted):
            return None
        return Brushwork.of(self.strokes, mix.names, self.only_painted, fill)


class Spread(Parameters):
    """Assets spread over the ground."""

    stages: ClassVar[tuple[str, ...]] = (
        "",
        "What",
        "Where",
        "Brush",
        "How close",
        "Clear of others",
        "How they stand",
        "By hand",
    )
    matters: ClassVar[Matters] = {
        "overlap": among("crowns", True),
        "tall": among("linked", False),
    }

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    spacing: float = number(
        4,
        "Spacing",
        (0.1, 200),
        soft=(0.2, 20),
        unit="m",
        step=0.05,
        group="How close",
        help="Least distance between any two stems; along a row, where there are rows.",
    )
    crowns: bool = flag(
        False, "Crown to crown", group="How close", help="Each keeps the room of its crown as well."
    )
    overlap: float = number(
        20,
        "Crowns overlap by",
        (0, 90),
        unit="%",
        step=1,
        group="How close",
        help="Of their radii, at most.",
    )
    apart: float = number(
        1,
        "From earlier layers",
        (0, 100),
        soft=(0, 10),
        unit="m",
        step=0.1,
        group="Clear of others",
        help="Gives way to what stands in layers further left.",
    )
    apart_from: Literal["stems", "feet", "crowns"] = choice(
        "stems",
        "Measured from",
        {"stems": "Their stems", "feet": "The rims of their feet", "crowns": "Their crowns"},
        group="Clear of others",
    )
    conditions: tuple[Condition, ...] = where()
    lean: float = number(
        0,
        "Leans with the slope",
        (0, 100),
        unit="%",
        step=1,
        group="How they stand",
        help="0 upright, 100 square to the slope.",
    )
    tilt: float = number(
        0,
        "Tilted by up to",
        (0, 90),
        soft=(0, 30),
        unit="°",
        step=0.5,
        group="How they stand",
        help="Away from that, each its own way.",
    )
    turn: float = number(
        360,
        "Turned by up to",
        (0, 360),
        unit="°",
        step=1,
        group="How they stand",
        help="From side to side about where they face; 360: any way.",
    )
    facing: float = number(
        180,
        "Facing",
        (0, 360),
        unit="°",
        step=1,
        group="How they stand",
        help="Clockwise from north.",
    )
    turn_step: float = number(
        0,
        "In steps of",
        (0, 180),
        soft=(0, 90),
        unit="°",
        step=1,
        group="How they stand",
        help="0: none.",
    )
    mirrored: float = mirrored()
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (85, 120), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    linked: bool = flag(
        True, "Height goes with it", group="How they stand", help="Else it is drawn by itself."
    )
    tall: within(5, 1000) = span(  # type: ignore[valid-type]
        (85, 120), "Height", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    sink: within(-200, 500) = span(  # type: ignore[valid-type]
        (0, 5), "Sunk", (-200, 500), soft=(-20, 50), unit="cm", step=1, group="How they stand"
    )
    grounded: bool = flag(
        False,
        "Down until no gap shows",
        group="How they stand",
        help="Besides that: until all of its foot is in the ground.",
    )

    def room(self, mix: Mix, inputs: Inputs, least: float = 0.0) -> Room | None:
        """How far from each other they stand besides the distance between stems; None where that is all.

        Args:
            least: metres that each keeps about its stem at least.
        """
        if not (self.crowns or least or any(e.spacing for e in mix.entries)):
            return None
        own = mix.choices.each([0.5 * e.spacing for e in mix.entries])
        stems = np.maximum(own, least).astype(np.float32)
        crowns = np.zeros(len(stems), np.float32)
        if self.crowns:
            crowns = inputs.crowns(mix.variants) * np.float32(1.0 - self.overlap / 100.0)
        largest = self.size[1] / 100.0 * max(e.size[1] / 100.0 for e in mix.entries)
        widest = max(float(stems.max()), float(crowns.max()) * largest)
        return Room(stems, crowns, widest, seed=inputs.seed(self.seed))

    def rule(self, mix: Mix, inputs: Inputs, **own: Any) -> ScatterRule:
        """The rule that all of it comes to, besides what a kind has of its `own`."""
        return ScatterRule(
            seed=inputs.seed(self.seed),
            spacing=self.spacing,
            choices=mix.choices,
            conditions=inputs.weighted(self.conditions),
            shares=inputs.likings(mix),
            sizes=mix.sizes,
            cleared=inputs.cleared(),
            apart=self.apart,
            pose=self._pose(),
            feet=inputs.feet(mix.variants) if self.grounded else np.empty(0),
            **own,
        )

    def placed(self, rule: ScatterRule, room: Room | None, inputs: Inputs) -> list[PlacedTile]:
        """What stands by `rule`, each with room about it."""
        taken = {"stems": None, "feet": inputs.feet, "crowns": inputs.crowns}[self.apart_from]
        tiles = scatter(rule, inputs.surface(), inputs.standing(taken), inputs.cache, inputs.check)
        return tiles if room is None else with_room(tiles, room, inputs.cache, inputs.check)

    def _pose(self) -> Pose:
        low, high = (s / 100.0 for s in self.size)
        tall = (0.0, 0.0) if self.linked else tuple(s / 100.0 for s in self.tall)
        return Pose(
            lean=self.lean / 100.0,
            turn=self.turn / 360.0,
            size_low=low,
            size_high=high,
            sink_low=self.sink[0] / 100.0,
            sink_high=self.sink[1] / 100.0,
            facing=math.pi - math.radians(self.facing),
            step=math.radians(self.turn_step),
            tilt=math.radians(self.tilt),
            tall_low=tall[0],
            tall_high=tall[1],
        )
