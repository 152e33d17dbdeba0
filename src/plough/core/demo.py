"""The demo scene and the meshes that it brings along, read from data."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path
from typing import Any

from plough.core.formats.images import Load
from plough.core.hashing import digest
from plough.core.kinds import no_files
from plough.core.parameters import with_nested
from plough.core.presets import preset
from plough.core.scene.document import SceneDocument, read_document

_DATA = Path(__file__).parent / "data"
_FILE = _DATA / "teasel_fen.toml"


@cache
def demo_meshes() -> dict[str, bytes]:
    """Meshes of the demo as they are kept after reading, by the name of their file."""
    return {path.stem: path.read_bytes() for path in sorted((_DATA / "demo").glob("*.mesh"))}


def demo_file(name: str, besides: Load = no_files) -> bytes:
    """A file of the demo by its hash; any other is what `besides` gives. Raises `FormatError` where nobody has it."""
    for data in demo_meshes().values():
        if digest(data) == name:
            return data
    return besides(name)


def mesh_parameters(name: str) -> dict[str, Any]:
    """What makes an asset of the demo's mesh `name`."""
    return {"source": digest(demo_meshes()[name]), "mend": {"crease": 42}}


def teasel_fen() -> SceneDocument:
    """Teasel Fen: a drained fenland with a mere, a causeway and a walled pear orchard."""
    values = tomllib.loads(_FILE.read_text())
    for asset in values["assets"]:
        mesh = asset.pop("file", None)
        if mesh is not None:
            asset["parameters"] = mesh_parameters(mesh) | asset.get("parameters", {})
        name = asset.pop("preset", None)
        if name is not None:
            own = asset.get("parameters", {})
            asset["parameters"] = with_nested(preset(name).parameters, own)
    return read_document(values)
