"""An asset library, as a person uses it: looked through, taken from, renewed, and away."""

from __future__ import annotations

import hashlib
import json

import httpx
import pytest
from starlette.responses import Response

from tests.browser.conftest import Page
from tests.library import Outside, Slow

pytestmark = pytest.mark.browser


def dialog_of(page: Page, scene_id: str) -> None:
    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/willow")
    page.loaded()
    page.button("Shelf").click()
    page.button("Bring in meshes…").click()
    page.button("From the library…").click()


def test_a_stone_is_taken_from_the_library_and_renewed(
    page: Page, sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    dialog_of(page, scene_id)
    page.one("[aria-label='search the asset library']").send_keys("drift")
    page.until(lambda: len(page.all("[aria-label^='look at']")) == 3, "three drift stones")
    page.one("[aria-label='look at Flat drift stone']").click()
    looked = "[aria-label='the item looked at']"
    page.until(lambda: "Teasel Fen workshop" in page.text(looked), "who made it")
    assert "CC0-1.0" in page.text(looked)

    library.wrong["/flat-drift-stone.glb"] = lambda b, h: (b[:-1] + b"?", h)
    page.button("Take it").click()
    page.until(
        lambda: "hash" in page.one("[aria-label='the item looked at']").text, "the lie is told"
    )
    library.wrong["/flat-drift-stone.glb"] = Slow()
    page.button("Take it").click()
    page.button("Cancel").click()
    page.until(lambda: page.button("Take it").is_enabled(), "it can be tried again")
    library.wrong.clear()
    page.button("Take it").click()
    page.button("Bring in one mesh").click()
    page.until(lambda: "Where it is from" in page.text(), "its origin is told")
    (origin,) = sedge.get(f"/api/scenes/{scene_id}/origins").json()
    assert origin["item"] == "flat-drift-stone" and origin["licence"] in page.text()
    assert "is there." not in page.text()

    # the library has another stone under the same name, a year later
    other = httpx.get(f"{library.base}/items/milestone").json()["files"][0]
    data = httpx.get(f"{library.base}/items/milestone/{version(library)}/{other['name']}").content

    def later(body: bytes, headers: dict[str, str]) -> tuple[bytes, dict[str, str]]:
        item = json.loads(body)
        item["version"] = "year-2"
        told = {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
        item["files"][0] |= told
        return json.dumps(item).encode(), headers

    library.wrong |= {
        "/versions": lambda b, h: (b'{"flat-drift-stone": "year-2"}', h),
        "/items/flat-drift-stone": later,
        "/year-2/flat-drift-stone.glb": lambda b, h: Response(
            data, 200, media_type="model/gltf-binary"
        ),
    }
    page.driver.refresh()
    page.loaded()
    page.until(lambda: "Version year-2 is there." in page.text(), "the newer version")
    page.button("Take it").click()
    page.until(lambda: "version year-2" in page.text(), "that it is the newer one")
    assert "is there." not in page.text()
    document = sedge.get(f"/api/scenes/{scene_id}/document").json()
    assert [o["version"] for o in document["origins"]] == ["year-2"]
    page.button("Undo").click()
    page.until(lambda: "Version year-2 is there." in page.text(), "the old one, again")


def version(library: Outside) -> str:
    return str(httpx.get(f"{library.base}/items/milestone").json()["version"])


def test_a_library_that_is_away_says_so_and_is_asked_again(
    page: Page, scene_id: str, library: Outside
) -> None:
    library.wrong["/items"] = lambda b, h: Response(b"", 503)
    dialog_of(page, scene_id)
    page.until(lambda: "503" in page.one("dialog[open] [role=alert]").text, "it is told")
    library.wrong.clear()
    page.button("Ask again").click()
    page.until(lambda: page.all("[aria-label='look at Cask']"), "its items")
