"""Stone as an artist makes it: a rock from preset to scatter, a pile, walls and brick runs, a skin over a wall, a jar whose outline is dragged."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page, begin, differing, draw, picture
from tests.browser.test_placing import Scene, opened, sentence

pytestmark = pytest.mark.browser


def add_preset(page: Page, kind: str, preset: str) -> None:
    """Add a layer of a kind with a preset to place."""
    page.rested()  # there is ground to point at
    begin(page, kind)
    page.until(lambda: len(page.all("dialog[open] img")) >= 15, "pictures")
    page.one('input[aria-label="search what can be placed"]').send_keys(preset)
    page.button(f"place the preset {preset}").click()
    page.button("Add the layer").click()


STONES = """
// triangles of what is drawn as stone, from so many times as far from the middle of the view
const {stage} = window.plough;
const before = stage.camera.position.clone();
stage.camera.position.lerpVectors(stage.controls.target, before, arguments[0]);
stage.camera.updateMatrixWorld();
stage.onPrepare(false);
let count = 0;
stage.scene.traverseVisible((o) => {
  if (o.isMesh && !o.isInstancedMesh && /stone/.test(o.material.name)) count += o.geometry.index.count / 3;
});
stage.camera.position.copy(before);
stage.move();
return count;
"""


def parameters(scene: Scene, kind: str) -> dict[str, Any]:
    found: dict[str, Any] = scene.of(kind)["parameters"]
    return found


def test_a_rock_goes_from_a_preset_over_the_bench_into_a_scatter(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    page.rested()
    before, layers = picture(page), len(scene.layers())
    add_preset(page, "Scatter", "Field boulder")
    page.until(lambda: len(scene.layers()) == layers + 1, "the layer")
    made = next(x for x in scene.layers() if x["name"] == "New scatter")
    page.until(lambda: scene.placed(made["id"]) > 20, "boulders stand")
    page.rested()
    assert differing(picture(page), before) > 0.0005, "they are seen"
    # on the bench it is made more angular: other triangles, and the scene has it so
    path = "//section[.//h2='Make on the bench']//button[contains(., 'Field boulder')]"
    there = page.until(lambda: page.driver.find_elements(By.XPATH, path), "it is on the shelf")[0]
    page.driver.execute_script("arguments[0].click()", there)
    page.until(lambda: page.all("[data-triangles]"), "the bench")
    page.rested()
    seen = picture(page)
    field = page.one("input[aria-label='Angular, value']")
    field.click()
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("1" + Keys.ENTER)

    def angularity() -> float:
        assets = sedge.get(scene.address).json()["assets"]
        return next(
            float(a["parameters"]["angularity"]) for a in assets if a["name"] == "Field boulder"
        )

    page.until(lambda: angularity() == 1, "it is kept")
    page.rested()
    assert differing(picture(page), seen) > 0.003
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: angularity() != 1, "undone")
    assert not page.errors()


def test_a_pile_is_dropped_where_it_is_pointed_at_and_moved(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    add_preset(page, "Pile", "Scree")
    page.until(lambda: "finish" in page.text(), "where it is dropped")
    canvas = page.one('section[aria-label="view"] canvas')
    ActionChains(page.driver).move_to_element_with_offset(canvas, 0, 60).click().perform()
    page.keys(Keys.ENTER)
    page.until(lambda: parameters(scene, "pile").get("points"), "the pile")
    pile = scene.of("pile")
    page.until(lambda: scene.placed(pile["id"]) == 40, "forty stones")
    page.until(lambda: "dropped and settled" in sentence(page), "in words")
    page.one("[data-sentence] [aria-label^='how many']").click()
    field = page.one("[data-sentence] [role=dialog] input")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("12" + Keys.ENTER)
    page.until(lambda: scene.placed(pile["id"]) == 12, "twelve stones")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: scene.placed(pile["id"]) == 40, "forty again")
    assert not page.errors()


def test_a_wall_is_drawn_a_path_crosses_it_and_the_opening_goes_along(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    page.rested()
    before = picture(page)
    draw(page, "Stone wall", (-160, 60), (-20, 80), (140, 60))
    page.until(lambda: any(x["kind"] == "wall" for x in scene.layers()), "the wall")
    wall = scene.of("wall")

    def stones() -> dict[str, str]:
        evaluated = sedge.get(f"{scene.address}/evaluation").json()
        own = next(x for x in evaluated["layers"] if x["id"] == wall["id"])
        return {s["name"]: s["mesh"] for s in own["solids"]}

    page.until(lambda: len(stones()) >= 2, "it is laid in pieces")
    page.until(lambda: "drystone wall" in sentence(page), "in words")
    page.rested()
    assert differing(picture(page), before) > 0.002, "it is seen"
    near = page.driver.execute_script(STONES, 0.1)
    far = page.driver.execute_script(STONES, 10)
    assert 0 < far < 0.4 * near, (far, near)
    whole = stones()
    draw(page, "Path", (-60, 20), (-70, 190))
    page.until(lambda: stones() != whole, "an opening")
    paths = [x["id"] for x in scene.layers() if x["kind"] == "path"]
    crossed = stones()
    page.rested()
    # the path is dragged in the view, and the opening goes along
    points = scene.layer(paths[-1])["parameters"]["points"]
    page.drag(page.until(lambda: page.all("[data-mark='point 1']"), "its marks")[0], 70, 0)
    page.until(lambda: scene.layer(paths[-1])["parameters"]["points"] != points, "dragged")
    page.until(lambda: stones() not in (whole, crossed), "the opening has gone along")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: stones() == crossed, "undone")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: stones() == whole, "without the path the wall is whole")
    assert not page.errors()


def test_a_wall_begins_in_another_way_and_gets_an_opening_of_its_own(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    draw(page, "Stone wall", (-140, 70), (120, 60))
    page.until(lambda: any(x["kind"] == "wall" for x in scene.layers()), "the wall")
    page.until(lambda: page.all("[data-openings] button"), "its sheet")
    page.button("Begin with…").click()
    page.until(lambda: page.all("dialog[open] img"), "pictures")
    page.button("begin with Rubble wall").click()
    page.until(lambda: parameters(scene, "wall").get("bond") == "rubble", "rubble")
    assert len(parameters(scene, "wall")["points"]) == 2, "it stands where it stood"
    page.until(lambda: "as rubble" in sentence(page), "in words")
    page.button("Add an opening").click()
    page.until(lambda: parameters(scene, "wall").get("openings"), "an opening")
    (own,) = parameters(scene, "wall")["openings"]
    field = page.until(lambda: page.all("input[aria-label='Wide, value']"), "its width")[0]
    field.click()
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("2" + Keys.ENTER)
    page.until(lambda: parameters(scene, "wall")["openings"][0]["width"] == 2, "wider")
    page.button("remove opening 1").click()
    page.until(lambda: not parameters(scene, "wall").get("openings"), "taken out")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: parameters(scene, "wall").get("openings"), "undone")
    assert parameters(scene, "wall")["openings"][0]["at"] == own["at"]
    assert not page.errors()


def test_a_brick_run_is_drawn_and_read_as_a_list(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    draw(page, "Brick run", (-140, 70), (120, 60))
    page.until(lambda: any(x["kind"] == "bricks" for x in scene.layers()), "the run")
    page.until(lambda: "in English bond" in sentence(page), "in words")
    page.button("Begin with…").click()
    page.until(lambda: page.all("dialog[open] img"), "pictures")
    page.button("begin with Concrete blocks").click()
    page.until(lambda: parameters(scene, "bricks").get("long") == 440, "large blocks")
    page.until(lambda: "half over half" in sentence(page), "in words")
    layer = scene.of("bricks")["id"]
    told = sedge.get(f"{scene.address}/layers/{layer}/blocks", params={"many": 500}).json()
    page.button("List of blocks…").click()
    page.until(lambda: page.all("[data-blocks]"), "the list")
    assert page.one("[data-blocks]").get_attribute("data-blocks") == str(told["count"])
    rows = page.all("dialog[open] tbody tr")
    assert len(rows) == min(100, told["count"])
    # as the page has it, however far the dialog has faded in
    shown = rows[0].find_elements(By.CSS_SELECTOR, "td")
    cells = [str(c.get_attribute("textContent")).strip() for c in shown]
    first = told["blocks"][0]
    assert cells[:3] == ["1", "1", first["role"]]
    assert float(cells[3]) == pytest.approx(first["middle"][0], abs=1e-3)
    assert cells[7] == f"{round(1000 * first['size'][0])}"
    if told["count"] > 100:
        page.button("Next").click()
        page.until(lambda: page.all("dialog[open] tbody td")[0].text == "101", "more of them")
    table = sedge.get(f"{scene.address}/layers/{layer}/blocks/file").text.splitlines()
    assert len(table) == told["count"] + 1
    assert not page.errors()


def test_an_opening_is_dragged_along_the_elevation(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    draw(page, "Stone wall", (-160, 60), (140, 60))
    page.until(lambda: any(x["kind"] == "wall" for x in scene.layers()), "the wall")
    page.button("Add an opening").click()
    page.until(lambda: parameters(scene, "wall").get("openings"), "an opening")
    page.button("Elevation").click()
    stones = page.number("[data-stones]", "data-stones")
    assert stones > 100

    def at() -> list[float]:
        found: list[float] = parameters(scene, "wall")["openings"][0]["at"]
        return found

    first = at()
    gap = page.until(lambda: page.all("[data-gap][role=slider]"), "its opening")[0]
    place = float(gap.get_attribute("aria-valuenow") or 0)
    page.drag(gap, 60)
    page.until(lambda: at() != first, "dragged along")
    gap = page.one("[data-gap][role=slider]")
    page.until(
        lambda: float(gap.get_attribute("aria-valuenow") or 0) > place + 0.3, "it stands there"
    )
    assert "seen from its right" in page.text("footer")
    there = at()
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: at() == first, "undone")
    page.until(lambda: page.all("[data-gap][role=slider]"), "its opening")[0].send_keys(
        Keys.SHIFT, Keys.ARROW_RIGHT
    )
    page.until(lambda: at() not in (first, there), "by half a metre")
    moved = ((at()[0] - first[0]) ** 2 + (at()[1] - first[1]) ** 2) ** 0.5
    assert moved == pytest.approx(0.5, abs=0.05)
    page.button("From its left").click()
    page.until(lambda: "seen from its left" in page.text("footer"), "from its left")
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[data-stones]"), "it is put away")
    assert page.all("[data-packet]")
    assert not page.errors()


def test_stones_fall_into_a_heap(page: Page, sedge: httpx.Client, scene_id: str) -> None:
    scene = opened(page, sedge, scene_id)
    body = {"kind": "rock", "name": "Cobble", "parameters": {"triangles": 400}, "seeds": [3, 4, 5]}
    made = sedge.post(f"{scene.address}/assets", json=body).json()["created_id"]
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/{made}")
    page.until(lambda: page.all("[data-triangles]"), "the bench")

    def heap() -> dict[str, Any]:
        assets = sedge.get(scene.address).json()["assets"]
        found: dict[str, Any] = next((a for a in assets if a["kind"] == "heap"), {})
        return found

    def things() -> int:
        assert not page.all("[data-progress]")
        return int(page.number("[data-triangles]", "data-triangles"))

    page.button("Heap…").click()
    page.until(lambda: heap().get("name") == "Cobble heap", "another asset")
    page.until(lambda: "heap" in page.text("[role=status]"), "its bench")
    page.until(lambda: page.number("[data-triangles]", "data-triangles") > 1000, "a heap")
    (part,) = heap()["parameters"]["parts"]
    assert (part["asset"], part["seed"], part["seeds"]) == (made, 3, 4)
    tab = "//button[@role='tab'][normalize-space()='Heap']"
    page.driver.find_element(By.XPATH, tab).click()
    field = page.one("input[aria-label='How many, value']")
    field.click()
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("180" + Keys.ENTER)
    page.until(lambda: heap()["parameters"]["count"] == 180, "it is kept")
    page.until(lambda: page.all("[data-passing='true']"), "it is seen as it falls", 30)
    page.until(lambda: not page.all("[data-progress]"), "it lies")
    assert not page.all("[data-passing='true']")
    page.rested()
    seen, many = picture(page), things()
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: heap()["parameters"]["count"] == 40, "undone")
    page.until(lambda: not page.all("[data-progress]") and things() < many, "fewer")
    page.rested()
    assert differing(picture(page), seen) > 0.01
    # a second asset comes into it
    tab = "//button[@role='tab'][normalize-space()='Parts']"
    page.driver.find_element(By.XPATH, tab).click()
    Select(page.one("select[aria-label='asset to add']")).select_by_index(1)
    page.button("Add").click()
    page.until(lambda: len(heap()["parameters"]["parts"]) == 2, "two assets lie in it")
    assert not page.errors()


def test_a_sheet_is_laid_over_a_thing(page: Page, sedge: httpx.Client, scene_id: str) -> None:
    scene = opened(page, sedge, scene_id)
    body = {"kind": "rock", "name": "Block", "parameters": {"triangles": 400}, "seeds": [3]}
    rock = sedge.post(f"{scene.address}/assets", json=body).json()["created_id"]
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/{rock}")

    def sheet() -> dict[str, Any]:
        assets = sedge.get(scene.address).json()["assets"]
        found: dict[str, Any] = next((a for a in assets if a["kind"] == "cloth"), {})
        return found

    page.until(lambda: page.button("Cover…").is_enabled(), "the bench")
    page.button("Cover…").click()
    page.until(lambda: sheet().get("name") == "Block covered", "another asset")
    own = sheet()["parameters"]
    assert own["parts"][0]["asset"] == rock and own["wide"] == own["long"] > 0.5
    page.until(lambda: "cloth" in page.text("[role=status]"), "its bench")
    page.until(lambda: page.number("[data-triangles]", "data-triangles") > 1500, "the sheet")
    whole = page.number("[data-triangles]", "data-triangles")
    tab = "//button[@role='tab'][normalize-space()='Hung']"
    page.driver.find_element(By.XPATH, tab).click()
    page.one("input[aria-label='With what it lies on']").click()
    page.until(lambda: sheet()["parameters"]["shown"] is False, "the sheet alone")
    page.until(
        lambda: page.number("[data-triangles]", "data-triangles") < whole - 300, "fewer triangles"
    )
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: sheet()["parameters"]["shown"] is True, "undone")
    page.button("take Block out").click()
    page.until(lambda: sheet()["parameters"]["parts"] == [], "nothing beneath")
    page.until(lambda: page.all("[data-triangles]"), "a sheet on the ground")
    assert not page.errors()


def test_a_wall_becomes_an_asset_and_one_skin_that_can_be_stopped(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    draw(page, "Stone wall", (-90, 70), (90, 60))
    page.until(lambda: any(x["kind"] == "wall" for x in scene.layers()), "the wall")

    def assets() -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = sedge.get(scene.address).json()["assets"]
        return found

    def of(kind: str) -> dict[str, Any]:
        return next(a for a in assets() if a["kind"] == kind)

    def triangles() -> int:
        return int(page.number("[data-triangles]", "data-triangles"))

    def made() -> int:
        page.until(lambda: page.one("[data-busy]").get_attribute("data-busy") == "false", "made")
        return triangles()

    page.button("Make an asset of it").click()
    page.until(lambda: any(a["kind"] == "mesh" for a in assets()), "it is on the shelf")
    page.until(lambda: triangles() > 1000, "the bench")
    page.button("Fuse…").click()
    page.until(lambda: any(a["kind"] == "fused" for a in assets()), "another asset")
    assert [q["asset"] for q in of("fused")["parameters"]["parts"]] == [of("mesh")["id"]]
    page.until(lambda: "fused" in page.text("[role=status]"), "its bench")
    page.until(lambda: page.all("[data-progress]"), "it tells how far it is")
    page.until(lambda: triangles() > 1000, "a skin")
    first = made()
    page.rested()
    seen = picture(page)
    page.button("Its parts").click()
    page.until(lambda: differing(picture(page), seen) > 0.002, "what it was made of")
    page.button("Its parts").click()
    how = page.one("select[aria-label='how it is shown']")
    Select(how).select_by_visible_text("Distance to its parts")
    assert 0 < page.number("[data-greatest]", "data-greatest") < 0.3
    # a finer one is begun, stopped, and begun again
    tab = "//button[@role='tab'][normalize-space()='Grid']"
    page.driver.find_element(By.XPATH, tab).click()
    grid = page.until(lambda: page.all("[data-field='steps'] select"), "its grid")[0]
    Select(grid).select_by_visible_text("Fine: 256")
    page.until(lambda: of("fused")["parameters"].get("steps") == "fine", "it is kept")
    page.until(lambda: page.all("[data-progress]"), "it is begun")
    page.button("Stop").click()
    page.until(lambda: "The last result stays" in page.text("[data-progress]"), "stopped")
    assert triangles() == first
    page.button("Go on").click()
    page.until(lambda: "%" in page.text("[data-progress]"), "it goes on")
    # what it is changed to meanwhile takes its place
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: of("fused")["parameters"].get("steps", "medium") == "medium", "undone")
    page.until(lambda: not page.all("[data-progress]"), "nothing is made any more")
    assert made() == first, "as it was"
    assert not page.errors()
