"""The parameters of a shrub or hedge."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator, Field

from plough.core.grow.covering import (
    Woody,
)
from plough.core.matters import Acts, Matters, Told, among, either, filled
from plough.core.parameters import Knots, Sections, choice, count, curve, number, sections


def _line(line: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    for (ax, az), (bx, bz) in zip(line, line[1:], strict=False):
        if math.hypot(bx - ax, bz - az) < 0.05:
            raise ValueError("points of the line must be at least 0.05 m apart")
    return line


_Metre = Annotated[float, Field(ge=-60, le=60)]
Line = Annotated[
    tuple[tuple[_Metre, _Metre], ...], Field(min_length=2, max_length=24), AfterValidator(_line)
]


class ShrubParameters(Woody):
    """A body filled with twigs and leaves."""

    stages: ClassVar = ("Body", "Twigs", "Leaves", "Leaf", "Skin", "Detail", "Game")

    matters: ClassVar[Matters] = {
        "profile line": among("body", "hedge"),
        "form": among("body", "own"),
        "depth": among("body", "ball", "box", "tube", "own"),
        "rounded": among("body", "box", "tube", "own")
        + either(among("body", "box", "tube"), filled("form", False)),  # none yet: a tube
        "overshoot": among("growth", "loose"),
    }
    acts: ClassVar[Acts] = {
        "Twigs": ("twigs",),
        "Skin": ("stems", "branches", "twigs"),
        "stems": ("stems",),
        "branches": ("branches",),
        "stem_thickness": ("stems", "branches"),
    }
    told: ClassVar[Told] = {
        "Twigs": {
            "stems": ("stem", "stems"),
            "branches": ("limb", "limbs"),
            "twigs": ("twig", "twigs"),
        },
    }

    body: Literal["ball", "box", "tube", "hedge", "own"] = choice(
        "ball",
        "Body",
        {
            "ball": "Ball",
            "box": "Box",
            "tube": "Tube",
            "hedge": "Hedge along a line",
            "own": "From a mesh",
        },
        group="Body",
    )
    height: float = number(1.6, "Height", (0.1, 20), soft=(0.2, 5), unit="m", group="Body")
    width: float = number(
        1.7,
        "Width",
        (0.1, 30),
        soft=(0.2, 6),
        unit="m",
        group="Body",
        help="Of a hedge: across its line.",
    )
    depth: float = number(
        1.6, "Depth", (0.1, 30), soft=(0.2, 6), unit="m", group="Body", help="Not of a hedge."
    )
    foot: float = number(
        0.1,
        "Clear of the ground",
        (0, 3),
        soft=(0, 1),
        unit="m",
        group="Body",
        help="Bare below this height.",
    )
    rounded: float = number(0.3, "Rounded edges", (0, 1), group="Body", help="Of box and tube.")
    profile: Knots = curve(
        ((0, 0.85), (0.5, 1), (0.88, 0.82), (1, 0.4)),
        "Hedge from the end",
        group="Body",
        help="Half its width, from foot to top.",
    )
    line: Line = Field(
        ((-2, 0), (-0.6, 0.35), (0.7, -0.3), (2, 0)),
        title="Line of the hedge",
        description="East and south, in metres.",
        json_schema_extra={
            "control": "line",
            "unit": "m",
            "group": "Body",
            "least": 2,
            "handle": {"form": "line"},
        },
    )
    form: Sections = sections(
        "Body from a mesh", group="Body", help="Radii measured from a mesh; none yet: a tube."
    )
    uneven: float = number(
        0.35, "Uneven", (0, 1), group="Body", help="Bulges and hollows of the whole body."
    )

    growth: Literal["clipped", "loose"] = choice(
        "loose", "Grows", {"clipped": "Clipped", "loose": "Loose"}, group="Twigs"
    )
    shell: float = number(
        0.35, "Depth of the leafy shell", (0.02, 5), soft=(0.05, 1), unit="m", group="Twigs"
    )
    density: float = number(
        46,
        "Twigs",
        (1, 1500),
        soft=(5, 200),
        unit="/m²",
        step=1,
        group="Twigs",
        help="On the body's surface; more leave the others.",
    )
    overshoot: float = number(
        0.5,
        "Twigs overshoot",
        (0, 3),
        soft=(0, 1.5),
        unit="of shell",
        group="Twigs",
        help="Of loose growth.",
    )
    gravitropism: float = number(0.55, "Turn upward", (-1, 2), soft=(-0.5, 1.5), group="Twigs")
    thickness: float = number(
        3, "Twig thickness", (0.5, 30), soft=(1, 10), unit="mm", step=0.5, group="Twigs"
    )
    stems: int = count(
        7, "Stems", (1, 60), soft=(1, 24), group="Twigs", help="Of a hedge: on each two metres."
    )
    branches: int = count(9, "Limbs on a stem", (1, 40), soft=(2, 20), group="Twigs")
    stem_thickness: float = number(
        16, "Stem thickness", (2, 200), soft=(5, 60), unit="mm", step=1, group="Twigs"
    )

    leaf_count: float = number(
        11,
        "Amount",
        (0, 200),
        soft=(0, 60),
        unit="/m",
        step=0.1,
        group="Leaves",
        help="On each metre of twig.",
    )
    leaf_size: float = number(
        0.16,
        "Length",
        (0.01, 3),
        soft=(0.03, 0.6),
        unit="m",
        group="Leaves",
        help="Of a card, or of a shaped leaf.",
    )
    leaf_normals: float = number(0.55, "Body-shaped normals", (0, 1), group="Leaves")
    bark_tile: float = number(
        0.3, "Texture repeat", (0.05, 4), soft=(0.1, 2), unit="m", group="Skin"
    )
