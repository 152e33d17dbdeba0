"""What an asset asks for to be written with one sheet of maps of its own."""

from __future__ import annotations

from typing import ClassVar, Literal

from plough.core.matters import Matters, among
from plough.core.parameters import Parameters, choice, count


class SheetParameters(Parameters):
    """Whether a thing is written with fewer triangles, and its look on one sheet of maps."""

    matters: ClassVar[Matters] = {
        "levels rays": among("size", "512", "1024", "2048", "4096"),
        "triangles": (*among("size", "512", "1024", "2048", "4096"), *among("levels", "all")),
    }

    size: Literal["none", "512", "1024", "2048", "4096"] = choice(
        "none",
        "Maps of its own",
        {
            "none": "None: it is written as it is",
            "512": "512 texels a side",
            "1024": "1,024",
            "2048": "2,048",
            "4096": "4,096",
        },
        help="Colour, normals, roughness and shade of the nearest level on one sheet; and what is worn, bent and high.",
    )
    levels: Literal["all", "last"] = choice(
        "all",
        "On",
        {"all": "All levels, made anew", "last": "The farthest mesh alone"},
    )
    triangles: int = count(
        2500,
        "Nearest level",
        (50, 60_000),
        soft=(200, 12_000),
        unit="triangles",
        help="It has fewer where the thing itself has.",
    )
    rays: int = count(
        16, "Rays for its shade", (0, 128), soft=(0, 48), help="From each place; none is told at 0."
    )
