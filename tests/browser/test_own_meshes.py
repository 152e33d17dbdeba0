"""An artist brings meshes of their own onto the shelf and looks at one on the bench."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
import trimesh
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

from plough.core.formats.model import unpack
from plough.core.formats.reading import read_apart
from tests.browser.conftest import Page

pytestmark = pytest.mark.browser


def scan(folder: Path) -> Path:
    """A lump in millimetres, Z upwards, with a hole and triangles that face inwards."""
    lump = trimesh.creation.icosphere(3, radius=400.0)
    lump.vertices *= np.array([1.0, 0.8, 0.5])
    faces = np.delete(np.asarray(lump.faces), [5, 300], axis=0)
    faces[:40] = faces[:40, ::-1]
    path = folder / "pebble_scan.stl"
    path.write_bytes(trimesh.Trimesh(lump.vertices, faces, process=False).export(file_type="stl"))
    return path


def share(page: Page) -> float:
    """What is told of the collider's volume, in per cent of the mesh's."""
    found = re.search(r"(\d+) % of the volume", page.text("body"))
    return float(found[1]) if found else 0.0


def test_meshes_are_brought_in_mended_and_seen_on_the_bench(
    page: Page, scene_id: str, tmp_path: Path
) -> None:
    bad = tmp_path / "notes.ply"
    bad.write_bytes(b"ply\nformat ascii 1.0\nelement vertex 90000000\nend_header\n")
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.driver.get(f"{page.base}/#/scene/{scene_id}/asset/willow")
    page.loaded()
    page.button("Shelf").click()
    page.button("Bring in meshes…").click()
    files = page.driver.find_element(By.CSS_SELECTOR, "input[aria-label='meshes to bring in']")
    files.send_keys(f"{scan(tmp_path)}\n{bad}")
    told = page.one("[aria-label='pebble_scan.stl']").text
    assert "40 triangles face inwards" in told
    assert "6 open edges, about 2 holes" in told
    assert "0.400 m high" in told, "it is told in metres, upright"
    assert "cut off" in page.one("[aria-label='notes.ply']").text
    holes = page.one("[aria-label^='mend: 6 open edges']")
    assert not holes.is_selected(), "it closes no hole unasked"
    holes.click()
    page.button("Bring in one mesh").click()
    page.until(lambda: "Pebble scan" in page.text("h1, header"), "the bench")
    page.loaded()
    page.rested()
    assert "pebble_scan.stl" in page.one("[data-field=source]").text
    page.button("Mends").click()
    assert "6 open edges, 40 triangles face inwards" in page.text("aside, main")
    page.button("Game").click()
    Select(page.one("[data-field='game.collider'] select")).select_by_visible_text("A box")
    page.until(lambda: 188 < share(page) < 198, "a box about a ball has 6 / pi of its volume")
    page.until(lambda: "saved" in page.text("header"), "saved")
    (kept,) = [
        a
        for a in page.driver.execute_async_script(
            "fetch(arguments[0]).then(r => r.json()).then(j => arguments[1](j.assets))",
            f"/api/scenes/{scene_id}",
        )
        if a["kind"] == "mesh"
    ]
    mends = kept["parameters"]["mend"]
    assert {k for k, v in mends.items() if v is True} == {"outwards", "holes"}
    read = unpack(read_apart("pebble_scan.stl", scan(tmp_path).read_bytes()))
    assert read.triangles == 1278
    assert not page.errors()
