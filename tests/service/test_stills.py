"""Stills of the viewpoints that are kept with a release."""

from __future__ import annotations

import io
import json
from collections.abc import Iterator
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image

from plough.service.limits import MOST_JSON, MOST_STILL
from tests.conftest import SMALL, Running, signed_in

JPEG = {"Content-Type": "image/jpeg"}
VIEWPOINTS = [
    {"id": "bank", "name": "From the bank", "eye": [0, 3, 20], "target": [0, 1, 0]},
    {"id": "far-end", "name": "Far end", "eye": [30, 3, 20], "target": [0, 1, 0]},
]


@pytest.fixture
def base(sedge: httpx.Client) -> Iterator[str]:
    """The address of a release whose scene has two viewpoints."""
    document = json.loads(json.dumps(SMALL))
    document["settings"] = {**document.get("settings", {}), "viewpoints": VIEWPOINTS}
    made = sedge.post("/api/scenes", json={"name": "Pike Lode", "document": document})
    assert made.status_code == 201, made.text
    scene = f"/api/scenes/{made.json()['id']}"
    yield f"{scene}/releases/{sedge.post(f'{scene}/releases').json()['number']}"
    sedge.delete(scene)


def image(seed: int, size: tuple[int, int] = (160, 90), kind: str = "JPEG") -> bytes:
    out = io.BytesIO()
    noise = np.random.default_rng(seed).integers(
        0, 255, (size[1] // 10, size[0] // 10, 3), np.uint8
    )
    Image.fromarray(noise).resize(size).save(out, kind)
    return out.getvalue()


def stills(client: httpx.Client, base: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = client.get(base).json()["stills"]
    assert client.get(base.rsplit("/", 1)[0]).json()[0]["stills"] == found
    return found


def test_a_release_keeps_what_its_viewpoints_show(sedge: httpx.Client, base: str) -> None:
    assert stills(sedge, base) == []
    far, bank = image(1), image(2)
    assert sedge.put(f"{base}/stills/far-end", content=far, headers=JPEG).status_code == 200
    assert sedge.put(f"{base}/stills/bank", content=bank, headers=JPEG).status_code == 200
    found = stills(sedge, base)
    assert [(s["viewpoint"], s["name"]) for s in found] == [
        ("bank", "From the bank"),
        ("far-end", "Far end"),
    ], "in the order of the scene's viewpoints"
    for still, data in zip(found, (bank, far), strict=True):
        answer = sedge.get(still["picture"])
        assert (answer.content, answer.headers["content-type"]) == (data, "image/jpeg")
    # another in its place has another address
    assert sedge.put(f"{base}/stills/bank", content=image(3), headers=JPEG).status_code == 200
    again = stills(sedge, base)
    assert again[0]["picture"] != found[0]["picture"] and again[1] == found[1]
    assert sedge.get(again[0]["picture"]).content == image(3)


def test_what_is_no_still_is_refused_and_loses_nothing(sedge: httpx.Client, base: str) -> None:
    good = image(1)
    sedge.put(f"{base}/stills/bank", content=good, headers=JPEG)
    for data in (
        b"",
        b"\xff\xd8\xff" + b"x" * 900,
        image(2, kind="PNG"),
        image(2)[:40],
        image(2)[:-300],
    ):
        answer = sedge.put(f"{base}/stills/bank", content=data, headers=JPEG)
        assert answer.status_code == 422, data[:20]
        assert "still" in answer.text and "JPEG" in answer.text
    wide = sedge.put(f"{base}/stills/bank", content=image(2, (3850, 20)), headers=JPEG)
    assert wide.status_code == 422 and "3840 x 2160" in wide.text
    assert (
        sedge.put(f"{base}/stills/bank", content=image(2, (3840, 2160)), headers=JPEG).status_code
        == 200
    )
    large = good + b"\0" * (MOST_STILL - len(good))
    assert len(large) > MOST_JSON
    assert sedge.put(f"{base}/stills/bank", content=large, headers=JPEG).status_code == 200
    sedge.put(f"{base}/stills/bank", content=good, headers=JPEG)
    big = sedge.put(f"{base}/stills/bank", content=good + b"\0" * MOST_STILL, headers=JPEG)
    assert big.status_code == 413
    assert sedge.put(f"{base}/stills/nowhere", content=good, headers=JPEG).status_code == 404
    assert sedge.put(f"{base}9/stills/bank", content=good, headers=JPEG).status_code == 404
    assert sedge.get(f"{base}/stills/far-end").status_code == 404
    assert sedge.get(stills(sedge, base)[0]["picture"]).content == good


def test_who_may_see_a_scene_sees_its_stills_and_who_may_not_edit_it_keeps_none(
    sedge: httpx.Client, running: Running, base: str
) -> None:
    sedge.put(f"{base}/stills/bank", content=image(1), headers=JPEG)
    address = stills(sedge, base)[0]["picture"]
    burdock = signed_in(running.base, "burdock")
    assert burdock.get(address).status_code == 404
    scene = base.split("/releases", maxsplit=1)[0]
    shared = sedge.put(f"{scene}/members", json={"name": "burdock", "role": "viewer"})
    assert shared.status_code in (200, 204), shared.text
    assert burdock.get(address).content == image(1)
    assert burdock.put(f"{base}/stills/bank", content=image(2), headers=JPEG).status_code == 403
    nobody = httpx.Client(base_url=running.base)
    assert nobody.get(address).status_code == 401
    assert nobody.put(f"{base}/stills/bank", content=image(2), headers=JPEG).status_code == 401
    assert sedge.get(address).content == image(1)
