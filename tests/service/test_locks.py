"""Layers that are locked, doubled, or there for their shadow alone."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from plough.core.scene import read_document
from tests.conftest import SMALL


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[str]:
    """A small scene of one's own."""
    made = sedge.post("/api/scenes", json={"name": "Sluice Drove", "document": SMALL}).json()
    yield made["id"]
    sedge.delete(f"/api/scenes/{made['id']}")


def layer(client: httpx.Client, scene: str, name: str = "willows") -> dict[str, Any]:
    layers = client.get(f"/api/scenes/{scene}").json()["layers"]
    return next(x for x in layers if x["id"] == name)


def edit(client: httpx.Client, scene: str, of: str = "willows", **values: Any) -> httpx.Response:
    version = layer(client, scene, of)["version"]
    return client.patch(f"/api/scenes/{scene}/layers/{of}", json={"version": version, **values})


def test_a_locked_layer_takes_nothing_but_being_unlocked(sedge: httpx.Client, scene: str) -> None:
    assert edit(sedge, scene, locked=True).status_code == 200
    held = layer(sedge, scene)
    for values in (
        {"name": "Osiers"},
        {"hidden": True},
        {"parameters": {"fill": 3}},
        {"shadow": "none"},
    ):
        refused = edit(sedge, scene, **values)
        assert refused.status_code == 422 and "locked; unlock it first" in refused.text
    address = f"/api/scenes/{scene}/layers/willows"
    for refused in (
        sedge.delete(address),
        sedge.post(f"{address}/move", json={"version": held["version"], "before": "dyke"}),
    ):
        assert refused.status_code == 422 and "locked" in refused.text
    assert layer(sedge, scene) == held, "nothing is lost, nothing is changed"
    assert edit(sedge, scene, "sedges", parameters={"fill": 3}).status_code == 200
    assert edit(sedge, scene, locked=False, name="Osiers").status_code == 200
    assert layer(sedge, scene)["name"] == "Osiers"
    sedge.post(f"/api/scenes/{scene}/undo")
    assert layer(sedge, scene)["locked"]


def test_shadows_are_kept_told_and_taken_over_into_files(sedge: httpx.Client, scene: str) -> None:
    assert layer(sedge, scene)["shadow"] == "casts"
    assert edit(sedge, scene, shadow="only").json()["layers"]
    assert edit(sedge, scene, shadow="half").status_code == 422
    saved = sedge.get(f"/api/scenes/{scene}/document")
    document = read_document(saved.json())
    kept = next(x for x in document.layers if x.id == "willows")
    assert (kept.shadow, kept.locked) == ("only", False)
    again = sedge.post("/api/scenes", json={"name": "Again", "document": saved.json()}).json()
    assert layer(sedge, again["id"])["shadow"] == "only"
    sedge.delete(f"/api/scenes/{again['id']}")
    sedge.post(f"/api/scenes/{scene}/undo")
    assert layer(sedge, scene)["shadow"] == "casts"
