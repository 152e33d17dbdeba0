"""What a small plant is grown from: stems, tiers of leaves, heads."""

from __future__ import annotations

from typing import ClassVar

from plough.core.collider import GameParameters
from plough.core.grow.heads import HEADS, HeadForm
from plough.core.grow.lamina import LeafParameters
from plough.core.matters import NEVER, Acts, Matters, Told, above, among
from plough.core.parameters import (
    Color,
    Parameters,
    choice,
    color,
    count,
    number,
    reference,
    section,
)

TIERS = ("low", "middle", "high", "top")


class Tier(Parameters):
    """Leaves at one height of the stems."""

    matters: ClassVar[Matters] = {"* -leaves": above("leaves")}

    leaves: int = count(
        0, "Leaves", (0, 80), soft=(0, 24), help="On each stem; more leave the others as they are."
    )
    at: float = number(0, "Height", (0, 1), unit="of stem", help="Where the lowest leaf sits.")
    extent: float = number(
        0.1, "over", (0, 1), unit="of stem", help="How far up from there the others sit."
    )
    turn: float = number(
        137.5,
        "Turn",
        (0, 360),
        unit="°",
        step=0.5,
        help="From one leaf to the next: 137.5 spirals, 180 alternates, 90 with pairs crosses.",
    )
    pairs: int = count(1, "At one node", (1, 8), help="Leaves that leave the stem at one height.")
    pitch: float = number(
        50, "Pitch", (0, 150), unit="°", step=1, help="0 upright, 90 level, more hangs."
    )
    size: float = number(16, "Leaf length", (0.5, 300), soft=(2, 80), unit="cm", step=0.5)
    smaller: float = number(
        0.3,
        "Smaller upwards",
        (-1, 0.95),
        help="By how much the topmost leaf is shorter than the lowest.",
    )
    variation: float = number(0.2, "Varies", (0, 1))
    leaf_asset: str = reference(
        "",
        "Leaf from",
        "leaf",
        lends="leaf",
        help="A leaf of this scene; none: the one of this plant.",
    )
    leaf: LeafParameters | None = None


_ROSETTE = Tier(leaves=9, at=0.0, extent=0.02, pitch=62, size=24, smaller=0.45)
_MIDDLE = Tier(leaves=5, at=0.12, extent=0.5, pitch=48, size=15, smaller=0.5)
_UPPER = Tier(leaves=0, at=0.6, extent=0.3, pitch=40, size=6)
_TOP = Tier(leaves=0, at=0.94, extent=0.04, pitch=60, size=4)


class PlantParameters(Parameters):
    """Stems with tiers of leaves and heads."""

    stages: ClassVar = ("Habit", "Tiers", "Leaf", "Heads", "Game")
    matters: ClassVar[Matters] = {
        "leaf.length leaf.variation": NEVER,  # the tiers say how long their leaves are
        "head_* opened heads petal_* middle_* side_* face*": among(
            "head", *(h for h in HEADS if h != "none")
        ),
        "head_* opened petal_* middle_* side_* face*": above("heads"),
    }
    acts: ClassVar[Acts] = {
        "Habit": ("stems",),
        "Heads": ("heads",),
        "Leaf": TIERS,
        "height": (),
        **{f"{tier}.*": (tier,) for tier in TIERS},
    }
    told: ClassVar[Told] = {
        "Habit": {"stems": ("stem", "stems")},
        "Heads": {"heads": ("head", "heads")},
    }

    height: float = number(0.75, "Height", (0.02, 6), soft=(0.05, 2.5), unit="m", group="Habit")
    stems: int = count(
        3, "Stems", (1, 40), soft=(1, 12), group="Habit", help="More leave the others as they are."
    )
    spread: float = number(12, "Stems spread by", (0, 80), unit="°", step=1, group="Habit")
    foot: float = number(
        2, "Apart at the foot", (0, 60), soft=(0, 20), unit="cm", step=0.5, group="Habit"
    )
    lean: float = number(5, "Lean", (0, 60), unit="°", step=1, group="Habit")
    crookedness: float = number(0.12, "Crookedness", (0, 1.5), soft=(0, 1), group="Habit")
    nod: float = number(
        0.1, "Nods", (-1, 3), soft=(0, 1.5), group="Habit", help="The stem's upper part bends over."
    )
    thickness: float = number(
        6, "Stem thickness", (0.5, 80), soft=(1, 25), unit="mm", step=0.5, group="Habit"
    )
    stem_color: Color = color("#7d8a4e", "Stem", "Habit")

    low: Tier = section(_ROSETTE, "At the foot", "Tiers")
    middle: Tier = section(_MIDDLE, "Lower", "Tiers")
    high: Tier = section(_UPPER, "Upper", "Tiers")
    top: Tier = section(_TOP, "Under the head", "Tiers")
    leaf: LeafParameters = section(
        LeafParameters(length=16, width=0.34, bend=50, stalk=0.1), "Leaf", "Leaf"
    )

    head: HeadForm = choice("rays", "Head", HEADS, group="Heads")
    head_size: float = number(
        5.5, "Size", (0.3, 120), soft=(0.5, 30), unit="cm", step=0.1, group="Heads"
    )
    head_parts: int = count(14, "Petals or florets", (3, 400), soft=(3, 120), group="Heads")
    opened: float = number(0.9, "Opened", (0, 1), group="Heads")
    heads: int = count(
        2,
        "Heads on a stem",
        (0, 40),
        soft=(0, 12),
        group="Heads",
        help="The first at its tip, others on side stems below; more leave the others.",
    )
    head_from: float = number(0.62, "Side heads from", (0.05, 0.98), unit="of stem", group="Heads")
    side_length: float = number(0.26, "Side stems", (0.02, 1), unit="of height", group="Heads")
    side_angle: float = number(38, "Side stems leave at", (5, 100), unit="°", step=1, group="Heads")
    face: float = number(
        0.25,
        "Turn to light",
        (0, 1),
        group="Heads",
        help="0 along the stem, 1 to the south and up.",
    )
    petal_color: Color = color("#efe7cf", "Petals or florets", "Heads")
    middle_color: Color = color("#c79a2b", "Middle", "Heads")
    game: GameParameters = section(GameParameters(collider="none"), "For the game", "Game")
