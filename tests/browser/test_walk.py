"""The stand-in for a game: a release walked in, with nothing but its files."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.browser.test_releases import baked

pytestmark = pytest.mark.browser

WAYS: dict[str, dict[str, Any]] = {
    "one file": {"textures": False},
    "compressed": {"packing": "meshopt", "images": "webp"},
    "plain nodes": {"textures": False, "instancing": False},
    "a file a tile": {"layout": "tiles", "tile_side": "64"},
}


def ready(page: Page, scene_id: str, release: int) -> None:
    page.driver.get(f"{page.base}/walk?scene={scene_id}&release={release}")
    page.until(lambda: page.one("[data-ready]").get_attribute("data-ready") == "true", "loaded", 60)
    page.until(lambda: page.all("[data-differs]"), "compared with the manifest", 60)


def at(page: Page) -> list[float]:
    told = "const p = window.walk.place.camera.position; return [p.x, p.y, p.z]"
    return [float(v) for v in page.driver.execute_script(told)]


def put(page: Page, x: float, z: float, tx: float, tz: float) -> None:
    """Stand at a place and look to another."""
    page.driver.execute_script(
        "const { place: p, walker: w } = window.walk; const [x, z, u, v] = arguments; w.end();"
        "const y = p.height(x, z) + 1.7; p.look({ x, y, z }, { x: u, y, z: v }); w.begin()",
        *(x, z, tx, tz),
    )


def hold(page: Page, key: str, seconds: float) -> None:
    keys = ActionChains(page.driver).key_down(key).pause(seconds).key_up(key)
    keys.perform()


@pytest.mark.parametrize("way", WAYS)
def test_a_release_is_walked_in(page: Page, sedge: httpx.Client, scene_id: str, way: str) -> None:
    layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
    version = next(x["version"] for x in layers if x["id"] == "bake")
    body = {"version": version, "parameters": WAYS[way]}
    assert sedge.patch(f"/api/scenes/{scene_id}/layers/bake", json=body).status_code == 200
    release = baked(sedge, scene_id)
    address = f"/api/scenes/{scene_id}/releases/{release}"
    manifest = sedge.get(address).json()["manifest"]
    page.sign_in("sedge")
    ready(page, scene_id, release)
    if "tiles" in manifest:
        page.until(
            lambda: page.one("[data-tiles]").get_attribute("data-tiles") == "4", "all tiles", 60
        )
    counts = manifest["counts"]
    for what in ("instances", "colliders"):
        page.until(
            lambda what=what: (
                page.one(f"[data-{what}]").get_attribute(f"data-{what}") == str(counts[what])
            ),
            what,
        )
    page.until(lambda: page.one("[data-differs]").get_attribute("data-differs") == "0", "the same")
    # the renderer has counted what was drawn
    page.until(
        lambda: float(page.one("[data-cost]").get_attribute("data-cost") or 0) > 1000, "cost"
    )

    # one walks on the ground of the release
    put(page, -10, 20, -10, 0)
    before = at(page)
    hold(page, Keys.ARROW_UP, 1.0)
    page.until(lambda: at(page)[2] < before[2] - 0.4, "walked")
    x, y, z = at(page)
    ground = page.driver.execute_script(
        "return window.walk.place.height(arguments[0], arguments[1])", x, z
    )
    assert y == pytest.approx(ground + 1.7, abs=0.02)

    # and is stopped by a trunk, as are shots
    trunk = page.driver.execute_script(
        """
        const p = window.walk.place;
        for (let x = -50; x < 50; x += 2) for (let z = -50; z < 50; z += 2) {
          const [o] = p.stops(x, z, 2);
          if (!o) continue;
          const [a, b] = [o.ring.map((r) => r[0]), o.ring.map((r) => r[1])];
          return [(Math.min(...a) + Math.max(...a)) / 2, (Math.min(...b) + Math.max(...b)) / 2, o.name];
        }
        """
    )
    assert trunk is not None
    tx, tz, name = trunk
    put(page, tx, tz + 3, tx, tz)
    page.button("Shoot where you look").click()
    page.until(lambda: f"stopped by {name} at" in page.text("main"), "a shot is stopped")
    page.driver.execute_script("document.activeElement.blur()")
    # who meets it to one side comes round it: what was in the way on the way is noted
    page.driver.execute_script(
        "window.met = new Set(); new MutationObserver(() => window.met.add(document.querySelector('main').innerText))"
        ".observe(document.querySelector('main'), { subtree: true, childList: true, characterData: true })"
    )
    ActionChains(page.driver).key_down(Keys.ARROW_UP).perform()
    met = "return [...window.met].some((t) => t.includes(arguments[0]))"
    page.until(lambda: page.driver.execute_script(met, f"in the way: {name}"), "in the way", 20)
    ActionChains(page.driver).key_up(Keys.ARROW_UP).perform()
    x, _, z = at(page)
    assert 0.2 < ((x - tx) ** 2 + (z - tz) ** 2) ** 0.5 < 3.01
    # what blocks is shown, and costs nothing that is told
    page.driver.find_element("xpath", "//label[normalize-space()='Show colliders']").click()
    page.driver.find_element("xpath", "//label[normalize-space()='Wind']").click()
    page.until(lambda: page.one("[data-differs]").get_attribute("data-differs") == "0", "the same")
    assert not page.errors()


def test_what_cannot_be_walked_in_says_why(page: Page, sedge: httpx.Client, scene_id: str) -> None:
    page.sign_in("sedge")
    page.driver.get(f"{page.base}/walk?scene={scene_id}&release=7")
    page.until(lambda: "no release 7" in page.text("[role='alert']"), "told")


def test_files_are_given_whole_and_in_part(sedge: httpx.Client, scene_id: str) -> None:
    release = baked(sedge, scene_id)
    base = f"/api/scenes/{scene_id}/releases/{release}/files"
    whole = sedge.get(f"{base}/scene.glb")
    assert whole.headers["content-type"] == "model/gltf-binary"
    assert len(whole.content) == int(whole.headers["content-length"])
    size = len(whole.content)
    for asked, data in (
        ("bytes=0-3", whole.content[:4]),
        ("bytes=100-", whole.content[100 : 100 + 14_000_000]),
        ("bytes=-7", whole.content[-7:]),
        (f"bytes={size - 2}-{size + 50}", whole.content[-2:]),
    ):
        part = sedge.get(f"{base}/scene.glb", headers={"Range": asked})
        assert (part.status_code, part.content) == (206, data), asked
        first = whole.content.index(data) if len(data) > 100 else None
        assert part.headers["content-range"].endswith(f"/{size}")
        assert first in (None, 100)
    none = sedge.get(f"{base}/scene.glb", headers={"Range": f"bytes={size}-"})
    assert (none.status_code, none.headers["content-range"]) == (416, f"bytes */{size}")
    assert (
        sedge.get(f"{base}/scene.glb", headers={"Range": "furlongs=1-2"}).content == whole.content
    )
    assert sedge.get(f"{base}/no.glb").status_code == 404
    assert sedge.get(f"{base}/../../../secret").status_code == 404
