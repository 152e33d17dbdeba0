"""The parameters of a leaf."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from plough.core.matters import Matters, above, among, either
from plough.core.parameters import (
    Color,
    Knots,
    Numeral,
    Parameters,
    Seed,
    choice,
    color,
    count,
    curve,
    number,
    seeded,
)

Form = Literal["simple", "pinnate", "palmate", "frond"]
_FORMS = {"simple": "Simple", "pinnate": "Pinnate", "palmate": "Palmate", "frond": "Frond"}
_COMPOUND = ("pinnate", "palmate", "frond")
TextureSize = Annotated[Literal["128", "256", "512", "1024", "2048"], Numeral]
SIZES = {str(s): f"{s} px" for s in (128, 256, 512, 1024, 2048)}


class LeafParameters(Parameters):
    """One leaf."""

    matters: ClassVar[Matters] = {
        "leaflet*": among("form", *_COMPOUND),
        "teeth_*": above("teeth"),
        "lobe_*": above("lobes"),
        "tear_* -tear_seed": above("tears"),
        "tear_seed": either(above("tears"), among("form", *_COMPOUND)),  # it turns leaflets, too
        "season_*": above("season"),
    }

    form: Form = choice("simple", "Form", _FORMS, group="Outline")
    length: float = number(
        8,
        "Length",
        (0.3, 500),
        soft=(1, 60),
        unit="cm",
        step=0.1,
        group="Outline",
        help="Of the whole leaf, stalk included.",
    )
    width: float = number(
        0.52,
        "Width",
        (0.02, 2),
        soft=(0.05, 1.2),
        unit="× length",
        group="Outline",
        help="Of a blade, by its own length.",
    )
    outline: Knots = curve(
        ((0, 0.12), (0.42, 1), (0.8, 0.55), (1, 0)),
        "Outline",
        group="Outline",
        help="Half the width, from stalk to tip.",
    )
    stalk: float = number(0.14, "Stalk", (0, 0.9), soft=(0, 0.6), unit="of length", group="Outline")
    leaflets: int = count(
        9, "Leaflets", (3, 81), soft=(3, 41), group="Leaflets", help="Of a compound leaf."
    )
    leaflet_size: float = number(
        0.4, "Leaflet length", (0.03, 1.5), soft=(0.05, 1), unit="of leaf", group="Leaflets"
    )
    leaflet_profile: Knots = curve(
        ((0, 0.7), (0.4, 1), (1, 0.6)),
        "Leaflet size",
        group="Leaflets",
        help="Along the stalk, from its foot to its tip.",
    )
    leaflet_angle: float = number(
        58, "Leave the stalk at", (5, 120), unit="°", step=1, group="Leaflets"
    )

    teeth: float = number(0.25, "Teeth", (0, 1), group="Edge")
    teeth_count: int = count(16, "Teeth a side", (1, 80), soft=(2, 40), group="Edge")
    lobes: float = number(0, "Lobes", (0, 1), group="Edge", help="Depth of the bays between lobes.")
    lobe_count: int = count(4, "Lobes a side", (1, 12), group="Edge")
    tears: float = number(
        0, "Tears", (0, 1), group="Edge", help="How deep the edge is torn, towards the midrib."
    )
    tear_count: int = count(
        12, "Number of tears", (0, 60), group="Edge", help="More leave the others where they are."
    )
    tear_where: Knots = curve(
        ((0, 0.2), (0.5, 1), (1, 0.8)),
        "Where the tears lie",
        group="Edge",
        help="From stalk to tip.",
    )
    tear_seed: Seed = seeded("Seed of the tears", group="Edge")

    fold: float = number(
        22, "Fold", (-80, 85), unit="°", step=1, group="Pose", help="Along the midrib, upwards."
    )
    bend: float = number(
        28,
        "Bend",
        (-160, 200),
        unit="°",
        step=1,
        group="Pose",
        help="From stalk to tip, downwards.",
    )
    curl: float = number(
        10, "Curl", (-120, 160), unit="°", step=1, group="Pose", help="Of the tip alone."
    )
    twist: float = number(0, "Twist", (-180, 180), unit="°", step=1, group="Pose")
    variation: float = number(
        0.25,
        "Varies by",
        (0, 1),
        group="Pose",
        help="How far the leaves of other seeds are bent and twisted otherwise.",
    )
    divisions: int = count(
        5, "Divisions", (1, 32), group="Pose", help="Rows of triangles along a blade."
    )

    blade_color: Color = color("#557a33", "Blade", "Colour")
    tip_color: Color = color("#7d9a45", "Tip", "Colour")
    rib_color: Color = color("#a3b06a", "Midrib and veins", "Colour")
    edge_color: Color = color("#4d6d2f", "Edge", "Colour")
    stalk_color: Color = color("#7d7a48", "Stalk", "Colour")
    veins: float = number(0.5, "Veins", (0, 1), group="Colour")
    vein_count: int = count(8, "Veins a side", (0, 30), group="Colour")
    roughness: float = number(0.62, "Roughness", (0.1, 1), group="Colour")
    translucency: float = number(0.45, "Light through", (0, 1), group="Colour")
    season: float = number(
        0, "Season", (0, 1), group="Colour", help="From the leaf's own colours to the season's."
    )
    season_color: Color = color("#b0742c", "Season's colour", "Colour")
    texture_size: TextureSize = choice("256", "Texture size", SIZES, group="Colour")
