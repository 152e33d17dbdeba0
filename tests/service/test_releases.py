"""Releases noted, pinned, deleted and compared; a scene taken back to one."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from sqlalchemy import select

from plough.service.db.session import Database
from plough.service.db.tables import Release, ReleaseFile
from tests.conftest import SMALL, Running, signed_in
from tests.service.test_work import wait


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[str]:
    """The address of a scene of one's own."""
    made = sedge.post("/api/scenes", json={"name": "Osier Holt", "document": SMALL})
    address = f"/api/scenes/{made.json()['id']}"
    yield address
    sedge.delete(address)


def baked(client: httpx.Client, scene: str) -> int:
    number = client.post(f"{scene}/releases").json()["number"]
    assert wait(client, f"{scene}/releases/{number}")["state"] == "done"
    return int(number)


def document(client: httpx.Client, scene: str) -> Any:
    return client.get(f"{scene}/document").json()


def edit(client: httpx.Client, scene: str, layer: str, **values: Any) -> None:
    version = next(x["version"] for x in client.get(scene).json()["layers"] if x["id"] == layer)
    answer = client.patch(f"{scene}/layers/{layer}", json={"version": version, **values})
    assert answer.status_code == 200, answer.text


def test_what_is_noted_stays_and_what_is_pinned_cannot_be_deleted(
    sedge: httpx.Client, scene: str
) -> None:
    number = baked(sedge, scene)
    address = f"{scene}/releases/{number}"
    assert (sedge.get(address).json()["notes"], sedge.get(address).json()["pinned"]) == ("", False)
    noted = sedge.patch(address, json={"notes": "For the review.", "pinned": True}).json()
    assert (noted["notes"], noted["pinned"]) == ("For the review.", True)
    assert sedge.patch(address, json={"notes": "x" * 4001}).status_code == 422
    assert sedge.patch(address, json={"manifest": {}}).status_code == 422
    assert sedge.get(address).json() == noted
    refused = sedge.delete(address)
    assert refused.status_code == 409
    assert "pinned" in refused.json()["detail"]
    assert sedge.patch(address, json={"pinned": False}).json()["notes"] == "For the review."
    assert sedge.delete(address).status_code == 204
    assert sedge.get(address).status_code == 404
    assert sedge.get(f"{address}/bundle.zip").status_code == 404
    # its number is never another's
    assert sedge.post(f"{scene}/releases").json()["number"] == number + 1


def test_what_the_database_cannot_hold_is_refused(sedge: httpx.Client, scene: str) -> None:
    number = baked(sedge, scene)
    address = f"{scene}/releases/{number}"
    huge = 99_999_999_999_999
    asked = (
        ("PATCH", address, {"json": {"notes": "a\x00b"}}),
        ("GET", f"{address}/files/a%00b", {}),
        ("GET", f"{address}/compare/{huge}", {}),
        ("DELETE", f"{scene}/releases/{huge}", {}),
        ("POST", f"{scene}/releases/{huge}/take-back", {}),
    )
    for method, url, more in asked:
        answer = sedge.request(method, url, **more)  # type: ignore[arg-type]
        assert answer.status_code in (404, 422), (method, url, answer.text)
        assert answer.json()["detail"]
    for url in (
        f"{scene}/gains?x=nan",
        f"{scene}/gains?x=1e99",
        f"{scene}/names?pattern={'x' * 121}",
    ):
        assert sedge.get(url).status_code == 422
    assert sedge.get(address).json()["notes"] == ""


def test_what_is_being_baked_is_not_deleted(sedge: httpx.Client, scene: str) -> None:
    number = sedge.post(f"{scene}/releases").json()["number"]
    answer = sedge.delete(f"{scene}/releases/{number}")
    if answer.status_code != 409:  # it was quicker than we: then it had ended
        pytest.fail(answer.text)
    wait(sedge, f"{scene}/releases/{number}")


def test_a_viewer_may_compare_and_change_nothing(
    running: Running, sedge: httpx.Client, scene: str
) -> None:
    number = baked(sedge, scene)
    address = f"{scene}/releases/{number}"
    burdock = signed_in(running.base, "burdock")
    assert burdock.get(f"{address}/compare/{number}").status_code == 404
    sedge.put(f"{scene}/members", json={"name": "burdock", "role": "viewer"})
    assert burdock.get(f"{address}/compare/{number}").status_code == 200
    assert burdock.patch(address, json={"notes": "mine"}).status_code == 403
    assert burdock.delete(address).status_code == 403
    assert burdock.post(f"{address}/take-back").status_code == 403
    burdock.close()


def test_two_releases_are_told_apart_by_layer_asset_and_placement(
    sedge: httpx.Client, scene: str
) -> None:
    first = baked(sedge, scene)
    same = sedge.get(f"{scene}/releases/{first}/compare/{first}").json()
    assert {x["change"] for x in (*same["layers"], *same["assets"])} == {"same"}
    assert same["added"] == same["removed"] == same["moved"] == []
    assert all(w["before"] == w["after"] for w in same["weight"])
    edit(sedge, scene, "willows", parameters={"fill": 30.0})
    second = baked(sedge, scene)
    found = sedge.get(f"{scene}/releases/{second}/compare/{first}").json()
    layers = {x["id"]: x for x in found["layers"]}
    willows = layers["willows"]
    assert willows["change"] == "values"
    assert [v["path"] for v in willows["values"]] == ["fill"]
    assert willows["values"][0]["after"] == 30.0
    # a lower fill keeps what it keeps where it is
    assert willows["removed"] == willows["before"] - willows["after"] > 0
    assert (willows["added"], willows["moved"]) == (0, 0)
    assert layers["ground"]["change"] == "same"
    assert len(found["removed"]) == sum(x["removed"] for x in found["layers"])
    told = {w["what"]: (w["before"], w["after"]) for w in found["weight"]}
    assert told["instances"][0] > told["instances"][1]
    # the other way round it is the other way round
    back = sedge.get(f"{scene}/releases/{first}/compare/{second}").json()
    assert sorted(back["added"]) == sorted(found["removed"])
    assert sedge.get(f"{scene}/releases/{first}/compare/99").status_code == 404


def test_what_is_too_large_is_not_compared(
    sedge: httpx.Client, scene: str, database_url: str
) -> None:
    number = baked(sedge, scene)
    database = Database(database_url)
    with database.session() as db:
        release = db.scalar(select(Release).where(Release.scene_id == scene.rsplit("/", 1)[1]))
        assert release is not None
        table = db.get_one(ReleaseFile, (release.id, "placements.csv"))
        table.bytes = 2_000_000_000
    database.close()
    refused = sedge.get(f"{scene}/releases/{number}/compare/{number}")
    assert refused.status_code in (413, 422), refused.text
    assert "2,000,000,000 bytes" in refused.json()["detail"]


def test_a_scene_is_taken_back_and_that_is_undone_as_one(sedge: httpx.Client, scene: str) -> None:
    first = baked(sedge, scene)
    was = document(sedge, scene)
    # everything that an edit can do: values, an order, something less, something more, a name
    # (the release says nothing of the tilt: it was left to its default)
    edit(sedge, scene, "willows", parameters={"fill": 30.0, "tilt": 12.0}, name="Thinned")
    edit(sedge, scene, "sedges", hidden=True)
    version = next(x["version"] for x in sedge.get(scene).json()["layers"] if x["id"] == "holt")
    assert sedge.delete(f"{scene}/layers/holt", params={"version": version}).status_code == 200
    more = {"kind": "leaf", "name": "Dock leaf", "parameters": {}, "seeds": [3]}
    assert sedge.post(f"{scene}/assets", json=more).status_code == 201
    layer = {"kind": "scatter", "name": "Docks", "parameters": {}, "before": "willows"}
    assert sedge.post(f"{scene}/layers", json=layer).status_code == 201
    whole = sedge.get(scene).json()
    changed = sedge.patch(
        scene,
        json={
            "version": whole["version"],
            "settings": {"sun": {"azimuth": 12.0}, "viewpoints": [VIEW]},
        },
    )
    assert changed.status_code == 200, changed.text
    before = document(sedge, scene)
    assert before != was
    taken = sedge.post(f"{scene}/releases/{first}/take-back")
    assert taken.status_code == 200, taken.text
    assert document(sedge, scene) == was
    assert taken.json()["undo"] == f"back to release {first}"
    assert sedge.post(f"{scene}/undo").status_code == 200
    assert document(sedge, scene) == before
    assert sedge.post(f"{scene}/redo").status_code == 200
    assert document(sedge, scene) == was
    # what is so already is no edit
    edits = sedge.get(scene).json()["edits"]
    assert sedge.post(f"{scene}/releases/{first}/take-back").json()["edits"] == edits
    # and it bakes to the same
    second = baked(sedge, scene)
    manifests = [sedge.get(f"{scene}/releases/{n}").json()["manifest"] for n in (first, second)]
    assert manifests[0] == manifests[1]


VIEW = {"id": "v", "name": "Dyke", "eye": [-40, 12, 40], "target": [0, 2, 0]}


def test_lists_and_orders_are_taken_back_too(sedge: httpx.Client) -> None:
    own = copy.deepcopy(SMALL)
    own["settings"] = {"viewpoints": [VIEW, {**VIEW, "id": "w", "name": "Weir"}]}
    made = sedge.post("/api/scenes", json={"name": "Eel Drove", "document": own}).json()
    scene = f"/api/scenes/{made['id']}"
    first = baked(sedge, scene)
    was = document(sedge, scene)
    whole = sedge.get(scene).json()
    settings = {"viewpoints": [{**VIEW, "name": "Other"}]}
    sedge.patch(scene, json={"version": whole["version"], "settings": settings})
    version = next(x["version"] for x in sedge.get(scene).json()["layers"] if x["id"] == "sedges")
    move = {"version": version, "before": "willows"}
    assert sedge.post(f"{scene}/layers/sedges/move", json=move).status_code == 200
    assert [x["id"] for x in document(sedge, scene)["layers"]] != [x["id"] for x in was["layers"]]
    sedge.post(f"{scene}/releases/{first}/take-back")
    assert document(sedge, scene) == was
    sedge.delete(scene)
