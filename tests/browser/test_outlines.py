"""Paths and areas, as a person draws them: by clicks and by free hand, with holes, closed, as wide here as there, and from a file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import httpx
import pytest
from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page, differing, packet, picture

pytestmark = pytest.mark.browser


def layers(client: httpx.Client, scene: str) -> dict[str, Any]:
    return {x["name"]: x for x in client.get(f"/api/scenes/{scene}").json()["layers"]}


def add(page: Page, title: str) -> None:
    page.button("add a layer").click()
    page.until(
        lambda: next(b for b in page.all("dialog[open] li button") if title in b.text), title
    ).click()
    page.until(lambda: "finish" in page.text("main"), "the tool in hand")


def free_hand(page: Page, spots: list[tuple[int, int]]) -> None:
    """Drag with Shift over the view, from spot to spot, in pixels from its middle."""
    canvas = page.one("section canvas")
    hand = webdriver.ActionChains(page.driver, duration=40).key_down(Keys.SHIFT)
    hand.move_to_element_with_offset(canvas, *spots[0]).click_and_hold()
    for spot in spots[1:]:
        hand.move_to_element_with_offset(canvas, *spot)
    hand.release().key_up(Keys.SHIFT).perform()


def test_an_area_is_drawn_by_free_hand_and_a_hole_is_cut_in_it(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.rested()
    add(page, "Area")
    around = [(-200, 60), (-120, -10), (60, -20), (200, 40), (150, 160), (-60, 200), (-190, 120)]
    free_hand(page, around)
    marks = page.until(lambda: page.all("svg[aria-label^='outline of'] .shown"), "its corners")
    assert 4 <= len(marks) <= len(around)
    page.one("section canvas").send_keys(Keys.ENTER)
    page.until(lambda: "An area of" in page.text("aside"), "the area in words")
    made = page.until(lambda: layers(sedge, scene_id).get("New area"), "the area, kept")
    whole = page.text("aside")
    page.button("Cut a hole…").click()
    page.until(lambda: "by free hand" in page.text("main"), "the tool in hand")
    free_hand(page, [(-40, 70), (10, 50), (50, 70), (20, 100), (-30, 95)])
    page.one("section canvas").send_keys(Keys.ENTER)
    page.until(lambda: "and 1 hole" in page.text("aside"), "the hole in words")
    page.until(lambda: page.text("aside").split(" m²")[0] != whole.split(" m²")[0], "its size")
    hole = page.until(
        lambda: layers(sedge, scene_id)["New area"]["parameters"]["holes"], "the hole, kept"
    )[0]
    page.rested()
    page.drag(page.one("[data-mark='point 0 0']"), 6, 6)
    page.until(
        lambda: layers(sedge, scene_id)["New area"]["parameters"]["holes"][0][0] != hole[0],
        "the corner of the hole where it was let go",
    )
    kept = layers(sedge, scene_id)["New area"]["parameters"]
    assert kept["holes"][0][1:] == hole[1:] and kept["corners"] == made["parameters"]["corners"]
    page.button("remove hole 1").click()
    page.until(lambda: "hole" not in page.text("aside p"), "no hole")
    for _ in range(3):
        page.rested()
        page.button("Undo").click()
    page.until(
        lambda: not layers(sedge, scene_id)["New area"]["parameters"].get("holes"), "as drawn"
    )
    assert not page.errors()


def test_a_path_is_closed_and_as_wide_at_a_point_as_that_says(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "dyke")

    def dyke() -> Any:
        found = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
        return next(x for x in found if x["id"] == "dyke")["parameters"]

    before = picture(page)
    page.one("[data-field='points'] summary").click()
    field = page.one("[aria-label='point 2, width, m']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("14", Keys.ENTER)
    page.until(lambda: dyke()["points"][1][2:] == [14, 0], "its own width, kept")
    assert all(len(p) == 2 for k, p in enumerate(dyke()["points"]) if k != 1)
    wide = picture(page)
    assert differing(wide, before) > 0.005
    page.drag(page.one("[data-mark='point 1']"), 8, 8)
    page.until(lambda: dyke()["points"][1][:2] != [0, -8], "the point where it was let go")
    assert dyke()["points"][1][2:] == [14, 0], "it is as wide as it was"
    box = page.one("[data-field='closed'] input")
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", box)
    if len(dyke()["points"]) < 3:
        box.click()
        page.until(lambda: "3 points or more" in page.text(), "why it cannot be closed")
    else:
        box.click()
        page.until(lambda: dyke()["closed"] is True, "it is closed")
    field = page.one("[aria-label='point 2, width, m']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("900", Keys.ENTER)
    page.until(lambda: "from 0 to 40" in page.text(), "the limit")
    assert dyke()["points"][1][2:] == [14, 0]


def test_lines_from_a_file_become_layers(
    page: Page, sedge: httpx.Client, scene_id: str, tmp_path: Path
) -> None:
    ring = [[0, 0], [25, 0], [25, 25], [0, 0]]
    features = [
        {"type": "Feature", "properties": {"name": name}, "geometry": {"type": t, "coordinates": c}}
        for name, t, c in (
            ("Long drove", "LineString", [[-40, -40], [0, 10], [40, 30]]),
            ("Wet wash", "Polygon", [ring]),
            ("Pump", "Point", [1, 2]),
        )
    ]
    file, wrong = tmp_path / "fen.geojson", tmp_path / "notes.json"
    file.write_text(json.dumps({"type": "FeatureCollection", "features": features}))
    wrong.write_text("{}")
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.button("add a layer").click()
    asked = page.until(
        lambda: page.driver.find_element(By.CSS_SELECTOR, "[aria-label='GeoJSON to bring in']"),
        "where a file is chosen",
    )
    asked.send_keys(str(wrong))
    page.until(lambda: "it has no features" in page.text("dialog[open]"), "the reason")
    asked.send_keys(str(file))
    page.until(lambda: "2 layers were added" in page.text("dialog[open]"), "what was made")
    assert "Point is neither a line nor an area" in page.text("dialog[open]")
    page.keys(Keys.ESCAPE)
    page.until(lambda: "Wet wash" in page.text("[aria-label='Layers']"), "their packets")
    names = list(layers(sedge, scene_id))
    assert names[1:3] == ["Long drove", "Wet wash"], "left of all that may refer to them"


def test_a_rule_over_a_class_with_a_fall_off_is_set_in_the_sentence(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "sedges")

    def count() -> int:
        return int(page.text("[data-packet='sedges']").split("\n")[1].split()[0].replace(",", ""))

    def conditions() -> Any:
        found = layers(sedge, scene_id)["Sedges"]["parameters"].get("conditions", [])
        return {c["of"]: c for c in found}

    whole = count()
    add = Select(page.one("[aria-label='add a condition']"))
    add.select_by_visible_text("Patches")
    page.until(lambda: "patches of 20.0 m lie" in page.text("[data-sentence]"), "in words")
    page.until(lambda: 0.2 * whole < count() < 0.85 * whole, "thinned out")
    thinned = count()
    page.one("[aria-label^='condition: noise']").click()
    fade = page.one("[role=dialog] [data-field='fade'] input")
    fade.send_keys(Keys.CONTROL, "a")
    fade.send_keys("50", Keys.ENTER)
    page.until(lambda: conditions()["noise"]["fade"] == 50, "the fall-off, kept")
    page.until(lambda: thinned < count() < whole, "more of them, thinner farther off")
    page.keys(Keys.ESCAPE)
    Select(page.one("[aria-label='add a condition']")).select_by_visible_text("Ground class")
    page.until(lambda: "the ground is Grass" in page.text("[data-sentence]"), "the class in words")
    page.until(lambda: conditions()["class"]["ids"] == ["grass"], "the class, kept")
    # another class, where nothing lies yet
    page.one("[aria-label^='condition: class']").click()
    for name in ("Grass", "Sand"):
        page.until(
            lambda name=name: next(  # type: ignore[misc]
                b for b in page.all("[role=dialog] button") if b.text.strip() == name
            ),
            name,
        ).click()
        page.until(lambda: conditions()["class"]["ids"] in ([], ["sand"]), "what is chosen")
    page.until(lambda: count() == 0, "nothing, since there is no sand")
    page.keys(Keys.ESCAPE)
    page.driver.find_element(
        By.CSS_SELECTOR, "[aria-label^='remove the condition: the ground']"
    ).click()
    page.until(lambda: thinned < count() < whole, "as before it")
    assert not page.errors()
