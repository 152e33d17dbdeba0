"""Strokes, touches and things set down, through the service: one by one, undone in any order, refused by field."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tests.conftest import SMALL

STROKE = {"radius": 20, "points": [[0, 0], [20, 10]]}
THING = {"asset": "sedge", "seed": 4, "at": [3, 4]}


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[str]:
    """A small scene with a layer of the brush and one set by hand."""
    document = copy.deepcopy(SMALL)
    mix = {"mix": [{"asset": "willow"}, {"asset": "sedge"}]}
    document["layers"][-1:-1] = [
        {"id": "brushed", "kind": "brush", "name": "Brushed", "parameters": {**mix, "spacing": 2}},
        {"id": "set", "kind": "by_hand", "name": "Set", "parameters": mix},
    ]
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": document}).json()
    yield str(made["id"])
    sedge.delete(f"/api/scenes/{made['id']}")


def layer(client: httpx.Client, scene: str, name: str) -> dict[str, Any]:
    layers = client.get(f"/api/scenes/{scene}").json()["layers"]
    return next(x for x in layers if x["id"] == name)  # type: ignore[no-any-return]


def edit(client: httpx.Client, scene: str, name: str, **parameters: Any) -> httpx.Response:
    now = layer(client, scene, name)
    body = {"version": now["version"], "parameters": parameters}
    return client.patch(f"/api/scenes/{scene}/layers/{name}", json=body)


def view(client: httpx.Client, scene: str, name: str) -> dict[str, Any]:
    layers = client.get(f"/api/scenes/{scene}/evaluation").json()["layers"]
    return next(x for x in layers if x["id"] == name)  # type: ignore[no-any-return]


CASES: dict[str, tuple[str, str, dict[str, Any], dict[str, Any]]] = {
    "strokes": ("brushed", "strokes", STROKE, {"radius": 401}),
    "things": ("set", "placed", THING, {"size": 0}),
    "touches": ("brushed", "touches", {"removed": True}, {"lift": 501}),
}


@pytest.mark.parametrize("case", CASES)
def test_each_is_added_changed_and_taken_away_by_itself_and_undone(
    sedge: httpx.Client, scene: str, case: str
) -> None:
    name, path, value, bad = CASES[case]

    def kept() -> list[str]:
        return [x["id"] for x in layer(sedge, scene, name)["parameters"].get(path, [])]

    for number in ("71", "72", "73"):
        assert edit(sedge, scene, name, **{f"{path}#{number}": value}).status_code == 200
    assert kept() == ["71", "72", "73"]
    assert edit(sedge, scene, name, **{f"{path}#72": None}).status_code == 200
    assert kept() == ["71", "73"]
    refused = edit(sedge, scene, name, **{f"{path}#73": {**value, **bad}})
    assert refused.status_code == 422, refused.text
    (field,) = bad
    assert (
        path in refused.json()["errors"][0]["field"]
        and field in refused.json()["errors"][0]["field"]
    )
    assert kept() == ["71", "73"], "what is refused loses nothing"
    assert sedge.post(f"/api/scenes/{scene}/undo").status_code == 200
    assert kept() == ["71", "72", "73"]


def test_what_is_painted_is_set_loose_and_stands_where_it_stood(
    sedge: httpx.Client, scene: str
) -> None:
    assert edit(sedge, scene, "brushed", **{"strokes#a": STROKE}).status_code == 200
    stands = view(sedge, scene, "brushed")["placements"]["count"]
    assert stands > 20
    loose = sedge.get(f"/api/scenes/{scene}/layers/brushed/loose")
    assert loose.status_code == 200, loose.text
    made = sedge.post(f"/api/scenes/{scene}/layers", json={"name": "Loose", **loose.json()})
    assert made.status_code == 201, made.text
    added = next(x for x in made.json()["layers"] if x["name"] == "Loose")
    assert view(sedge, scene, added["id"])["placements"]["count"] == stands
    refused = sedge.get(f"/api/scenes/{scene}/layers/dyke/loose")
    assert refused.status_code == 422 and "nothing of Dyke stands" in refused.text


def test_set_loose_is_for_those_who_may_see_the_scene(
    sedge: httpx.Client, tansy: httpx.Client, scene: str
) -> None:
    assert tansy.get(f"/api/scenes/{scene}/layers/brushed/loose").status_code == 404
