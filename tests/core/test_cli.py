"""The command line without database or browser."""

import copy
import json
import subprocess
import sys
from pathlib import Path

import pytest
import trimesh

from plough.core.formats.glb_read import read_json
from tests.command import plough
from tests.conftest import SMALL


def test_it_is_a_program() -> None:
    for arguments, code, words in (
        (("kinds", "cactus"), 1, "there is no kind"),
        (("kinds",), 0, ""),
    ):
        whole = [sys.executable, "-m", "plough", *arguments]
        done = subprocess.run(whole, capture_output=True, text=True, check=False)
        assert done.returncode == code and words in done.stderr
        # what the other tests ask in their own process is answered alike
        here = plough(*arguments)
        assert (here.returncode, here.stdout, here.stderr) == (code, done.stdout, done.stderr)


def test_make_writes_the_asset_with_its_settings(tmp_path: Path) -> None:
    out = tmp_path / "pear.glb"
    done = plough(
        "make",
        "tree",
        "--seed",
        "7",
        "--set",
        "height=9",
        "--set",
        "first.count=5",
        "--set",
        "texture_size=128",
        "--out",
        str(out),
    )
    assert done.returncode == 0, done.stderr
    document = read_json(out.read_bytes())
    assert document["scenes"][0]["extras"]["counts"]["first"] == 5
    assert "5 first" in done.stdout


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("make", "tree", "--set", "height=900", "--out", "x.glb"), "height"),
        (("make", "tree", "--set", "heigth=9", "--out", "x.glb"), "heigth: there is no such field"),
        (("make", "cactus", "--out", "x.glb"), "there is no asset kind 'cactus'"),
        (("make", "tree", "--set", "height", "--out", "x.glb"), "NAME=VALUE"),
        (("bake", "nowhere.json", "--out", "x"), "cannot be read"),
        (("kinds", "cactus"), "there is no kind"),
    ],
)
def test_mistakes_are_one_sentence_and_exit_code_1(arguments: tuple[str, ...], words: str) -> None:
    done = plough(*arguments)
    assert done.returncode == 1
    assert done.stderr.startswith("plough: ")
    assert words in done.stderr
    assert "Traceback" not in done.stderr
    assert done.stderr.count("\n") == 1


def test_scene_demo_prints_a_document_that_can_be_checked(tmp_path: Path) -> None:
    done = plough("scene", "demo")
    path = tmp_path / "fen.json"
    path.write_text(done.stdout)
    assert "Teasel Fen" in plough("scene", "check", str(path)).stdout


def test_bake_writes_all_files(tmp_path: Path) -> None:
    source = tmp_path / "small.json"
    source.write_text(json.dumps(SMALL))
    done = plough("bake", str(source), "--out", str(tmp_path / "out"))
    assert done.returncode == 0, done.stderr
    manifest = json.loads((tmp_path / "out/manifest.json").read_text())
    for entry in manifest["files"]:
        assert (tmp_path / "out" / entry["path"]).stat().st_size == entry["bytes"]
    assert (tmp_path / "out/scene.glb").exists()
    assert (tmp_path / "out/placements.csv").read_text().startswith("id,layer,asset,variant,")


def test_bake_for_a_pipeline(tmp_path: Path) -> None:
    source, out = tmp_path / "small.json", tmp_path / "out"
    source.write_text(json.dumps(SMALL))
    asked = ("--only", "sedges", "--set", "packing=meshopt", "--set", "images=webp")
    done = plough("bake", str(source), "--out", str(out), "--json", *asked, "--profile", "phone")
    assert done.returncode == 0, done.stderr
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    *parts, last = lines
    assert [p["done"] for p in parts] == list(range(1, parts[0]["known"] + 1))
    written = [p for p in out.rglob("*") if p.is_file()]
    assert last["files"] == len(written)
    assert last["bytes"] == sum(p.stat().st_size for p in written)
    manifest = json.loads((out / "manifest.json").read_text())
    assert [x["id"] for x in manifest["layers"]] == ["sedges"]
    rows = (out / "placements.csv").read_text().splitlines()[1:]
    assert rows and all(row.split(",")[1] == "sedges" for row in rows)
    assert b"EXT_meshopt_compression" in (out / "scene.glb").read_bytes()[:200_000]
    assert {p.suffix for p in (out / "images").iterdir()} == {".webp"}
    for arguments, words in (
        (("--only", "sedge"), "only: there is no layer 'sedge'"),
        (("--profile", "watch"), "--profile: there is no profile 'watch'"),
        (("--set", "packing=zip"), "packing"),
        (("--set", "pack=zip"), "pack"),
        (("--format", "zip"), "--format: there is no format 'zip'; formats are whole, tiles,"),
        (("--scheduler", "tcp://127.0.0.1:1"), "--cache: workers of a scheduler need a folder"),
        (("--workers", "999"), ""),
    ):
        wrong = plough("bake", str(source), "--out", str(tmp_path / "no"), *arguments)
        assert wrong.returncode in (1, 2) and words in wrong.stderr, wrong.stderr
    assert not (tmp_path / "no").exists()


def test_processes_write_what_threads_write_from_the_command_line(tmp_path: Path) -> None:
    source = tmp_path / "small.json"
    source.write_text(json.dumps(SMALL))

    def baked(name: str, *asked: str) -> dict[str, bytes]:
        out = tmp_path / name
        plain = ("--format", "tiles", "--set", "textures=false", "--set", "splat=none")
        done = plough("bake", str(source), "--out", str(out), "--json", *plain, *asked)
        assert done.returncode == 0, done.stderr
        return {str(p.relative_to(out)): p.read_bytes() for p in out.rglob("*") if p.is_file()}

    threads = baked("a")
    assert any(path.startswith("tiles/") for path in threads)
    kept = tmp_path / "kept"
    assert baked("b", "--workers", "2", "--cache", str(kept)) == threads
    # nothing is left of what travelled: files are those of pieces
    named = {
        file[1]
        for piece in (kept / "pieces").iterdir()
        for file in json.loads(piece.read_text())["files"].values()
    }
    assert {p.name for p in (kept / "files").iterdir()} == named


def test_what_is_the_same_is_copied_from_earlier_bakes_and_nothing_else_is(tmp_path: Path) -> None:
    source, kept = tmp_path / "small.json", tmp_path / "kept"
    source.write_text(json.dumps(SMALL))
    plain = ("--set", "textures=false")

    def baked(name: str, *asked: str) -> tuple[dict[str, bytes], int]:
        """The files that come of it, and the parts that were made."""
        out = tmp_path / name
        done = plough(
            "bake", str(source), "--out", str(out), "--cache", str(kept), "--json", *asked
        )
        assert done.returncode == 0, done.stderr
        *parts, last = [json.loads(line) for line in done.stdout.splitlines()]
        files = {str(p.relative_to(out)): p.read_bytes() for p in out.rglob("*") if p.is_file()}
        assert last["files"] == len(files)
        assert last["bytes"] == sum(map(len, files.values()))
        return files, len(parts)

    first, made = baked("a", *plain)
    assert made > 3
    assert baked("b", *plain) == (first, 0)
    # what is asked otherwise, or is another document, is made
    assert baked("c", *plain, "--set", "splat=none")[1] > 0
    assert baked("d", *plain, "--only", "sedges")[1] > 0
    assert baked("e", *plain, "--profile", "phone")[1] > 0
    source.write_text(json.dumps({**SMALL, "name": "Other"}))
    assert baked("f", *plain)[1] > 0
    source.write_text(json.dumps(SMALL))
    assert baked("g", *plain) == (first, 0)
    # what is not whole any more is made anew, and mended
    victim = max((kept / "files").iterdir(), key=lambda p: p.stat().st_size)
    spoilt = bytearray(victim.read_bytes())
    spoilt[len(spoilt) // 2] ^= 1
    victim.write_bytes(spoilt)
    assert baked("h", *plain) == (first, made)
    assert baked("i", *plain) == (first, 0)
    victim.unlink()
    assert baked("j", *plain) == (first, made)


def test_the_reference_page_is_up_to_date() -> None:
    page = Path(__file__).resolve().parents[2] / "docs/kinds.md"
    assert plough("kinds", "--reference").stdout == page.read_text(), (
        "run: ./plough kinds --reference > docs/kinds.md"
    )


def test_kinds_lists_and_describes() -> None:
    listed = plough("kinds").stdout
    assert "tree" in listed
    assert "scatter" in listed
    assert "first.count" in plough("kinds", "tree").stdout
    schema = json.loads(plough("kinds", "tree", "--json").stdout)
    assert schema["properties"]["height"]["maximum"] == 60


def test_presets_are_listed_and_drawn(tmp_path: Path) -> None:
    from PIL import Image

    done = plough("presets", "--kind", "leaf")
    assert done.returncode == 0, done.stderr
    assert "torn-leaf" in done.stdout
    done = plough(
        "presets", "--kind", "leaf", "--size", "96", "--sheet", str(tmp_path / "sheet.png")
    )
    assert done.returncode == 0, done.stderr
    image = Image.open(tmp_path / "sheet.png")
    assert image.width % 96 == 0
    assert len(image.resize((64, 64)).getcolors(4096)) > 50, "something is drawn"
    assert plough("presets", "--kind", "cactus").returncode == 1


def test_a_mesh_is_brought_in_and_baked_without_a_browser(tmp_path: Path) -> None:
    lump = trimesh.creation.icosphere(2, radius=300.0)
    faces = lump.faces.copy()
    faces[:20] = faces[:20, ::-1]
    scan = tmp_path / "pebble.stl"
    scan.write_bytes(trimesh.Trimesh(lump.vertices, faces, process=False).export(file_type="stl"))
    kept = tmp_path / "files"
    done = plough("mesh", str(scan), "--files", str(kept))
    assert done.returncode == 0, done.stderr
    assert "20 triangles face inwards" in done.stderr
    asset = json.loads(done.stdout)
    assert asset["parameters"]["unit"] == "mm"
    assert asset["parameters"]["mend"] == {"outwards": True}
    document = copy.deepcopy(SMALL)
    document["assets"][0] |= {k: asset[k] for k in ("kind", "parameters", "seeds")}
    path, out = tmp_path / "scene.json", tmp_path / "out"
    path.write_text(json.dumps(document))
    lost = plough("bake", str(path), "--out", str(out))
    assert lost.returncode == 1
    assert "is not here" in lost.stderr
    baked = plough("bake", str(path), "--out", str(out), "--files", str(kept))
    assert baked.returncode == 0, baked.stderr
    names = {f.name for f in (out / "levels").iterdir()}
    own = document["assets"][0]["id"]
    assert {f"{own}-1-{d}.glb" for d in range(4)} <= names
    levels = [trimesh.load(out / "levels" / f"{own}-1-{d}.glb", force="mesh") for d in range(3)]
    assert levels[0].extents == pytest.approx([0.6, 0.6, 0.6], rel=0.02)
    counts = [len(level.faces) for level in levels]
    assert counts[0] == 320 > counts[1] > counts[2]
    (file,) = kept.iterdir()
    file.write_bytes(file.read_bytes()[:-1])
    spoilt = plough("bake", str(path), "--out", str(out), "--files", str(kept))
    assert spoilt.returncode == 1
    assert "damaged" in spoilt.stderr


def test_the_blocks_of_a_layer_are_written_as_a_table_and_with_planes(tmp_path: Path) -> None:
    document = copy.deepcopy(SMALL)
    points = {"points": [[-4, 0], [4, 0]], "courses": 5}
    layer = {"id": "yard", "kind": "bricks", "name": "Yard", "parameters": points}
    document["layers"].insert(-1, layer)
    scene = tmp_path / "scene.json"
    scene.write_text(json.dumps(document))
    done = plough("blocks", str(scene), "yard", "--out", str(tmp_path / "out" / "yard.csv"))
    assert done.returncode == 0, done.stderr
    rows = (tmp_path / "out" / "yard.csv").read_text().splitlines()
    assert f"{len(rows) - 1:,} blocks" in done.stdout
    done = plough("blocks", str(scene), "yard", "--out", str(tmp_path / "yard.json"))
    told = json.loads((tmp_path / "yard.json").read_text())
    assert len(told["blocks"]) == len(rows) - 1 and "plane" in told["blocks"][0]
    wrong = plough("blocks", str(scene), "ground", "--out", str(tmp_path / "no.csv"))
    assert wrong.returncode and "not laid of blocks" in wrong.stderr
    assert not (tmp_path / "no.csv").exists()
