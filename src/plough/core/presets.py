"""Starting points: recipes that differ in kind, read from data/presets."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

from plough.core.errors import ParameterError

_FOLDER = Path(__file__).parent / "data" / "presets"
_KINDS = (
    "tree",
    "shrub",
    "plant",
    "tuft",
    "leaf",
    "rock",
    "vessel",
    "cloth",
    "building",
    "piece",
)  #: in the order in which they are shown


@dataclass(frozen=True, slots=True)
class Preset:
    """A recipe to begin with."""

    name: str
    title: str
    kind: str
    seed: int
    parameters: dict[str, Any] = field(repr=False)


@cache
def all_presets() -> tuple[Preset, ...]:
    """Every preset, by kind."""
    out = []
    for kind in _KINDS:
        found = tomllib.loads((_FOLDER / f"{kind}.toml").read_text())
        for name, values in found.items():
            parameters = values.get("parameters", {})
            out.append(Preset(name, values["title"], kind, values["seed"], parameters))
    return tuple(out)


def preset(name: str) -> Preset:
    """The preset called `name`. Raises `ParameterError` naming the known ones."""
    found = next((p for p in all_presets() if p.name == name), None)
    if found is None:
        known = ", ".join(p.name for p in all_presets())
        message = f"there is no preset {name!r}; known: {known}"
        raise ParameterError("preset", message, limit=known, value=name)
    return found
