"""The parameters of a tree."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator, Field

from plough.core.grow.covering import Woody
from plough.core.matters import Acts, Matters, Told, above, among, either, filled
from plough.core.parameters import (
    Knots,
    Parameters,
    Sections,
    choice,
    count,
    curve,
    flag,
    number,
    section,
    sections,
)

BRANCHES = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh")
"""Orders of branching, the stems' aside."""

_ARRANGEMENTS = {
    "spiral": "Spiral",
    "alternate": "Alternate",
    "opposite": "Opposite",
    "whorled": "Whorls of three",
}


class BranchOrder(Parameters):
    """The branches of one order, relative to their parents."""

    matters: ClassVar[Matters] = {
        "* -count -per_metre": either(above("count"), above("per_metre")),
    }

    count: int = count(
        0,
        "Limbs",
        (0, 120),
        soft=(0, 60),
        help="On a parent of full length; shorter ones bear fewer. More limbs leave the others as they are.",
    )
    per_metre: float = number(
        0,
        "or on each metre",
        (0, 40),
        soft=(0, 12),
        unit="/m",
        step=0.1,
        help="In place of the number above, where it is more than 0.",
    )
    start: float = number(
        0.3, "Starts along parent", (0, 0.95), unit="share", help="Where the lowest limb sits."
    )
    end: float = number(0.96, "Ends along parent", (0.05, 1), unit="share")
    angle: float = number(
        60,
        "Leaves parent at",
        (5, 150),
        unit="°",
        step=1,
        help="Angle between limb and parent at the parent's base.",
    )
    tip_angle: float = number(35, "and at its tip", (5, 150), unit="°", step=1)
    arrangement: Literal["spiral", "alternate", "opposite", "whorled"] = choice(
        "spiral", "Arrangement", _ARRANGEMENTS
    )
    flat: float = number(
        0,
        "Held level",
        (0, 1),
        unit="share",
        help="0 limbs all round the parent, 1 in one level plane.",
    )
    length: float = number(
        0.5,
        "Length of parent",
        (0.02, 1.5),
        soft=(0.05, 1),
        unit="×",
        help="For the first order: of the tree's height.",
    )
    profile: Knots = curve(
        ((0, 1), (1, 0.45)), "Length along the parent", help="From the lowest limb to the topmost."
    )
    variation: float = number(0.25, "Length varies by", (0, 0.9), unit="±")
    thickness: float = number(
        0.6,
        "Thickness of parent",
        (0.1, 1),
        unit="×",
        help="At its base, for a limb of full length.",
    )
    taper: float = number(0.5, "Taper", (0, 1))
    crookedness: float = number(0.25, "Crookedness", (0, 1.5), soft=(0, 1))
    twist: float = number(
        0,
        "Twist",
        (-720, 720),
        soft=(-360, 360),
        unit="°",
        step=5,
        help="How far a limb winds round its own line.",
    )
    lift: float = number(
        0,
        "Lift",
        (-1, 1.5),
        soft=(-0.5, 1),
        help="How much a limb rises where it leaves its parent.",
    )
    gravitropism: float = number(
        0.2,
        "Pull up",
        (-2, 2),
        soft=(-1, 1),
        help="Positive bends limbs upwards along their length, negative down.",
    )
    droop: float = number(
        0,
        "Droop",
        (0, 3),
        soft=(0, 1.5),
        help="Under its own weight: more for long limbs, most at their tips.",
    )
    dead: float = number(
        0,
        "Dead",
        (0, 100),
        unit="%",
        step=1,
        help="Limbs without leaves, and all that grows on them.",
    )
    stubs: float = number(
        0, "Broken", (0, 100), unit="%", step=1, help="Limbs that are broken off near their base."
    )

    @property
    def bears(self) -> bool:
        """Whether there are branches of this order."""
        return self.count > 0 or self.per_metre > 0


_FIRST = BranchOrder(
    count=24,
    start=0.22,
    end=0.97,
    angle=66,
    tip_angle=30,
    length=0.52,
    thickness=0.56,
    crookedness=0.34,
    gravitropism=0.3,
    profile=((0, 0.7), (0.3, 1), (0.7, 0.72), (1, 0.22)),
)
_SECOND = BranchOrder(
    count=9,
    start=0.25,
    end=0.97,
    angle=58,
    tip_angle=38,
    flat=0.35,
    length=0.5,
    thickness=0.62,
    crookedness=0.34,
    gravitropism=0.12,
)
_THIRD = BranchOrder(
    count=5,
    start=0.2,
    end=0.96,
    angle=52,
    tip_angle=40,
    flat=0.2,
    length=0.52,
    thickness=0.66,
    crookedness=0.3,
    gravitropism=0.05,
)
_FOURTH = BranchOrder(
    count=0,
    start=0.2,
    end=0.96,
    angle=48,
    tip_angle=40,
    length=0.5,
    thickness=0.66,
    crookedness=0.3,
    gravitropism=0.05,
)


def _guide(knots: tuple[tuple[float, float, float], ...]) -> tuple[tuple[float, float, float], ...]:
    last = (0.0, 0.0, 0.0)
    for knot in knots:
        if sum((a - b) ** 2 for a, b in zip(knot, last, strict=True)) < 1e-4:
            raise ValueError(
                "knots of the guide must be at least 0.01 of the height apart, and away from the foot"
            )
        last = knot
    return knots


_Place = Annotated[float, Field(ge=-3, le=3)]
Guide = Annotated[
    tuple[tuple[_Place, _Place, _Place], ...], Field(max_length=8), AfterValidator(_guide)
]


class TreeParameters(Woody):
    """A tree: by orders of branching, by filling a crown, or by both."""

    stages: ClassVar = (
        "Habit",
        "Crown",
        "Branching",
        "Leaves",
        "Leaf",
        "Roots",
        "Skin",
        "Detail",
        "Game",
    )
    matters: ClassVar[Matters] = {
        "lean crookedness twist gravitropism": either(filled("guide", False), above("stems", 1)),
        "spread": above("stems", 1),
        "crown_*": among("growth", "mixed", "crown"),
        "crown_profile": filled("crown_form", False),
        "first.*": among("growth", "orders", "mixed"),
        "second.* third.* fourth.* leaf_orders": among("growth", "orders"),
        "lobe_depth": above("lobes"),
        "root_*": above("roots"),
    }
    acts: ClassVar[Acts] = {
        "Habit": ("stems",),
        "Crown": BRANCHES,
        "Roots": ("roots", "stems"),
        "Skin": ("stems", *BRANCHES, "roots"),
        "height age": (),
        **{f"{order}.*": (order,) for order in BRANCHES[:4]},
    }
    told: ClassVar[Told] = {
        "Habit": {"stems": ("stem", "stems")},
        "Crown": {"first": ("main limb", "main limbs")},
        "Roots": {"roots": ("root", "roots")},
        "First order": {"first": ("grown", "grown")},
        "Second order": {"second": ("grown", "grown")},
        "Third order": {"third": ("grown", "grown")},
        "Fourth order": {"fourth": ("grown", "grown")},
    }

    height: float = number(
        7,
        "Height",
        (0.2, 60),
        soft=(1, 30),
        unit="m",
        step=0.1,
        group="Habit",
        help="All lengths follow from it.",
    )
    age: float = number(
        1,
        "Age",
        (0.05, 1.6),
        soft=(0.05, 1.5),
        group="Habit",
        control="age",
        help="0.05 a sapling, 1 grown, beyond it a veteran: the same tree.",
    )
    stem_length: float = number(
        1,
        "Stem",
        (0.1, 1),
        unit="of height",
        group="Habit",
        help="1 runs through to the top; less ends in the crown, whose limbs go on.",
    )
    stems: int = count(1, "Stems", (1, 12), group="Habit")
    spread: float = number(16, "Stems spread by", (0, 60), unit="°", step=1, group="Habit")
    lean: float = number(
        3,
        "Lean",
        (0, 60),
        soft=(0, 45),
        unit="°",
        step=1,
        group="Habit",
        help="Of the first stem; the seed says which way.",
    )
    girth: float = number(
        4, "Stem diameter", (0.5, 20), soft=(1, 10), unit="% of height", step=0.1, group="Habit"
    )
    taper: float = number(0.5, "Taper", (0, 1), group="Habit")
    crookedness: float = number(0.18, "Stem crookedness", (0, 1.5), soft=(0, 1), group="Habit")
    twist: float = number(
        0, "Twist", (-720, 720), soft=(-360, 360), unit="°", step=5, group="Habit"
    )
    gravitropism: float = number(
        0.15,
        "Pull up",
        (-1, 2),
        soft=(-0.5, 1),
        group="Habit",
        help="Bends the stem back to the vertical.",
    )
    pipe: float = number(
        2.4,
        "Pipe exponent",
        (2, 3),
        group="Habit",
        help="Radii share their parent's section by this exponent; 2 keeps the area, 3 makes fine twigs.",
    )
    guide: Guide = Field(
        (),
        title="Guide for the stem",
        description="Knots that the first stem runs through and ends at, in shares of the height from its foot; none: it grows by itself.",
        json_schema_extra={
            "control": "guide",
            "unit": "× height",
            "group": "Habit",
            "handle": {"form": "guide", "tall": "height"},
        },
    )

    growth: Literal["orders", "mixed", "crown"] = choice(
        "orders",
        "Grows",
        {"orders": "By orders", "mixed": "First order, then fills", "crown": "Fills a crown"},
        group="Crown",
        help="By orders of branching, by filling the crown with points that draw the wood to them, or first one and then the other.",
    )
    crown_profile: Knots = curve(
        ((0, 0.5), (0.35, 1), (0.75, 0.75), (1, 0.1)),
        "Crown",
        group="Crown",
        help="Half its width, from foot to top; also shown in the view.",
        handle={"form": "silhouette", "tall": "height", "low": "crown_low", "wide": "crown_width"},
    )
    crown_form: Sections = sections(
        "Crown from a mesh",
        group="Crown",
        help="In place of the profile: radii measured from a mesh.",
    )
    crown_low: float = number(0.3, "Crown from", (0, 0.95), unit="of height", group="Crown")
    crown_width: float = number(
        0.7, "Width", (0.05, 2.5), soft=(0.1, 1.5), unit="of height", group="Crown"
    )
    crown_points: int = count(
        900,
        "Points",
        (10, 6000),
        soft=(50, 3000),
        group="Crown",
        help="More leave the others where they are.",
    )
    crown_shell: float = number(0.5, "Towards the outside", (0, 1), group="Crown")
    crown_step: float = number(
        2.4, "Step", (0.6, 10), soft=(1, 6), unit="% of height", step=0.1, group="Crown"
    )
    crown_reach: float = number(
        45, "Reach", (2, 100), soft=(4, 80), unit="% of height", step=0.5, group="Crown"
    )
    crown_stop: float = number(
        4.5, "Stops within", (0.6, 30), soft=(1, 12), unit="% of height", step=0.1, group="Crown"
    )
    crown_gravitropism: float = number(0.05, "Pull up", (-1, 1), soft=(-0.5, 0.5), group="Crown")
    crown_wander: float = number(0.12, "Crookedness", (0, 1), soft=(0, 0.5), group="Crown")
    crown_dead: float = number(0, "Dead", (0, 100), unit="%", step=1, group="Crown")

    first: BranchOrder = section(_FIRST, "First order", "Branching")
    second: BranchOrder = section(_SECOND, "Second order", "Branching")
    third: BranchOrder = section(_THIRD, "Third order", "Branching")
    fourth: BranchOrder = section(_FOURTH, "Fourth order", "Branching")
    clear: float = number(
        0.06,
        "Kept off the ground",
        (0, 0.6),
        unit="of height",
        group="Branching",
        help="No limb sinks lower: what grazing beasts and mowers leave.",
    )
    thinnest: float = number(
        4,
        "Thinnest twig",
        (0.5, 40),
        soft=(1, 15),
        unit="mm",
        step=0.5,
        group="Branching",
        help="Radius below which no limb gets.",
    )
    end_thin: bool = flag(
        False, "Thinner ones end", group="Branching", help="Off keeps them, at that thickness."
    )

    flare: float = number(
        0.75,
        "Root flare",
        (0, 3),
        soft=(0, 2),
        group="Roots",
        help="How much wider the stem is at the ground.",
    )
    flare_height: float = number(0.09, "Flare height", (0.01, 0.5), unit="of height", group="Roots")
    lobes: int = count(5, "Lobes", (0, 9), group="Roots")
    lobe_depth: float = number(0.16, "Lobe depth", (0, 0.4), group="Roots")
    roots: int = count(
        0,
        "Surface roots",
        (0, 24),
        soft=(0, 12),
        group="Roots",
        help="More leave the others where they are.",
    )
    root_length: float = number(0.2, "Length", (0.02, 1), unit="of height", group="Roots")
    root_thickness: float = number(0.42, "Thickness", (0.1, 0.9), unit="of stem", group="Roots")
    root_wander: float = number(0.45, "Wander", (0, 1.5), group="Roots")
    root_slope: float = number(
        10,
        "Ground may fall by",
        (2, 35),
        unit="°",
        step=1,
        group="Roots",
        help="The roots go down so far that they stay in ground as steep as this.",
    )

    leaf_orders: int = count(2, "On the last orders", (1, 4), group="Leaves")
    fullness: float = number(
        1,
        "Fullness",
        (0.02, 1),
        group="Detail",
        control="fullness",
        help="Thins limbs, leaves and sides together.",
    )
    faceted: bool = flag(
        False, "Faceted wood", group="Detail", help="Flat faces, for a low-poly look."
    )
