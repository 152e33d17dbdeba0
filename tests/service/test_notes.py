"""Notes for the game on assets and layers: kept, checked, undone, part of the document."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tests.conftest import SMALL


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[dict[str, Any]]:
    """A small scene of one's own."""
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL}).json()
    yield made
    sedge.delete(f"/api/scenes/{made['id']}")


def one(scene: dict[str, Any], of: str, kind: str) -> dict[str, Any]:
    found: dict[str, Any] = next(x for x in scene[of] if x["kind"] == kind)
    return found


@pytest.mark.parametrize(("of", "kind"), [("assets", "tree"), ("layers", "scatter")])
def test_notes_are_kept_replaced_checked_and_undone(
    sedge: httpx.Client, scene: dict[str, Any], of: str, kind: str
) -> None:
    item = one(scene, of, kind)
    url = f"/api/scenes/{scene['id']}/{of}/{item['id']}"

    def noted(notes: dict[str, str]) -> httpx.Response:
        now = one(sedge.get(f"/api/scenes/{scene['id']}").json(), of, kind)
        return sedge.patch(url, json={"version": now["version"], "notes": notes})

    assert item["notes"] == {}
    first = noted({"sound": "leaves", "hp": "40"})
    assert first.status_code == 200, first.text
    assert one(first.json(), of, kind)["notes"] == {"sound": "leaves", "hp": "40"}
    assert one(noted({"hp": "50"}).json(), of, kind)["notes"] == {"hp": "50"}
    for bad, field in (
        ({"9 lives": "x"}, "notes"),
        ({"a": "x" * 201}, "notes"),
        ({"a": "line\nbreak"}, "notes"),
        ({f"k{n}": "" for n in range(25)}, "notes"),
    ):
        answer = noted(bad)
        assert answer.status_code == 422, answer.text
        assert field in answer.json()["errors"][0]["field"]
    kept = sedge.get(f"/api/scenes/{scene['id']}").json()
    assert one(kept, of, kind)["notes"] == {"hp": "50"}, "what is refused changes nothing"
    undone = sedge.post(f"/api/scenes/{scene['id']}/undo").json()
    assert one(undone, of, kind)["notes"] == {"sound": "leaves", "hp": "40"}
    document = sedge.get(f"/api/scenes/{scene['id']}/document").json()
    assert one(document, of, kind)["notes"] == {"sound": "leaves", "hp": "40"}
    again = sedge.post("/api/scenes", json={"name": "Again", "document": document}).json()
    assert one(again, of, kind)["notes"] == {"sound": "leaves", "hp": "40"}
    sedge.delete(f"/api/scenes/{again['id']}")


def test_a_layer_that_is_removed_and_put_back_has_its_notes(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    item = one(scene, "layers", "scatter")
    url = f"/api/scenes/{scene['id']}/layers/{item['id']}"
    sedge.patch(
        url, json={"version": item["version"], "notes": {"zone": "holt"}}
    ).raise_for_status()
    sedge.delete(url).raise_for_status()
    back = sedge.post(f"/api/scenes/{scene['id']}/undo").json()
    found = next(x for x in back["layers"] if x["id"] == item["id"])
    assert found["notes"] == {"zone": "holt"}
