"""The brush, touches and what is set down by hand, in scenes of very many placements."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.collecting import collect_seldom
from plough.core.library import Library
from plough.core.scene import Evaluator, SceneDocument, read_document
from plough.core.scene.adjust import Change, adjust
from plough.core.scene.document import with_layer
from plough.core.scene.facets import TiledPlacements
from plough.core.scene.trouble import trouble
from plough.core.scene.weight import weigh

_GROUND = {"id": "ground", "kind": "ground", "name": "Ground"}
_STRIPES = [
    {
        "id": f"s{k}",
        "radius": 60,
        "falloff": 0,
        "points": [[-500 + 100 * k, -500], [-500 + 100 * k, 500]],
    }
    for k in range(11)
]
_TUFT = {"name": "Rush", "kind": "tuft", "parameters": {"blades": 6}}


def scene(kind: str, **parameters: Any) -> SceneDocument:
    """One layer of a kind on a square kilometre."""
    mix = [{"asset": "rush"}, {"asset": "sedge"}]
    return read_document(
        {
            "version": 1,
            "name": "Bench",
            "assets": [
                {"id": "rush", **_TUFT, "seeds": [1, 2]},
                {"id": "sedge", **_TUFT, "seeds": [3]},
            ],
            "layers": [
                {**_GROUND, "parameters": {"size": 1024, "resolution": 2}},
                {
                    "id": "own",
                    "kind": kind,
                    "name": "Own",
                    "parameters": {"mix": mix, **parameters},
                },
                {"id": "bake", "kind": "bake", "name": "Bake"},
            ],
        }
    )


def with_own(document: SceneDocument, **parameters: Any) -> SceneDocument:
    """`document` with other parameters of its layer, as a draft has them."""
    own = document.layers[1]
    changed = own.model_copy(update={"parameters": {**own.parameters, **parameters}})
    return with_layer(document, changed)


def placed(evaluator: Evaluator, document: SceneDocument) -> TiledPlacements:
    """What stands in the layer."""
    found = evaluator.evaluate(document).layer("own").output.placements
    assert found is not None
    return found


def painted_for_long(count: int) -> list[dict[str, Any]]:
    """Strokes of an afternoon, 40 points each, all over the ground."""
    rng = np.random.default_rng(1)
    out = []
    for k in range(count):
        line = rng.uniform(-480, 480, 2) + np.cumsum(rng.uniform(-2, 2, (40, 2)), axis=0)
        out.append({"id": f"s{k}", "radius": 10, "points": line.round(2).tolist()})
    return out


_ALDER = {"id": "alder", "name": "Alder", "kind": "tree", "seeds": [1, 2]}


def trouble_rows(into: Table) -> None:
    """What is wrong, after an edit of one tile, and all of it."""
    values = scene("scatter", spacing=2.25).model_dump(mode="json")
    values["assets"].append(_ALDER)
    mix = [{"asset": "rush", "weight": 9}, {"asset": "sedge"}, {"asset": "alder"}]
    values["layers"][1]["parameters"]["mix"] = mix
    document = read_document(values)
    evaluator = Evaluator()
    found = placed(evaluator, document)
    ids = found.whole().ids.tolist()
    trouble(evaluator.evaluate(document), evaluator.library)  # what is made once
    other = Evaluator(Library())
    evaluation = other.evaluate(document)
    weigh(evaluation, other.library, (0.0, 2.0, 0.0))  # meshes are made for other reasons
    began = time.perf_counter()
    trouble(evaluation, other.library)
    cold = time.perf_counter() - began
    ways = iter(range(1, 200))

    def edited() -> None:
        touch = {"id": f"{ids[700]}", "lift": 0.1 * next(ways)}
        trouble(evaluator.evaluate(with_own(document, touches=[touch])), evaluator.library)

    what = f"findings after an edit among {found.count:,}"
    row(into, what, median(edited, 15), "all of them, cold", cold, "≤ 150 ms")


def hand_rows(into: Table) -> None:
    """A stroke that grows, a touch that is dragged, and things that are moved."""
    collect_seldom()  # as the service does
    trouble_rows(into)
    evaluator = Evaluator()
    for strokes, spacing, whose in (
        (_STRIPES, 2.45, "painted"),
        (painted_for_long(990), 1.5, "painted by 990 strokes"),
    ):
        document = scene("brush", spacing=spacing, strokes=strokes)
        began = time.perf_counter()
        found = placed(evaluator, document)
        cold = time.perf_counter() - began
        ways = iter(range(1, 200))

        def stroke(d: SceneDocument = document, s: Any = strokes, w: Any = ways) -> None:
            points = [[3 * k, 2 * k] for k in range(next(w))]
            drawn = {"id": "new", "radius": 20, "does": "erase", "points": points}
            placed(evaluator, with_own(d, strokes=[*s, drawn]))

        took = median(stroke, 15)
        row(
            into, f"a stroke over {found.count:,} {whose}", took, "all of it, cold", cold, "≤ 60 ms"
        )
    document = scene("brush", spacing=2.45, strokes=_STRIPES)
    found = placed(evaluator, document)
    ids = found.whole().ids.tolist()
    others = [{"id": f"{i}", "size": 1.5} for i in ids[:500]]
    ways = iter(range(1, 200))

    def touch() -> None:
        moved = {"id": f"{ids[700]}", "at": [next(ways), 5]}
        placed(evaluator, with_own(document, touches=[*others, moved]))

    row(
        into,
        f"one of {found.count:,} moved, 500 touched",
        median(touch, 9),
        "all of it, cold",
        cold,
    )
    things = [
        {
            "id": f"t{k}",
            "asset": "rush",
            "seed": 1 + k % 2,
            "at": [k % 71 * 9 - 320, k // 71 * 9 - 320],
        }
        for k in range(5000)
    ]
    by_hand = scene("by_hand", placed=things)

    def move() -> None:
        by = next(ways)
        placed(evaluator, with_own(by_hand, placed=[{**t, "lift": 0.01 * by} for t in things]))

    row(into, "5,000 set down, all moved", median(move, 9), "all of it, cold", cold, "≤ 100 ms")
    chosen = [f"{i}" for i in placed(evaluator, by_hand).whole().ids.tolist()]

    def adjusted() -> None:
        change = Change(move=(0.1 * next(ways), 0.0))
        made = adjust(evaluator, by_hand, "own", chosen, change)
        values = {k.partition("#")[2]: v for k, v in made.parameters.items()}
        moved = [{**values[str(t["id"])], "id": t["id"]} for t in things]
        placed(evaluator, with_own(by_hand, placed=moved))

    row(
        into,
        "5,000 chosen, moved together",
        median(adjusted, 9),
        "all of it, cold",
        cold,
        "≤ 100 ms",
    )
