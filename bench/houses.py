"""Houses: raised from parameters, and roofs over outlines of any form."""

from __future__ import annotations

from itertools import count
from typing import Any

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.house.roof import Piece, roof_over
from plough.core.kinds import make
from plough.core.presets import preset
from plough.core.scene import Evaluator, SceneDocument, read_document

_YARDSTICK = "one pass of numpy.sqrt over 10 M"
_HOUSE = {"kit": "flint", "body": "tee", "long": 20, "wide": 7, "wing": 8, "storeys": 2}


def house_rows(into: Table) -> None:
    """A house of some forty openings, and a hundred roofs."""
    numbers = np.arange(10_000_000, dtype=np.float64)
    passes = median(lambda: np.sqrt(numbers), 5)
    seeds = count(1)
    openings = make("building", _HOUSE, 1).counts["openings"]

    def filled() -> None:
        make("building", {**_HOUSE, "door": 0.4 + 1e-6 * next(seeds)}, 1)

    def raised() -> None:
        make("building", {**_HOUSE, "long": 20 + 1e-4 * next(seeds)}, 1)

    told = f"a house with {openings} openings, all of it in one mesh"
    row(into, f"{told}: filled otherwise", median(filled, 15), _YARDSTICK, passes, "≤ 10 ms")
    row(into, f"{told}: over another plan", median(raised, 15), _YARDSTICK, passes)
    rng = np.random.default_rng(1)
    outlines = []
    for _ in range(100):
        angle = np.sort(rng.uniform(0, 2 * np.pi, 12))
        outlines.append((rng.uniform(3, 9, 12) * np.stack([np.cos(angle), np.sin(angle)])).T)
    roof_over([outlines[0]], [[Piece(0.0, 1.0)]] * 12)

    def roofs() -> None:
        for outline in outlines:
            roof_over([outline], [[Piece(0.0, 1.0)]] * 12)

    row(into, "a hundred roofs over twelve corners each", median(roofs, 7), _YARDSTICK, passes)
    _street_rows(into, passes)
    _climber_rows(into, passes)


def _street(points: list[list[float]], **own: Any) -> SceneDocument:
    """A path of 420 m with a street of some forty houses along it, and all its parts."""
    names = (("cot", "fen-cottage"), ("farm", "farmhouse"), ("hedge", "clipped-hedge"))
    assets = []
    for name, of in names:
        found = preset(of)
        assets.append(
            {"id": name, "name": name, "kind": found.kind, "parameters": found.parameters}
        )
    parts = {
        "mix": [{"asset": "cot"}, {"asset": "farm"}],
        "plots": "hedge",
        "hedge": [{"asset": "hedge"}],
        "hedge_spacing": 2,
        "trees": [{"asset": "hedge"}],
        "lamps": [{"asset": "hedge"}],
        "paved": "flags",
        "kerb": True,
    }
    return read_document(
        {
            "version": 4,
            "name": "Bench",
            "assets": assets,
            "layers": [
                {"id": "ground", "kind": "ground", "name": "Ground", "parameters": {"size": 512}},
                {
                    "id": "way",
                    "kind": "path",
                    "name": "Way",
                    "parameters": {"points": points, "width": 5},
                },
                {
                    "id": "street",
                    "kind": "street",
                    "name": "Street",
                    "parameters": {"paths": ["way"], "spacing": 13, **parts, **own},
                },
                {"id": "bake", "kind": "bake", "name": "Bake"},
            ],
        }
    )


def _street_rows(into: Table, passes: float) -> None:
    line = [[30.0 * k - 210.0, 10.0 * (k % 2)] for k in range(15)]
    seeds, evaluator = count(1), Evaluator()

    def laid(points: list[list[float]], **own: Any) -> int:
        found = evaluator.evaluate(_street(points, **own)).layer("street").output.placements
        assert found is not None
        return sum(
            int(n)
            for n, v in zip(found.per_variant, found.variants, strict=True)
            if v.asset != "hedge"
        )

    houses = laid(line)

    def anew() -> None:
        laid(line, seed=next(seeds), way_seed=next(seeds))

    def dragged() -> None:
        moved = [list(p) for p in line]
        moved[7][1] += 0.01 * next(seeds)
        laid(moved)

    told = f"a street of {houses} houses with all its parts, laid anew"
    row(into, told, median(anew, 7), _YARDSTICK, passes, "≤ 500 ms")
    row(into, "one knot of its path dragged", median(dragged, 9), _YARDSTICK, passes, "≤ 100 ms")


def _climber_rows(into: Table, passes: float) -> None:
    """Stems over a rough wall and a house behind it."""
    leaf, hut = preset("oak-like-leaf"), preset("pump-house")
    seeds, evaluator = count(1), Evaluator()
    layers = [
        {"id": "ground", "kind": "ground", "name": "Ground", "parameters": {"size": 128}},
        {
            "id": "wall",
            "kind": "wall",
            "name": "Wall",
            "parameters": {"points": [[-10, 5], [10, 6]], "height": 2.4},
        },
        {
            "id": "huts",
            "kind": "by_hand",
            "name": "Huts",
            "parameters": {
                "mix": [{"asset": "hut"}],
                "placed": [{"id": "a", "asset": "hut", "seed": 1, "at": [0, -14]}],
            },
        },
    ]
    assets = [
        {"id": name, "name": name, "kind": p.kind, "parameters": p.parameters}
        for name, p in (("leaf", leaf), ("hut", hut))
    ]

    def grown() -> tuple[int, int]:
        ivy = {
            "mix": [{"asset": "leaf"}],
            "on": ["wall", "huts"],
            "points": [[-3, 6.5], [0.5, -9.5]],
            "stems": 30,
            "dense": 60,
            "seed": next(seeds),
        }
        own = [*layers, {"id": "ivy", "kind": "climber", "name": "Ivy", "parameters": ivy}]
        bake = {"id": "bake", "kind": "bake", "name": "Bake"}
        document = {"version": 4, "name": "Bench", "assets": assets, "layers": [*own, bake]}
        found = evaluator.evaluate(read_document(document)).layer("ivy").output
        assert found.placements is not None
        return found.placements.count, sum(s.mesh.triangles for s in found.solids)

    leaves, triangles = grown()
    told = f"a climber of 60 stems, about {leaves:,} leaves and {triangles:,} triangles of stems, on a wall and a house"
    row(into, told, median(grown, 9), _YARDSTICK, passes, "≤ 150 ms")
