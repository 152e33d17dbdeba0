"""The view: one renderer, memory that stays flat, tools and camera by pointer and by keys."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import httpx
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, differing, packet, picture

MEMORY = """
const gl = window.plough.stage.renderer.gl;
window.first ??= gl;
const {geometries, textures} = gl.info.memory;
return {geometries, textures, programs: gl.info.programs.length,
        canvases: document.querySelectorAll('canvas').length, same: window.first === gl};
"""
CONTEXTS = """
const get = HTMLCanvasElement.prototype.getContext;
window.contexts = 0;
HTMLCanvasElement.prototype.getContext = function (kind, ...rest) {
  if (kind.startsWith('webgl')) window.contexts++;
  return get.call(this, kind, ...rest);
};
"""


def test_twenty_openings_of_board_and_bench_use_one_context_and_flat_memory(
    page: Page, scene_id: str
) -> None:
    page.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": CONTEXTS})
    page.sign_in("sedge")

    def opened(address: str) -> dict[str, Any]:
        page.driver.execute_script("location.hash = arguments[0]", f"#/scene/{scene_id}{address}")
        page.loaded()
        # what is far is drawn from cards while the camera moves: whether that comes first is left to no chance
        page.driver.execute_script("window.plough.stage.move()")
        page.rested()
        found: dict[str, Any] = page.driver.execute_script(MEMORY)
        return found

    seen = [(opened(""), opened("/asset/willow")) for _ in range(10)]
    for k in (0, 1):
        for what in ("geometries", "textures", "programs"):
            early, late = ([pair[k][what] for pair in part] for part in (seen[1:5], seen[5:]))
            assert max(late) <= max(early), f"{what} of {('board', 'bench')[k]}: {early} {late}"
    board, bench = seen[-1]
    assert board["geometries"] > 3 and board["textures"] > 3
    assert board["same"] and board["canvases"] == bench["canvases"] == 1
    assert page.driver.execute_script("return window.contexts") == 1


def test_the_board_is_as_it_was_left_when_one_comes_back_from_the_bench(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.rested()
    packet(page, "willows")
    focus_view(page)
    page.keys(Keys.ARROW_RIGHT, "+")
    page.rested()
    there, seen = eye(page), picture(page)
    page.driver.execute_script("window.board = window.plough; window.asked = []")
    page.driver.execute_script(
        "const get = window.fetch; window.fetch = (what, ...rest) => {"
        " window.asked.push(what.url ?? what); return get(what, ...rest); }"
    )
    page.driver.execute_script("location.hash = arguments[0]", f"#/scene/{scene_id}/asset/willow")
    page.until(
        lambda: page.driver.execute_script("return Boolean(window.plough.table)"), "the bench"
    )
    page.loaded()
    page.rested()
    assert len(page.all("[data-frame]")) == 1, "the board is still in the page"
    # neither the pointer nor the keys reach what is away
    page.drag(page.one("section canvas"), 120, 40)
    focus_view(page)
    page.keys(Keys.HOME, Keys.DELETE)
    page.rested()
    kept = page.driver.execute_script("return window.board.stage.camera.position.toArray()")
    assert kept == there[:3]
    # what changes meanwhile is evaluated when the board is seen again
    version = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
    willows = next(x for x in version if x["id"] == "willows")
    page.driver.execute_script("window.asked.length = 0")
    changed = sedge.patch(
        f"/api/scenes/{scene_id}/layers/willows",
        json={"version": willows["version"], "parameters": {"fill": 1}},
    )
    assert changed.status_code == 200, changed.text
    page.settled(lambda: len(page.driver.execute_script("return window.asked")))
    asked = page.driver.execute_script("return window.asked")
    assert not [a for a in asked if "evaluation" in a], asked
    page.driver.execute_script("location.hash = arguments[0]", f"#/scene/{scene_id}")
    page.until(
        lambda: not page.driver.execute_script("return Boolean(window.plough.table)"), "the board"
    )
    assert page.one("[data-loaded]").get_attribute("data-loaded") == "true"
    page.until(
        lambda: [a for a in page.driver.execute_script("return window.asked") if "evaluation" in a],
        "an evaluation",
    )
    page.rested()
    assert eye(page) == there
    assert page.driver.execute_script("return window.board.world === window.plough.world")
    assert "Scatter Willow" in page.text("aside"), "another layer is selected"
    assert differing(seen, picture(page)) > 0.01, "fewer willows look the same"
    assert len(sedge.get(f"/api/scenes/{scene_id}").json()["layers"]) == len(version)
    assert not page.errors()


def focus_view(page: Page) -> None:
    page.driver.execute_script("document.querySelector('section canvas').focus()")


def eye(page: Page) -> list[float]:
    found: list[float] = page.driver.execute_script(
        "const s = window.plough.stage; return [...s.camera.position.toArray(), ...s.controls.target.toArray()]"
    )
    return found


def test_the_camera_turns_walks_and_zooms_by_keys(page: Page, scene_id: str) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "willows")
    before, first = eye(page), picture(page)
    focus_view(page)

    def distance(at: list[float]) -> float:
        return float(sum((a - b) ** 2 for a, b in zip(at[:3], at[3:], strict=True)) ** 0.5)

    page.keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
    turned = eye(page)
    assert turned[3:] == before[3:] and turned[:3] != before[:3]
    assert abs(distance(turned) - distance(before)) < 1e-3
    page.chord(Keys.SHIFT, Keys.ARROW_UP)
    walked = eye(page)
    moved = [b - a for a, b in zip(turned, walked, strict=True)]
    assert abs(moved[0] - moved[3]) < 1e-6 and abs(moved[2] - moved[5]) < 1e-6
    assert abs(moved[1]) < 1e-6 and abs(moved[0]) + abs(moved[2]) > 0.5
    page.keys("+", "+")
    assert distance(eye(page)) < 0.8 * distance(walked)
    assert differing(first, picture(page)) > 0.05


def test_a_path_is_drawn_and_changed_by_keys_alone(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.one("[aria-label='add a layer']").click()
    kinds = lambda: page.all("dialog[open] li button")  # noqa: E731
    page.until(
        lambda: next((b for b in kinds() if b.text.startswith("Path")), None), "the kinds"
    ).click()
    focused = "return document.activeElement.tagName"
    page.until(lambda: page.driver.execute_script(focused) == "CANVAS", "the view in focus")
    page.keys(*[Keys.ARROW_DOWN] * 3, Keys.SPACE)
    page.keys(*[Keys.ARROW_RIGHT] * 9, Keys.SPACE)
    page.keys(*[Keys.ARROW_DOWN] * 4, Keys.SPACE)
    assert len(page.all("svg[role=group] circle.shown")) == 3
    page.keys(Keys.BACKSPACE)
    page.until(lambda: len(page.all("svg[role=group] circle.shown")) == 2, "one taken back")
    page.keys(Keys.ENTER)
    page.until(lambda: len(page.all("g[data-mark^=point]")) == 2, "the path is there")

    def points() -> list[list[float]]:
        layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
        mine = next(n for n in layers if n["name"] == "New path")
        found: list[list[float]] = mine["parameters"]["points"]
        return found

    drawn = points()
    middle = page.one('g[data-mark="middle 0"]')
    page.driver.execute_script("arguments[0].focus()", middle)
    page.keys(Keys.ENTER)
    page.until(lambda: len(points()) == 3, "one more point")
    assert points()[::2] == drawn
    expected = [(a + b) / 2 for a, b in zip(*drawn, strict=True)]
    assert all(abs(a - b) < 0.011 for a, b in zip(points()[1], expected, strict=True))
    focused = "return document.activeElement.getAttribute('data-mark')"
    page.until(lambda: page.driver.execute_script(focused) == "point 1", "the new point in focus")
    edits = sedge.get(f"/api/scenes/{scene_id}").json()["edits"]
    held = ActionChains(page.driver).key_down(Keys.ARROW_RIGHT)
    held.key_down(Keys.ARROW_RIGHT).key_down(Keys.ARROW_RIGHT).key_up(Keys.ARROW_RIGHT).perform()
    page.until(lambda: abs(points()[1][0] - expected[0] - 3) < 0.02, "moved by three metres")
    assert sedge.get(f"/api/scenes/{scene_id}").json()["edits"] == edits + 1, "a held key, one edit"
    page.keys(Keys.DELETE)
    page.until(lambda: points() == drawn, "the point is removed")


def test_a_click_on_what_stands_chooses_its_layer(page: Page, scene_id: str) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "ground")
    page.rested()
    place = page.driver.execute_async_script(
        """
        const done = arguments[0], {stage, world} = window.plough;
        (async () => {
          for (let y = 40; y < stage.height - 60; y += 12)
            for (let x = 60; x < stage.width - 60; x += 12) {
              const spot = {x: x + 0.5, y: y + 0.5};
              if (world.under(spot)?.layer !== 'willows') continue;
              if ((await world.pick(spot))?.layer === 'willows') return done([x, y]);
            }
          done(null);
        })();
        """
    )
    assert place, "no willow can be met in the view"
    canvas = page.one("section canvas")
    x, y = place[0] - canvas.size["width"] / 2, place[1] - canvas.size["height"] / 2
    pointer = ActionChains(page.driver).move_to_element_with_offset(canvas, round(x), round(y))
    pointer.perform()
    page.until(lambda: page.all('[data-pointed="willows"]'), "the name of what is pointed at")
    pointer.click().perform()
    page.until(lambda: page.all('[data-packet="willows"][aria-current=true]'), "the willows chosen")


def test_no_script_is_heavier_than_half_a_megabyte() -> None:
    scripts = list((Path(__file__).parents[2] / "web/dist/assets").glob("*.js"))
    assert len(scripts) > 5, "the pages are not built"
    heavy = {s.name: s.stat().st_size for s in scripts if s.stat().st_size > 500_000}
    assert not heavy
