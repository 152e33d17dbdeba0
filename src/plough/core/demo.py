"""The demo scene, read from data."""

from __future__ import annotations

import tomllib
from pathlib import Path

from plough.core.parameters import with_nested
from plough.core.presets import preset
from plough.core.scene.document import SceneDocument, read_document

_FILE = Path(__file__).parent / "data" / "teasel_fen.toml"


def teasel_fen() -> SceneDocument:
    """Teasel Fen: a drained fenland with a mere, a causeway and a walled pear orchard."""
    values = tomllib.loads(_FILE.read_text())
    for asset in values["assets"]:
        name = asset.pop("preset", None)
        if name is not None:
            own = asset.get("parameters", {})
            asset["parameters"] = with_nested(preset(name).parameters, own)
    return read_document(values)
