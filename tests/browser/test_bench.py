"""What an artist does on the bench."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, differing, picture
from tests.core.test_bake import validate


def bench(page: Page, scene_id: str, asset: str = "willow") -> None:
    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/{asset}")
    page.loaded()
    page.until(lambda: len(page.all('[aria-label="tray"] img')) == 8, "eight pictures")
    page.rested()


def kept(sedge: httpx.Client, scene_id: str, asset: str = "willow") -> dict[str, Any]:
    found = next(
        a for a in sedge.get(f"/api/scenes/{scene_id}").json()["assets"] if a["id"] == asset
    )
    return found["parameters"]  # type: ignore[no-any-return]


def test_a_ruler_on_the_bench_changes_the_tree_and_its_triangles(page: Page, scene_id: str) -> None:
    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/willow")
    page.loaded()
    triangles = lambda: page.number("[data-triangles]", "data-triangles")  # noqa: E731
    before = page.until(triangles, "the tree")
    page.button("Branching").click()
    ruler = page.one('[data-field="first.count"] [role=slider]')
    page.drag(ruler, 48)
    page.until(lambda: triangles() > before, "more triangles")
    page.until(lambda: "saved" in page.text("header [role=status]"), "saved")
    page.until(
        lambda: f"{int(triangles()):,} triangles" in page.text("[data-triangles]"), "as many told"
    )
    more = triangles()
    assert more > before
    page.button("Undo").click()
    page.until(lambda: triangles() == before, "the tree as it was")
    # levels of detail: click one to see it, with its own triangles
    page.until(
        lambda: all("…" not in b.text for b in page.all('[aria-label="levels of detail"] button')),
        "the ladder",
    )
    page.all('[aria-label="levels of detail"] button')[3].click()
    page.until(lambda: triangles() == 4, "the card")
    page.all('[aria-label="levels of detail"] button')[0].click()
    page.until(lambda: triangles() == before, "the nearest level")


def test_the_seed_tray_grows_eight_and_keeps_one(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    page.sign_in("sedge")
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/willow")
    page.loaded()
    page.until(lambda: len(page.all('[aria-label="tray"] img')) == 8, "eight pictures")
    pictures = {e.get_attribute("src") for e in page.all('[aria-label="tray"] img')}
    assert len(pictures) == 8, "eight different trees"
    from selenium.webdriver import ActionChains

    fifth = page.one('[aria-label="tray"] button[data-seed="5"]')
    ActionChains(page.driver).key_down(Keys.SHIFT).click(fifth).key_up(Keys.SHIFT).perform()

    def seeds():
        return next(
            a for a in sedge.get(f"/api/scenes/{scene_id}").json()["assets"] if a["id"] == "willow"
        )["seeds"]

    page.until(lambda: seeds() == [1, 2, 5], "seed 5 kept")


def test_presets_cousins_and_versions_are_taken_and_taken_back(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    bench(page, scene_id)
    before = kept(sedge, scene_id)
    page.button("Versions").click()
    page.one('input[aria-label="note on this version"]').send_keys("good crown" + Keys.ENTER)
    page.until(lambda: page.all('button[data-version="1"] img'), "the version")
    page.button("Start from a preset…").click()
    page.until(lambda: len(page.all("dialog img")) >= 15, "fifteen pictures")
    page.button("begin with Dead snag").click()
    page.until(lambda: kept(sedge, scene_id)["leaves"] is False, "the snag")
    page.until(lambda: 0 < page.number("[data-triangles]", "data-triangles") < 9000, "a bare tree")
    page.until(lambda: "saved" in page.text("header [role=status]"), "saved")
    page.button("Undo").click()
    page.until(lambda: kept(sedge, scene_id) == before, "the tree as it was")
    page.button("Cousins").click()
    page.until(lambda: len(page.all('button[aria-label^="take cousin"]')) == 8, "eight cousins")
    page.button("lock Height").click()
    page.button("lock Stem diameter").click()
    page.button("Walk on").click()
    page.until(lambda: not page.all('[aria-busy="true"]'), "the walk's end")
    page.button("take cousin 4").click()
    page.until(lambda: kept(sedge, scene_id) != before, "another recipe")
    after = kept(sedge, scene_id)
    assert (after["height"], after["girth"]) == (before["height"], before["girth"])
    page.until(lambda: "saved" in page.text("header [role=status]"), "saved")
    page.button("Versions").click()
    page.one('button[data-version="1"]').click()
    page.until(lambda: kept(sedge, scene_id) == before, "the version again")


def test_what_is_held_hovered_dragged_and_dialled_is_seen(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    from selenium.webdriver import ActionChains

    bench(page, scene_id)
    alone = picture(page)
    page.button("Hold two side by side").click()
    page.until(lambda: "right: as it was" in page.text('[aria-label="turntable"]'), "what is held")
    assert differing(alone, picture(page)) > 0.05
    page.button("put away").click()
    page.until(lambda: "right:" not in page.text('[aria-label="turntable"]'), "one alone")
    # a hovered parameter lights what it acts on
    page.button("Leaves").click()
    plain = picture(page)
    ActionChains(page.driver).move_to_element(page.one('[data-field="leaf_tilt"]')).perform()
    page.until(lambda: differing(plain, picture(page)) > 0.004, "lit leaves")
    # a knot of the guide is dragged in the view
    page.button("Habit").click()
    page.button("Draw a guide").click()
    page.until(lambda: len(kept(sedge, scene_id)["guide"]) == 3, "three knots")
    page.rested()
    before = kept(sedge, scene_id)["guide"]
    page.drag(page.one('g[aria-label="knot 3 of the guide"]'), 60)
    page.until(lambda: kept(sedge, scene_id)["guide"] != before, "the knot's new place")
    assert kept(sedge, scene_id)["guide"][:2] == before[:2]
    # the dial says what it did and fits a number
    page.button("Detail").click()
    wanted = page.one('input[aria-label="triangles to fit to"]')
    wanted.clear()
    wanted.send_keys("1,200" + Keys.ENTER)
    page.until(
        lambda: 0 < page.number("[data-triangles]", "data-triangles") <= 1200,
        "at most 1,200 triangles",
    )
    page.until(lambda: "→" in page.text("[data-changed]"), "what the dial changed")
    wanted.clear()
    wanted.send_keys("3" + Keys.ENTER)
    page.until(lambda: "barest form" in page.text("aside"), "a clear refusal")


def test_an_asset_is_written_as_a_valid_file_and_found_on_the_shelf(
    page: Page, scene_id: str, tmp_path: Path, sedge: httpx.Client
) -> None:
    bench(page, scene_id)
    page.button("Write a file…").click()
    page.button("Write").click()
    path = page.until(lambda: list(page.downloads.glob("*.glb")), "the download")[0]
    issues = validate(path)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0)
    page.keys(Keys.ESCAPE)
    page.button("Shelf").click()
    page.until(lambda: len(page.all("dialog article")) == 2, "two assets")
    search = page.one('input[aria-label="search the shelf"]')
    search.send_keys("sedge")
    page.until(lambda: len(page.all("dialog article")) == 1, "one of them")
    page.all('dialog article button[aria-label^="duplicate"]')[0].click()
    names = lambda: [a["name"] for a in sedge.get(f"/api/scenes/{scene_id}").json()["assets"]]  # noqa: E731
    page.until(lambda: any(n.endswith(", copy") for n in names()), "the copy")
    page.until(lambda: ", copy" in page.text("header"), "the copy on the bench")
