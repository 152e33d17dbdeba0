"""Trouble, mending, many changed together and groups, through the service: by whom they may be asked for, what they answer, and the edits that follow."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tests.core.test_trouble import scene as of_things
from tests.core.test_trouble import thing
from tests.service.test_hand import edit, layer, view

WRONG = [
    thing("float", "sedge", lift=1.5),
    thing("one", "willow", at=[40, 30]),
    thing("two", "willow", at=[40.05, 30]),
    thing("way", "willow", at=[0, -8]),
    thing("fine", "sedge", at=[30, 50]),
]


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[str]:
    """A small scene in which three things are wrong."""
    document = of_things(*WRONG)
    document["assets"] = [a for a in document["assets"] if a["id"] != "stone"]
    by_hand = next(x for x in document["layers"] if x["id"] == "set")["parameters"]
    by_hand["mix"] = [m for m in by_hand["mix"] if m["asset"] != "stone"]
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": document})
    assert made.status_code == 201, made.text
    yield str(made.json()["id"])
    sedge.delete(f"/api/scenes/{made.json()['id']}")


def trouble(client: httpx.Client, scene: str) -> dict[str, Any]:
    answer = client.get(f"/api/scenes/{scene}/trouble")
    assert answer.status_code == 200, answer.text
    return answer.json()  # type: ignore[no-any-return]


def mends(client: httpx.Client, scene: str, *ids: str) -> httpx.Response:
    return client.post(f"/api/scenes/{scene}/trouble/mend", json={"findings": list(ids)})


def ids(client: httpx.Client, scene: str) -> list[str]:
    """Of all that is set down, as the view is told."""
    tiles = view(client, scene, "set")["placements"]["tiles"]
    out = []
    for tile in tiles:
        data = client.get(f"/api/blobs/{tile['data']}").content
        n = tile["count"]
        out += [str(int.from_bytes(data[44 * n + 8 * k :][:8], "little")) for k in range(n)]
    return out


def test_what_is_wrong_is_told_mended_by_edits_and_undone(sedge: httpx.Client, scene: str) -> None:
    found = trouble(sedge, scene)
    assert {f["code"] for f in found["findings"]} == {"floating", "intersecting", "blocking-path"}
    assert found["count"] == 3 and found["left"] == 0
    assert {(a["layer"], a["code"], a["count"]) for a in found["amounts"]} == {
        ("set", c, 1) for c in ("floating", "intersecting", "blocking-path")
    }
    assert all(f["mend"] and f["place"] and f["thing"] for f in found["findings"])
    before = view(sedge, scene, "set")["key"]
    (made,) = mends(sedge, scene, *(f["id"] for f in found["findings"])).json()
    assert view(sedge, scene, "set")["key"] == before  # it is not made by asking for it
    assert made["layer"] == "set" and len(made["parameters"]) == 3
    edit(sedge, scene, "set", **made["parameters"]).raise_for_status()
    after = trouble(sedge, scene)
    assert after["count"] == 0 and after["edits"] == found["edits"] + 1
    sedge.post(f"/api/scenes/{scene}/undo").raise_for_status()
    assert view(sedge, scene, "set")["key"] == before
    assert {f["id"] for f in trouble(sedge, scene)["findings"]} == {
        f["id"] for f in found["findings"]
    }


def test_a_finding_is_left_as_it_is_by_one_and_looked_at_again(
    sedge: httpx.Client, scene: str
) -> None:
    first = trouble(sedge, scene)["findings"][0]
    version = sedge.get(f"/api/scenes/{scene}").json()["version"]
    body = {"version": version, "settings": {f"left#{first['id']}": {"text": first["text"]}}}
    sedge.patch(f"/api/scenes/{scene}", json=body).raise_for_status()
    found = trouble(sedge, scene)
    assert found["left"] == 1 and found["count"] == 2
    assert first["id"] not in {f["id"] for f in found["findings"]}
    sedge.post(f"/api/scenes/{scene}/undo").raise_for_status()
    assert trouble(sedge, scene)["left"] == 0
    bad = {"version": version + 2, "settings": {"left#../x": {"text": ""}}}
    assert sedge.patch(f"/api/scenes/{scene}", json=bad).status_code == 422


def test_many_are_changed_as_a_draft_and_as_an_edit(sedge: httpx.Client, scene: str) -> None:
    things = ids(sedge, scene)
    change = {"relative": True, "move": [2, 3], "turn": 40, "size": 1.1}
    before = view(sedge, scene, "set")["key"]
    body = {
        "layer": "set",
        "client": "c",
        "serial": 1,
        "adjust": {"things": things, "change": change},
    }
    drafted = sedge.post(f"/api/scenes/{scene}/draft", json=body)
    assert drafted.status_code == 200, drafted.text
    seen = next(x for x in drafted.json()["layers"] if x["id"] == "set")["key"]
    assert seen != before and view(sedge, scene, "set")["key"] == before
    made = sedge.post(f"/api/scenes/{scene}/layers/set/adjust", json=body["adjust"]).json()
    assert made["told"] == "" and len(made["parameters"]) == len(WRONG)
    edit(sedge, scene, "set", **made["parameters"]).raise_for_status()
    assert view(sedge, scene, "set")["key"] == seen  # the draft was what it came to
    at = {t["id"]: t["at"] for t in layer(sedge, scene, "set")["parameters"]["placed"]}
    assert at["fine"] == pytest.approx([32, 53], abs=1e-3)
    sedge.post(f"/api/scenes/{scene}/undo").raise_for_status()
    assert view(sedge, scene, "set")["key"] == before


def test_a_group_is_made_of_the_chosen(sedge: httpx.Client, scene: str) -> None:
    things = ids(sedge, scene)
    made = sedge.post(f"/api/scenes/{scene}/layers/set/gather", json={"things": things[:3]}).json()
    assert len(made["parameters"]["parts"]) == 3 and len(made["layer"]) == 3
    asset = {"kind": made["kind"], "name": "Stack", "parameters": made["parameters"]}
    added = sedge.post(f"/api/scenes/{scene}/assets", json=asset)
    assert added.status_code == 201, added.text
    name = added.json()["created_id"]
    mix = [*layer(sedge, scene, "set")["parameters"]["mix"], {"asset": name}]
    one = {f"placed#{name}": {**made["placed"], "asset": name}}
    edit(sedge, scene, "set", **made["layer"], **one, mix=mix).raise_for_status()
    placed = view(sedge, scene, "set")["placements"]
    assert placed["count"] == len(WRONG) - 2
    group = next(v for v in placed["variants"] if v["asset"] == name)
    assert group["count"] == 1 and group["stops"]
    picture = sedge.get(f"/api/scenes/{scene}/assets/{name}/picture")
    assert picture.status_code == 200 and len(picture.content) > 1000
    mesh = sedge.get(group["levels"][0]["mesh"])
    assert mesh.status_code == 200 and mesh.content[:4] == b"glTF"
    # the bench draws it with what its parts are made from
    body = {
        "scene": scene,
        "kind": "group",
        "parameters": made["parameters"],
        "seed": 1,
        "detail": 0,
    }
    drawn = sedge.post("/api/make", json=body)
    assert drawn.status_code == 200 and len(drawn.content) > 10_000


def test_mistakes_are_named_and_change_nothing(sedge: httpx.Client, scene: str) -> None:
    things = ids(sedge, scene)
    before = sedge.get(f"/api/scenes/{scene}").json()["edits"]
    adjust = f"/api/scenes/{scene}/layers/set/adjust"
    for answer, words in (
        (mends(sedge, scene, "0" * 16), "not amiss any more"),
        (mends(sedge, scene), "findings"),
        (mends(sedge, scene, *["0" * 16] * 201), "findings"),
        (
            sedge.post(adjust, json={"things": things, "change": {"size": 400.0}}),
            "beyond 0.05 to 20",
        ),
        (sedge.post(adjust, json={"things": things, "change": {"size": 401.0}}), "size"),
        (sedge.post(adjust, json={"things": ["5"], "change": {}}), "not there any more"),
        (sedge.post(adjust, json={"things": [], "change": {}}), "things"),
        (sedge.post(adjust, json={"things": ["1"] * 5001, "change": {}}), "things"),
        (sedge.post(adjust, json={"things": things, "change": {"do": "explode"}}), "do"),
        (
            sedge.post(
                f"/api/scenes/{scene}/layers/ground/adjust", json={"things": things, "change": {}}
            ),
            "no placements",
        ),
    ):
        assert answer.status_code == 422, answer.text
        assert words in answer.text
    assert sedge.get(f"/api/scenes/{scene}").json()["edits"] == before


def test_only_members_are_told(scene: str, running: Any) -> None:
    from tests.conftest import signed_in

    stranger = signed_in(running.base, "burdock")
    assert stranger.get(f"/api/scenes/{scene}/trouble").status_code in (403, 404)
    assert mends(stranger, scene, "0" * 16).status_code in (403, 404)
    for what in ("adjust", "gather"):
        body = {"things": ["1"], "change": {}} if what == "adjust" else {"things": ["1"]}
        answer = stranger.post(f"/api/scenes/{scene}/layers/set/{what}", json=body)
        assert answer.status_code in (403, 404)
