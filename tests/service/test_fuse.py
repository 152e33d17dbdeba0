"""Skins made for the bench: told as they go, stopped when nobody waits, and over what is laid along a line."""

from __future__ import annotations

import json
import time
from typing import Any

import httpx
import numpy as np
import pytest

from tests.conftest import SMALL

ROCKS = [
    {"id": "a", "asset": "", "at": [0, 0, 0]},
    {"id": "b", "asset": "", "at": [0.5, 0.1, 0.1], "seed": 4, "turn": 50},
]


@pytest.fixture
def scene_id(sedge: httpx.Client) -> str:
    return str(sedge.post("/api/scenes", json={"name": "Hythe", "document": SMALL}).json()["id"])


def asset(client: httpx.Client, scene: str, kind: str, parameters: dict[str, Any]) -> str:
    body = {"kind": kind, "name": kind, "parameters": parameters, "seeds": [1]}
    made = client.post(f"/api/scenes/{scene}/assets", json=body)
    assert made.status_code in (200, 201), made.text
    return str(made.json()["created_id"])


def parts(rock: str) -> list[dict[str, Any]]:
    return [{**p, "asset": rock} for p in ROCKS]


def told(data: bytes) -> tuple[list[dict[str, Any]], bytes]:
    """The lines that tell how far it is, and what follows them."""
    lines = []
    while data:
        line, data = data.split(b"\n", 1)
        lines.append(json.loads(line))
        if "bytes" in lines[-1] or "error" in lines[-1]:
            break
    return lines, data


def extras(glb: bytes) -> dict[str, Any]:
    long = int.from_bytes(glb[12:16], "little")
    document = json.loads(glb[20 : 20 + long])
    found: dict[str, Any] = document["scenes"][0]["extras"]
    return found


def test_a_skin_is_told_as_it_goes_and_is_what_is_made_untold(
    sedge: httpx.Client, scene_id: str
) -> None:
    rock = asset(sedge, scene_id, "rock", {"triangles": 300})
    body = {
        "kind": "fused",
        "parameters": {"parts": parts(rock), "steps": "coarse"},
        "scene": scene_id,
    }
    lines, glb = told(sedge.post("/api/make/told", json=body).content)
    shares = [x["share"] for x in lines[:-1]]
    assert len(shares) >= 3 and shares == sorted(shares)
    assert all(x["words"] for x in lines[:-1])
    assert lines[-1]["bytes"] == len(glb)
    assert glb == sedge.post("/api/make", json=body).content
    measures = extras(glb)["measures"]
    assert 0 < measures["mean"] < measures["greatest"] < 4 * measures["cell"]


def test_a_heap_is_seen_as_it_falls(sedge: httpx.Client, scene_id: str) -> None:
    rock = asset(sedge, scene_id, "rock", {"triangles": 300})
    own = {"parts": [{"id": "p", "asset": rock, "seeds": 2}], "count": 120}
    body = {"kind": "heap", "parameters": own, "scene": scene_id}
    data = sedge.post("/api/make/told", json=body).content
    seen, told = [], []
    while data:
        line, data = data.split(b"\n", 1)
        told.append(json.loads(line))
        if long := told[-1].get("picture"):
            seen.append(extras(data[:long]))
            data = data[long:]
        if "bytes" in told[-1]:
            break
    assert told[-1]["bytes"] == len(data)
    assert data == sedge.post("/api/make", json=body).content
    made = extras(data)
    assert seen and seen[0]["height"] > 1.3 * made["height"], "in the air at first"
    assert all(x["counts"] == made["counts"] == {"things": 120} for x in seen)
    assert all(x["words"] == "Falling" for x in told if "picture" in x)


def test_what_cannot_be_made_is_told_with_its_field(sedge: httpx.Client, scene_id: str) -> None:
    rock = asset(sedge, scene_id, "rock", {"triangles": 300})
    own = {"parts": parts(rock), "steps": "own", "cell": 0.05}
    body = {"kind": "fused", "parameters": own, "scene": scene_id}
    lines, glb = told(sedge.post("/api/make/told", json=body).content)
    assert lines[-1]["field"] == "cell" and "cm wide or more" in lines[-1]["error"] and not glb
    for changes, word in (({"grow": 9}, "grow"), ({"steps": "finest"}, "steps")):
        wrong = sedge.post("/api/make/told", json={**body, "parameters": {**own, **changes}})
        assert wrong.status_code == 422 and word in wrong.text
    missing = {**own, "parts": [{"id": "a", "asset": "no"}]}
    lines, glb = told(sedge.post("/api/make/told", json={**body, "parameters": missing}).content)
    assert extras(glb)["counts"] == {}, "a part that is missing is left out"


def test_whoever_goes_away_stops_the_work(sedge: httpx.Client, scene_id: str) -> None:
    rock = asset(sedge, scene_id, "rock", {"triangles": 300})
    own = {"parts": parts(rock), "steps": "fine", "each": True, "grow": 3}
    # more than may be made at once are begun, and none is waited for
    for smooth in range(6):
        body = {"kind": "fused", "parameters": {**own, "smooth": smooth}, "scene": scene_id}
        until = time.monotonic() + 60
        while True:
            with sedge.stream("POST", "/api/make/told", json=body) as answer:
                if answer.status_code == 200:
                    assert b"share" in next(answer.iter_raw())
                    break
            assert answer.status_code == 429 and time.monotonic() < until
            time.sleep(0.2)
    # and their places are free again
    body["parameters"] = {"parts": parts(rock), "steps": "coarse"}
    until = time.monotonic() + 60
    while (found := sedge.post("/api/make/told", json=body)).status_code == 429:
        assert time.monotonic() < until
        time.sleep(0.2)
    assert told(found.content)[0][-1]["bytes"] > 1000


def test_a_wall_becomes_an_asset_and_one_skin(
    sedge: httpx.Client, burdock: httpx.Client, scene_id: str
) -> None:
    line = {"points": [[-2, 0], [2, 0.5]], "height": 1.0}
    layer = {"kind": "wall", "name": "Fold", "parameters": line}
    hedge = {"kind": "hedge", "name": "Hedge", "parameters": {"points": line["points"]}}
    grown = sedge.post(f"/api/scenes/{scene_id}/layers", json=hedge).json()["created_id"]
    made = sedge.post(f"/api/scenes/{scene_id}/layers", json=layer).json()["created_id"]
    taken = sedge.post("/api/bench/meshes/layer", json={"scene": scene_id, "layer": made})
    assert taken.status_code == 201
    mesh = asset(sedge, scene_id, "mesh", taken.json()["parameters"])
    alone = {"kind": "mesh", "parameters": taken.json()["parameters"], "scene": scene_id}
    facts = extras(sedge.post("/api/make", json=alone).content)
    assert facts["triangles"] == taken.json()["triangles"] > 1000
    assert 0.8 < facts["height"] < 1.6, "it stands on the ground of its middle"
    whole = {"parts": [{"id": "p", "asset": mesh}], "steps": "coarse"}
    body = {"kind": "fused", "parameters": whole, "scene": scene_id}
    lines, glb = told(sedge.post("/api/make/told", json=body).content)
    assert "bytes" in lines[-1]
    assert np.isclose(extras(glb)["height"], facts["height"], atol=0.1)
    assert extras(glb)["counts"]["skins"] == 1
    for asked, status, word in (
        ({"scene": scene_id, "layer": "no"}, 404, "no layer"),
        ({"scene": scene_id, "layer": "willows"}, 422, "along a line"),
        ({"scene": scene_id, "layer": grown}, 422, "along a line"),
        ({"scene": scene_id}, 422, "layer"),
    ):
        wrong = sedge.post("/api/bench/meshes/layer", json=asked)
        assert wrong.status_code == status and word in wrong.text
    other = burdock.post("/api/bench/meshes/layer", json={"scene": scene_id, "layer": made})
    assert other.status_code in (403, 404)
