"""Piles: what is dropped comes to rest on the ground and on each other, in nothing else, and the same each time."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from plough.core.errors import ParameterError, TooLargeError
from plough.core.library import Library
from plough.core.presets import preset
from plough.core.scene import Evaluation, Evaluator, read_document
from tests.conftest import SMALL
from tests.hulls import deepest, held

EVALUATOR = Evaluator()
SCREE = preset("scree")


def scene(**own: Any) -> Any:
    """Hills with a pile of scree on them."""
    document = copy.deepcopy(SMALL)
    document["assets"].append(
        {"id": "scree", "name": "Scree", "kind": "rock", "seeds": [1, 2, 3, 4]}
        | {"parameters": SCREE.parameters}
    )
    parameters = {"mix": [{"asset": "scree"}], "points": [[20, 12]], "count": 40, **own}
    layer = {"id": "pile", "kind": "pile", "name": "Pile", "parameters": parameters}
    document["layers"].insert(-1, layer)
    return document


def run(document: Any, evaluator: Evaluator = EVALUATOR) -> Evaluation:
    return evaluator.evaluate(read_document(document))


def placed(found: Evaluation) -> Any:
    out = found.layer("pile").output.placements
    assert out is not None
    return out


def hulls(found: Evaluation, library: Library = EVALUATOR.library) -> list[Any]:
    """(k, 3) corners in the scene of the body of each stone."""
    of = placed(found)
    p = of.whole()
    out = []
    for k in range(p.count):
        (body,) = library.bodies(of.variants[p.variant[k]])
        turned = Rotation.from_quat(p.rotation[k].astype(float)).apply(body.points * p.scale[k])
        out.append(turned + p.position[k])
    return out


@pytest.mark.parametrize("how", ["dropped", "set"])
@pytest.mark.parametrize("seed", range(3))
def test_none_stands_into_another_nor_into_the_ground(how: str, seed: int) -> None:
    found = run(scene(how=how, seed=seed, count=60, radius=1.2))
    bodies = hulls(found)
    assert len(bodies) == 60
    assert deepest(bodies) < 0.001
    if how == "set":
        return  # these are sunk as their own foot is
    for corners in bodies:
        x, y, z = (np.ascontiguousarray(c) for c in corners.T)
        under = found.surface.sample(x, z)
        assert (y - under.position[:, 1])[under.hit].min() > -0.002


@pytest.mark.parametrize("own", [{"count": 50, "radius": 0.8}, {"count": 120, "radius": 0.0}])
def test_what_was_dropped_lies_on_something(own: dict[str, Any]) -> None:
    """Nothing floats: each stone, let down by three centimetres, would be in the ground or in another."""
    found = run(scene(**own))
    bodies = hulls(found)

    def ground(east: Any, south: Any) -> Any:
        return found.surface.sample(east, south).position[:, 1]

    assert all(held(bodies, ground))
    heights = placed(found).whole().position[:, 1]
    assert np.ptp(heights) > 0.3, "they lie on each other"


def test_the_same_seed_is_the_same_pile_and_another_is_another() -> None:
    first = placed(run(scene())).whole()
    again = placed(run(scene(), Evaluator())).whole()
    other = placed(run(scene(seed=9))).whole()
    for name in ("ids", "variant", "position", "rotation", "scale"):
        assert getattr(first, name).tobytes() == getattr(again, name).tobytes()
    assert not np.array_equal(first.position, other.position)


def test_each_place_has_a_pile_of_its_own() -> None:
    one = placed(run(scene(points=[[20, 12]]))).whole()
    two = placed(run(scene(points=[[20, 12], [-30, -20]]))).whole()
    rows = np.isin(two.ids, one.ids)
    assert rows.sum() == one.count and two.count == 2 * one.count
    order = np.argsort(two.ids[rows]), np.argsort(one.ids)
    assert two.position[rows][order[0]].tobytes() == one.position[order[1]].tobytes()
    far = np.hypot(*(two.position[~rows][:, [0, 2]] - [-30, -20]).T)
    assert far.max() < 9


def test_it_follows_the_ground_where_that_changes_and_nowhere_else() -> None:
    warm = Evaluator()
    before = placed(run(scene(), warm)).whole()
    raised = scene()
    stroke = {"id": "s", "brush": "raise", "radius": 8, "amount": 2, "points": [[20, 12]]}
    raised["layers"][0]["parameters"]["strokes"] = [stroke]
    after = placed(run(raised, warm)).whole()
    assert after.position[:, 1].mean() - before.position[:, 1].mean() > 1.0
    assert after.position.tobytes() == placed(run(raised, Evaluator())).whole().position.tobytes()


def test_smoother_stones_lie_flatter() -> None:
    heights = []
    for friction in (0.0, 1.5):
        at = placed(run(scene(count=80, radius=0.6, friction=friction))).whole().position
        heights.append(np.hypot(*(at[:, [0, 2]] - np.median(at[:, [0, 2]], axis=0)).T).mean())
    assert heights[0] > 1.2 * heights[1], "they slide further"


def test_what_has_no_body_is_told_and_too_many_are_refused() -> None:
    found = run(scene(mix=[{"asset": "sedge"}, {"asset": "scree"}]))
    assert [f.code for f in found.layer("pile").output.findings] == ["no-body"]
    of = placed(found)
    assert {of.variants[v].asset for v in of.whole().variant} == {"scree"}
    with pytest.raises(ParameterError, match="the limit is 1,000"):
        run(scene(points=[[k, 0] for k in range(4)], count=300))
    tree = scene(count=400, mix=[{"asset": "oak"}])
    oak = {"id": "oak", "name": "Oak", "kind": "tree", "seeds": [27]}
    tree["assets"].append({**oak, "parameters": preset("old-orchard-standard").parameters})
    with pytest.raises(TooLargeError, match="the limit is 1,500"):  # before anything falls
        run(tree)
    edge = placed(run(scene(points=[[63.5, 0]], radius=3))).whole()
    assert 0 < edge.count < 40, "what falls off the map is gone"
    assert np.abs(edge.position).max() < 70
    nowhere = run(scene(points=[[4000, 0]]))
    assert placed(nowhere).count == 0
