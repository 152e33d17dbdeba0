"""The ground, as a person makes it: a way to begin, a height map of one's own, and the file of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
import trimesh
from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from plough.core.formats.heights import read_heights, write_tiff
from tests.browser.conftest import Page, differing, packet, picture

pytestmark = pytest.mark.browser


def ground_of(client: httpx.Client, scene: str) -> dict[str, object]:
    return client.get(f"/api/scenes/{scene}").json()["layers"][0]["parameters"]  # type: ignore[no-any-return]


def risen(page: Page, since: float = 0.0) -> float:
    """Cubic metres of ground, by square of the grid, more than `since`."""
    total = page.driver.execute_script(
        "return window.plough.world.field.heights.reduce((a, b) => a + b, 0)"
    )
    return float(total) - since


def test_a_ground_begins_with_a_way_and_is_undone(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "ground")
    before, seen = ground_of(sedge, scene_id), picture(page)
    page.button("Begin with…").click()
    page.until(lambda: len(page.all("dialog[open] img")) == 6, "six pictures")
    page.button("begin with Crater lake").click()
    page.until(lambda: "water at -13 m" in page.text("aside"), "the lake in words")
    assert differing(picture(page), seen) > 0.3
    made = ground_of(sedge, scene_id)
    assert made["basin_rim"] == 40 and made["size"] == before["size"]
    page.button("Undo").click()
    page.until(lambda: "water at" not in page.text("aside"), "the ground as it was")
    assert ground_of(sedge, scene_id) == before


def test_a_height_map_of_ones_own_is_the_ground_and_is_written_again(
    page: Page, sedge: httpx.Client, scene_id: str, tmp_path: Path
) -> None:
    y, x = np.mgrid[0:129, 0:129]
    heights = np.float32(6 * np.sin(x / 13) + 3 * np.cos(y / 8) + 20)
    own, wrong = tmp_path / "washes.tif", tmp_path / "notes.raw"
    own.write_bytes(write_tiff(heights, 2.0))
    wrong.write_bytes(bytes(777))
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "ground")
    page.driver.find_element(
        By.CSS_SELECTOR, "[aria-label='height map or mesh to bring in']"
    ).send_keys(str(wrong))
    page.until(lambda: "no square of 16-bit samples" in page.text("aside"), "the reason")
    page.driver.find_element(
        By.CSS_SELECTOR, "[aria-label='height map or mesh to bring in']"
    ).send_keys(str(own))
    page.until(lambda: "washes.tif" in page.text("aside"), "its name")
    assert "129 × 129, 32 bits, in metres, 11.0 to 29.0 m" in page.text("aside")
    page.until(lambda: "129 × 129 samples" in page.text("aside"), "its samples")
    assert ground_of(sedge, scene_id)["size"] == 256
    page.rested()

    page.button("Write the ground…").click()
    page.button("Write").click()
    page.until(lambda: "256 m a side" in page.text("dialog[open]"), "what was written")
    written = page.until(lambda: list(page.downloads.glob("*.tif")), "the file")[0]
    assert np.array_equal(read_heights("a.tif", written.read_bytes()).values, heights)
    page.button("Close").click()

    made_from = Select(page.driver.find_element(By.XPATH, "//select[.//option[@value='level']]"))
    made_from.select_by_value("level")
    page.until(lambda: "level at 0 m" in page.text("aside"), "a plane")
    assert "Relief" not in page.text("aside") and "washes" not in page.text("aside")
    page.button("Undo").click()
    page.until(lambda: "washes.tif" in page.text("aside"), "the height map, again")


def test_a_mesh_with_an_arch_is_the_ground(
    page: Page, sedge: httpx.Client, scene_id: str, tmp_path: Path
) -> None:
    arch = trimesh.creation.torus(24.0, 5.0, major_sections=40, minor_sections=16)
    arch.apply_translation([0, 3, -10])
    floor = trimesh.creation.box((120, 4, 120))
    floor.apply_translation([0, -2, 0])
    (tmp_path / "arch.glb").write_bytes(
        trimesh.util.concatenate([floor, arch]).export(file_type="glb")
    )
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "ground")
    before = picture(page)
    page.driver.find_element(
        By.CSS_SELECTOR, "[aria-label='height map or mesh to bring in']"
    ).send_keys(str(tmp_path / "arch.glb"))
    page.until(lambda: "Ground made of a mesh." in page.text("aside"), "the mesh in words")
    assert "120 × 120 m" in page.text("aside") and "Relief" not in page.text("aside")
    made = ground_of(sedge, scene_id)
    assert (made["made_from"], made["dressed"]) == ("mesh", "classes")
    page.rested()
    assert differing(picture(page), before) > 0.2
    page.button("Undo").click()
    page.until(lambda: "of ground with about" in page.text("aside"), "the hills, again")
    page.button("Dyke").click()
    assert differing(picture(page), before) < 0.02, "the hills are as they were"
    assert not page.errors()


def test_the_ground_is_shaped_by_brush_by_pointer_and_by_keys(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "ground")
    before = picture(page)
    page.button("Raise").click()
    assert page.one("[data-field='brush.amount']").is_displayed()
    canvas, flat = page.one("section canvas"), risen(page)
    eye = page.driver.execute_script("return window.plough.stage.camera.position.toArray()")

    def drag() -> webdriver.ActionChains:
        hand = webdriver.ActionChains(page.driver, duration=60)
        hand.move_to_element_with_offset(canvas, -60, 40).click_and_hold()
        for _ in range(5):
            hand.move_by_offset(24, 6)
        return hand

    drag().perform()
    page.until(lambda: risen(page, flat) > 5, "the ground that has risen under the brush")
    assert "strokes" not in ground_of(sedge, scene_id) or not ground_of(sedge, scene_id)["strokes"]
    page.keys(Keys.ESCAPE)
    webdriver.ActionChains(page.driver).release().perform()
    assert page.button("Raise").get_attribute("aria-pressed") == "true", "the brush stays in hand"
    page.until(lambda: abs(risen(page, flat)) < 0.5, "the ground as it was, since it was given up")
    drag().release().perform()
    page.until(lambda: "1 stroke" in page.text("aside"), "the stroke")
    page.until(lambda: risen(page, flat) > 5, "the ground that has risen")
    kept: Any = page.until(lambda: ground_of(sedge, scene_id)["strokes"], "the stroke, kept")
    (stroke,) = kept
    assert stroke["brush"] == "raise" and len(stroke["points"]) > 3
    now = page.driver.execute_script("return window.plough.stage.camera.position.toArray()")
    assert now == pytest.approx(eye), "the camera stays where it is"

    page.button("Level").click()
    canvas.send_keys(Keys.ARROW_LEFT * 3, Keys.SPACE)
    page.until(lambda: "2 strokes" in page.text("aside"), "a dab by keys")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: "1 stroke" in page.text("aside"), "one stroke, again")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: "no stroke yet" in page.text("aside"), "none")
    page.until(lambda: abs(risen(page, flat)) < 0.5, "the ground as it was")
    page.keys(Keys.ESCAPE)
    page.until(
        lambda: page.button("Level").get_attribute("aria-pressed") == "false", "no brush in hand"
    )
    assert differing(picture(page), before) < 0.02
    assert not page.errors()


def test_a_path_cuts_a_bed_that_follows_its_points(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    def at(x: float, z: float) -> float:
        return float(
            page.driver.execute_script(f"return window.plough.world.field.height({x}, {z})")
        )

    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "dyke")
    knot = (0.0, -8.0)
    before = at(*knot)
    assert "Depth" not in page.text("aside")
    shapes = Select(page.driver.find_element(By.XPATH, "//select[.//option[@value='causeway']]"))
    shapes.select_by_value("bed")
    page.until(lambda: "It cuts a bed 1.5 m deep." in page.text("aside"), "the bed in words")
    page.until(lambda: at(*knot) < before - 1, "the bed")
    page.rested()
    page.drag(page.one("[data-mark='point 1']"), 40, 160)
    page.until(lambda: at(*knot) > before - 0.3, "what was dug is filled again")

    def point() -> list[float]:
        layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
        found: list[float] = next(x for x in layers if x["id"] == "dyke")["parameters"]["points"][1]
        return found

    page.until(lambda: point() != list(knot), "the point where it was let go")
    moved = point()
    dug = page.settled(lambda: at(*moved))
    page.button("Undo").click()
    page.until(lambda: at(*knot) < before - 1, "the bed where it was")
    page.button("Undo").click()
    page.until(lambda: at(*knot) == pytest.approx(before, abs=1e-3), "the ground as it was")
    assert "It cuts" not in page.text("aside")
    assert dug < at(*moved) - 1, "it had followed its point"


def test_a_class_is_painted_lies_by_a_condition_and_is_undone(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "ground")
    before, seen = ground_of(sedge, scene_id), picture(page)
    panel = page.driver.find_element(By.CSS_SELECTOR, "[aria-label='paint by brush']")
    next(b for b in panel.find_elements(By.TAG_NAME, "button") if "Sand" in b.text).click()
    page.until(lambda: "paint sand" in page.text("main"), "what dragging does")
    hand = webdriver.ActionChains(page.driver, duration=60)
    hand.move_to_element_with_offset(page.one("section canvas"), -60, 40).click_and_hold()
    for _ in range(5):
        hand.move_by_offset(24, 6)
    hand.release().perform()
    page.until(lambda: "1 stroke" in panel.text, "one stroke")
    page.until(lambda: len(ground_of(sedge, scene_id).get("painted") or ()) == 1, "it is kept")  # type: ignore[arg-type]
    page.keys(Keys.ESCAPE)
    page.rested()
    sandy = picture(page)
    assert differing(sandy, seen) > 0.02

    row = page.driver.find_element(By.CSS_SELECTOR, "[data-class='gravel']")
    page.driver.execute_script("arguments[0].scrollIntoView()", row)
    row.find_element(By.TAG_NAME, "button").click()
    Select(row.find_element(By.CSS_SELECTOR, "[data-field='lies'] select")).select_by_value(
        "by-rule"
    )
    page.until(lambda: "everywhere" in row.text, "it lies everywhere, for now")
    add = "[aria-label='add a condition']"
    page.until(lambda: row.find_elements(By.CSS_SELECTOR, add), "a condition can be added")
    Select(row.find_element(By.CSS_SELECTOR, add)).select_by_visible_text("Patches")
    page.until(lambda: "patches of 20.0 m lie" in row.text, "the condition in words")

    def gravel() -> Any:
        return next(c for c in ground_of(sedge, scene_id)["classes"] if c["key"] == "gravel")  # type: ignore[attr-defined]

    page.until(lambda: [c["of"] for c in gravel()["conditions"]] == ["noise"], "it is kept")
    page.rested()
    assert differing(picture(page), sandy) > 0.1
    for left in ([], [], 0):
        page.button("Undo").click()
        page.until(
            lambda left=left: (  # type: ignore[misc]
                gravel()["conditions"] == left
                if isinstance(left, list)
                else not ground_of(sedge, scene_id).get("painted")
            ),
            "one step back",
        )
    page.until(lambda: "no stroke yet" in panel.text, "none")
    assert {k: v for k, v in ground_of(sedge, scene_id).items() if v} == {
        k: v for k, v in before.items() if v
    }
    page.rested()
    assert differing(picture(page), seen) < 0.02
    assert not page.errors()
