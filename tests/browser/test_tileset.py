"""A bake as 3D Tiles, opened by a renderer that is not ours."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
from selenium.webdriver import Chrome

from plough.core.bake.bundle import bake
from plough.core.library import Library
from plough.core.scene import Evaluator
from tests.core.test_bake import WEB
from tests.core.test_scene import counts, small

pytestmark = pytest.mark.browser

PAGE = """<!doctype html><meta charset="utf-8">
<script type="importmap">{"imports": {
  "three": "/lib/three/build/three.module.js",
  "three/addons/": "/lib/three/examples/jsm/",
  "tiles": "/lib/3d-tiles-renderer/build/index.three.js",
  "implicit": "/lib/3d-tiles-renderer/build/index.core-plugins.js"
}}</script>
<script type="module">
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { MeshoptDecoder } from 'three/addons/libs/meshopt_decoder.module.js';
import { TilesRenderer } from 'tiles';
import { ImplicitTilingPlugin } from 'implicit';
const from = new URLSearchParams(location.search);
const renderer = new THREE.WebGLRenderer();
renderer.setSize(640, 400);
document.body.append(renderer.domElement);
const scene = new THREE.Scene();
scene.add(new THREE.HemisphereLight(0xffffff, 0x888866, 3));
const camera = new THREE.PerspectiveCamera(60, 1.6, 1, 20000);
camera.up.set(0, 0, 1);
const high = Number(from.get('high'));
camera.position.set(0, -high, high);
camera.lookAt(0, 0, 0);
camera.updateMatrixWorld();
const tiles = new TilesRenderer('/bake/tileset.json');
tiles.registerPlugin(new ImplicitTilingPlugin());
const loader = new GLTFLoader(tiles.manager);
loader.setMeshoptDecoder(MeshoptDecoder);
tiles.manager.addHandler(/\\.glb/, loader);
tiles.errorTarget = Number(from.get('target'));
tiles.setCamera(camera);
tiles.setResolutionFromRenderer(camera, renderer);
scene.add(tiles.group);
window.failures = [];
tiles.addEventListener('load-error', (e) => window.failures.push(String(e.error)));
window.count = () => {
  const seen = {};
  let ground = 0;
  tiles.forEachLoadedModel((model, tile) => {
    if (!tiles.visibleTiles.has(tile)) return;
    model.traverse((o) => {
      if (o.userData.classes) ground += 1;
      if (!o.userData.asset) return;
      let many = 0;
      o.traverse((m) => { if (m.isInstancedMesh && !many) many = m.count; });
      seen[o.userData.layer] = (seen[o.userData.layer] ?? 0) + many;
    });
  });
  return { seen, ground, tiles: tiles.visibleTiles.size, settled: tiles.loadProgress };
};
setInterval(() => tiles.update(), 30);
window.draw = () => renderer.render(scene, camera);
window.box = () => { const b = new THREE.Box3().setFromObject(tiles.group); return [b.min.toArray(), b.max.toArray()]; };
window.began = true;
</script>
"""


class Handler(SimpleHTTPRequestHandler):
    """Serves a folder; what the renderer asks for beside it comes from the front end's packages."""

    def translate_path(self, path: str) -> str:
        path = path.split("?", maxsplit=1)[0]
        if path.startswith("/lib/"):
            return str(WEB / "node_modules" / path.removeprefix("/lib/"))
        return super().translate_path(path)

    def log_message(self, format: str, *args: object) -> None:
        pass


@pytest.fixture(params=["plain", "meshopt"])
def served(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[tuple[str, dict[str, int]]]:
    """Where a page shows a bake as 3D Tiles, and how much stands in each layer."""
    library = Library()
    asked = {"layout": "tileset", "tile_side": "32", "packing": request.param}
    evaluation = Evaluator(library).evaluate(small(bake=asked))
    for name, data in bake(evaluation, library).files.items():
        target = tmp_path / "bake" / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    (tmp_path / "index.html").write_text(PAGE)
    server = ThreadingHTTPServer(("127.0.0.1", 0), partial(Handler, directory=str(tmp_path)))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}/index.html", counts(evaluation)
    server.shutdown()


def test_a_renderer_of_3d_tiles_shows_all_that_stands(
    served: tuple[str, dict[str, int]], browser: Chrome
) -> None:
    from selenium.webdriver.support.ui import WebDriverWait

    base, placed = served

    def shown(high: float, target: float, many: int) -> dict[str, object]:
        browser.get(f"{base}?high={high}&target={target}")
        told = "return window.count && window.count()"
        # it may rest for a moment between tiles of one size and the next
        WebDriverWait(browser, 60).until(
            lambda d: (c := d.execute_script(told)) and c["tiles"] == many and c["settled"] == 1
        )
        found: dict[str, object] = browser.execute_script(told)
        assert browser.execute_script("return window.failures") == []
        return found

    near = shown(120, 0.5, 16)
    assert near["seen"] == placed
    assert near["tiles"] == near["ground"] == 16
    # Z is up: what stands is higher than wide at no price
    low, high = browser.execute_script("return window.box()")
    assert low[0] == pytest.approx(-64, abs=12)
    assert high[1] == pytest.approx(64, abs=12)
    assert high[2] - low[2] < 40
    # from afar one tile stands for all, without what is small
    far = shown(8_000, 16, 1)
    assert far["tiles"] == far["ground"] == 1
    assert 0 < sum(far["seen"].values()) < sum(placed.values())  # type: ignore[attr-defined]
