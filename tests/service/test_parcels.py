"""Layers copied between scenes, kept mixes, what a layer is in the game, and trials, as the service gives them."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tests.conftest import SMALL

EYE = [0.0, 2.0, 0.0]
MIX = {"name": "Wet", "entries": [{"asset": "willow", "weight": 3}, {"asset": "sedge"}]}


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[str]:
    """A small scene of one's own."""
    made = sedge.post("/api/scenes", json={"name": "Sluice Drove", "document": SMALL}).json()
    yield made["id"]
    sedge.delete(f"/api/scenes/{made['id']}")


@pytest.fixture
def other(sedge: httpx.Client) -> Iterator[str]:
    """One with a willow of its own, under the same id."""
    document = copy.deepcopy(SMALL)
    document["assets"][0]["name"] = "Pollard"
    made = sedge.post("/api/scenes", json={"name": "Mill Drove", "document": document}).json()
    yield made["id"]
    sedge.delete(f"/api/scenes/{made['id']}")


def read(client: httpx.Client, scene: str) -> dict[str, Any]:
    return client.get(f"/api/scenes/{scene}").json()  # type: ignore[no-any-return]


def layer(client: httpx.Client, scene: str, name: str) -> dict[str, Any]:
    return next(x for x in read(client, scene)["layers"] if x["id"] == name)


def edit(client: httpx.Client, scene: str, of: str = "willows", **values: Any) -> httpx.Response:
    version = layer(client, scene, of)["version"]
    return client.patch(f"/api/scenes/{scene}/layers/{of}", json={"version": version, **values})


def settings(client: httpx.Client, scene: str, **values: Any) -> httpx.Response:
    body = {"version": read(client, scene)["version"], "settings": values}
    return client.patch(f"/api/scenes/{scene}", json=body)


def evaluated(client: httpx.Client, scene: str, name: str) -> dict[str, Any]:
    layers = client.get(f"/api/scenes/{scene}/evaluation").json()["layers"]
    return next(x for x in layers if x["id"] == name)


def parcel(client: httpx.Client, scene: str, name: str = "willows") -> Any:
    answer = client.get(f"/api/scenes/{scene}/layers/{name}/parcel")
    assert answer.status_code == 200
    return answer.json()


def test_a_layer_is_put_into_another_scene_with_what_it_places(
    sedge: httpx.Client, scene: str, other: str
) -> None:
    edit(sedge, scene, game={"phone": 40, "colliders": "none"}, shadow="none", notes={"zone": "a"})
    held = parcel(sedge, scene)
    before = read(sedge, other)
    body = {"parcel": held, "before": "sedges"}
    key = {"Idempotency-Key": "once"}
    answer = sedge.post(f"/api/scenes/{other}/paste", json=body, headers=key)
    assert answer.status_code == 201
    after = answer.json()
    assert len(after["layers"]) == len(before["layers"]) + 1
    ids = [x["id"] for x in after["layers"]]
    made = layer(sedge, other, after["created_id"])
    assert ids[ids.index(made["id"]) + 1] == "sedges"
    assert made["game"]["phone"] == 40 and made["game"]["colliders"] == "none"
    assert (made["shadow"], made["notes"], made["locked"]) == ("none", {"zone": "a"}, False)
    (asset,) = (a for a in after["assets"] if a["id"] not in {b["id"] for b in before["assets"]})
    assert asset["name"] == "Willow"
    assert [e["asset"] for e in made["parameters"]["mix"]] == [asset["id"]]
    # sent again it is made once
    again = sedge.post(f"/api/scenes/{other}/paste", json=body, headers=key)
    assert again.json()["created_id"] == made["id"]
    assert len(read(sedge, other)["layers"]) == len(after["layers"])
    # what came along goes with it
    undone = sedge.post(f"/api/scenes/{other}/undo").json()
    for part in ("layers", "assets"):
        assert [x["id"] for x in undone[part]] == [x["id"] for x in before[part]]
    # and into the scene that it is from it brings no asset
    count = len(read(sedge, scene)["assets"])
    sedge.post(f"/api/scenes/{scene}/paste", json={"parcel": held})
    assert len(read(sedge, scene)["assets"]) == count


def test_what_cannot_be_put_in_is_refused_whole(
    sedge: httpx.Client, burdock: httpx.Client, scene: str, demo_id: str
) -> None:
    held = parcel(sedge, scene)
    before = read(sedge, scene)
    wrong = copy.deepcopy(held)
    wrong["layers"][0]["parameters"]["fill"] = 900
    for body, words in (
        ({"parcel": {}}, "layers"),
        ({"parcel": wrong}, "layers.0.parameters.fill"),
        ({"parcel": {**held, "plough": 99}}, "plough"),
        ({"parcel": held, "before": "nowhere"}, "before"),
    ):
        refused = sedge.post(f"/api/scenes/{scene}/paste", json=body)
        assert refused.status_code == 422 and words in refused.text
    assert read(sedge, scene) == before
    assert sedge.get(f"/api/scenes/{scene}/layers/ground/parcel").status_code == 422
    assert burdock.post(f"/api/scenes/{demo_id}/paste", json={"parcel": held}).status_code == 403
    assert burdock.get(f"/api/scenes/{scene}/layers/willows/parcel").status_code == 404


def test_a_mix_is_kept_placed_changed_and_undone(sedge: httpx.Client, scene: str) -> None:
    edit(sedge, scene, parameters={"mix": MIX["entries"]})
    plain = evaluated(sedge, scene, "willows")
    assert settings(sedge, scene, **{"mixes#wet": MIX}).status_code == 200
    edit(sedge, scene, parameters={"mix": [{"asset": "wet", "weight": 1}]})
    kept = evaluated(sedge, scene, "willows")
    tiles = [[t["data"] for t in v["placements"]["tiles"]] for v in (plain, kept)]
    assert tiles[0] == tiles[1] and not kept["findings"]
    other = {**MIX, "entries": MIX["entries"][:1]}
    settings(sedge, scene, **{"mixes#wet": other})
    names = {v["asset"] for v in evaluated(sedge, scene, "willows")["placements"]["variants"]}
    assert names == {"willow"}
    assert settings(sedge, scene, **{"mixes#wet": {**MIX, "entries": []}}).status_code == 422
    settings(sedge, scene, **{"mixes#wet": None})
    assert "'wet'" in evaluated(sedge, scene, "willows")["findings"][0]["text"]
    sedge.post(f"/api/scenes/{scene}/undo")
    assert read(sedge, scene)["settings"]["mixes"][0]["name"] == "Wet"


def test_the_share_of_a_tier_is_what_the_profile_shows(sedge: httpx.Client, scene: str) -> None:
    whole = evaluated(sedge, scene, "sedges")["placements"]["count"]
    assert edit(sedge, scene, "sedges", game={"phone": 30}).status_code == 200
    assert evaluated(sedge, scene, "sedges")["placements"]["count"] == whole
    settings(sedge, scene, profile="phone")
    few = evaluated(sedge, scene, "sedges")
    assert few["placements"]["count"] == pytest.approx(0.3 * whole, abs=0.05 * whole)
    refused = edit(sedge, scene, "sedges", game={"phone": 130})
    assert refused.status_code == 422 and "phone" in refused.text and "100" in refused.text
    again = edit(sedge, scene, "sedges", game={})
    assert again.status_code == 200
    assert evaluated(sedge, scene, "sedges")["placements"]["count"] == whole


def tried(client: httpx.Client, scene: str, path: str, count: int = 5, of: str = "willows") -> Any:
    body = {"layer": of, "path": path, "count": count, "eye": EYE}
    return client.post(f"/api/scenes/{scene}/trials", json=body)


def test_trials_tell_what_a_draft_and_an_edit_would_come_to(
    sedge: httpx.Client, scene: str
) -> None:
    before = read(sedge, scene)
    found = tried(sedge, scene, "spacing").json()
    assert (found["title"], found["unit"]) == ("Spacing", "m")
    values = [t["value"] for t in found["trials"]]
    assert values == sorted(values) and len(values) == 5 and 9 in values
    counts = [t["placements"] for t in found["trials"]]
    assert counts == sorted(counts, reverse=True) and counts[0] > 2 * counts[-1]
    present = next(t for t in found["trials"] if t["now"])
    assert present["placements"] == evaluated(sedge, scene, "willows")["placements"]["count"]
    assert read(sedge, scene) == before
    widest = found["trials"][-1]
    draft = {"layer": "willows", "parameters": widest["parameters"], "client": "w", "serial": 1}
    drafted = sedge.post(f"/api/scenes/{scene}/draft", json={**draft, "eye": EYE}).json()
    own = next(x for x in drafted["layers"] if x["id"] == "willows")
    assert own["placements"]["count"] == widest["placements"]
    assert own["weight"]["triangles"] == widest["weight"]["triangles"]
    edit(sedge, scene, parameters=widest["parameters"])
    assert evaluated(sedge, scene, "willows")["placements"]["count"] == widest["placements"]


def test_a_trial_beyond_a_limit_says_so_and_the_others_are_there(
    sedge: httpx.Client, scene: str
) -> None:
    edit(sedge, scene, "ground", parameters={"size": 2048})
    edit(sedge, scene, parameters={"areas": [], "spacing": 0.9, "fill": 1})
    found = tried(sedge, scene, "spacing", 3).json()["trials"]
    assert "raise it to" in found[0]["error"] and found[0]["placements"] is None
    assert found[2]["error"] == "" and found[2]["placements"] > 0
    for path, words in (("mix", "no number"), ("conditions#no.fade", "nothing at")):
        refused = tried(sedge, scene, path)
        assert refused.status_code == 422 and words in refused.text
    assert tried(sedge, scene, "spacing", 4).status_code == 422
    assert tried(sedge, scene, "spacing", of="none").status_code == 404
