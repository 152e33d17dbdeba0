"""Elevations: every stone where it is laid, and nothing in openings."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
import shapely

from plough.core.errors import ParameterError
from plough.core.lay.elevation import Elevation
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.laid import blocks_of, elevation_of
from tests.conftest import SMALL

EVALUATOR = Evaluator()
LAYERS: dict[str, dict[str, Any]] = {
    "courses": {"kind": "wall"},
    "rubble": {"kind": "wall", "bond": "rubble"},
    "steps": {"kind": "wall", "follows": "steps"},
    "corners": {"kind": "wall", "bends": "sharp"},
    "bricks": {"kind": "bricks"},
    "double bricks": {"kind": "bricks", "rows": 2, "bond": "stack"},
}


def scene(kind: str, path: float = 4.0, points: Any = None, **own: Any) -> Any:
    document = copy.deepcopy(SMALL)
    document["layers"] = [x for x in document["layers"] if x["kind"] in ("ground", "bake")]
    way = {"points": [[path, -20], [path, 20]], "width": 1.6}
    line = {"points": points or [[-10, 0], [0, 2], [10, 0]], **own}
    document["layers"][1:1] = [
        {"id": "way", "kind": "path", "name": "Way", "parameters": way},
        {"id": "laid", "kind": kind, "name": "Laid", "parameters": line},
    ]
    return document


def run(document: Any) -> Evaluation:
    return EVALUATOR.evaluate(read_document(document))


def seen(document: Any) -> Elevation:
    return elevation_of(run(document), "laid")


def shapes(e: Elevation, side: int) -> list[Any]:
    rows = np.nonzero(e.seen(side))[0]
    return [shapely.Polygon(e.corners[k, : e.count[k]]) for k in rows]


@pytest.mark.parametrize("name", LAYERS)
def test_stones_fill_a_face_and_leave_its_openings_free(name: str) -> None:
    own = {"id": "o", "at": [-6, 0.8], "width": 1.0, "head": "open"}
    e = seen(scene(openings=[own], **LAYERS[name]))
    assert [g.id for g in e.gaps] == ["o", "way 1 0"]
    assert len(set(e.id.tolist())) == len(e.id), "each has a number of its own"
    assert e.knots[0] == 0 and e.knots[-1] == e.length and len(e.knots) == 3
    assert (np.diff(e.ground[:, 0]) >= 0).all() and e.ground[-1, 0] == pytest.approx(e.length)
    for side in (1, -1):
        found = shapes(e, side)
        assert all(s.is_valid for s in found)
        whole = shapely.union_all(found)
        # no two of a face lie on each other, but for what is drawn at corners
        total = sum(s.area for s in found)
        assert whole.area > (0.9 if name == "corners" else 0.995) * total
        for gap in e.gaps:
            room = shapely.box(gap.start + 0.06, gap.low + 0.15, gap.end - 0.06, gap.high - 0.35)
            assert room.area > 0.5 and whole.intersection(room).area < 0.01 * room.area
        # what is between the ground and half way up it is all stone, but at its ends and openings
        strip = shapely.Polygon(
            [
                *((s, h + 0.1) for s, h in e.ground),
                *((s, h + 0.45) for s, h in e.ground[::-1]),
            ]
        )
        clear = [shapely.box(g.start - 0.1, -99, g.end + 0.1, 99) for g in e.gaps]
        ends = [shapely.box(-9, -99, 0.3, 99), shapely.box(e.length - 0.3, -99, 99, 99)]
        wall = strip.difference(shapely.union_all([*clear, *ends]))
        assert whole.intersection(wall).area > (0.78 if "bricks" in name else 0.97) * wall.area


def test_the_right_face_lies_to_the_right_of_the_way() -> None:
    straight = scene("bricks", path=90, points=[[-8, 0], [8, 0]], rows=2, bond="stack")
    found = run(straight)
    e, blocks = elevation_of(found, "laid"), blocks_of(found, "laid")
    # eastwards, south is to the right
    for side in (1, -1):
        rows = np.nonzero(e.side == side)[0]
        assert len(rows) > 20
        along = e.corners[rows, :4].mean(axis=1)
        near = [
            int(np.abs(blocks.middle[:, :2] - [s - 8.0, h]).sum(axis=1).argmin()) for s, h in along
        ]
        both = np.abs(blocks.middle[near][:, :2] - (along - [8.0, 0.0])).max()
        assert both < 1e-6
    middles = blocks.middle[:, 2]
    assert (e.side == 1).sum() == (middles > 0.01).sum()
    assert (e.side == -1).sum() == (middles < -0.01).sum()


def test_what_changes_at_one_end_leaves_the_other_as_it_was() -> None:
    line = [[-20, 0], [-10, 1], [0, 0], [10, 1], [20, 0]]
    one = seen(scene("wall", path=90, points=line))
    two = seen(scene("wall", path=90, points=[*line[:-1], [20, 1.5]]))
    far = 0.5 * (one.knots[1] + one.knots[2])
    near = [
        sorted(c.tobytes() for c, x in zip(e.corners, e.corners[:, 0, 0], strict=True) if x < far)
        for e in (one, two)
    ]
    assert len(near[0]) > 100 and near[0] == near[1]
    assert {c.tobytes() for c in one.corners} != {c.tobytes() for c in two.corners}
    assert {int(t) for t in one.tone} == set(range(5))


def test_what_has_none_says_so() -> None:
    found = run(scene("wall"))
    for layer, text in (("way", "has no elevation"), ("gone", "there is no layer")):
        with pytest.raises(ParameterError, match=text):
            elevation_of(found, layer)
    hidden = scene("wall")
    hidden["layers"][2]["hidden"] = True
    with pytest.raises(ParameterError, match="or is hidden"):
        elevation_of(run(hidden), "laid")
