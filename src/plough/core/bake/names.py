"""Names of levels, in files and as meshes, by a pattern that one types."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator

from plough.core.errors import ParameterError
from plough.core.layers.bake import NAME_FIELDS
from plough.core.library.variants import Variant

LONGEST = 120
_FIELD = re.compile(r"\{(\w+)\}")
_UNSAFE = re.compile(r"[^A-Za-z0-9._-]+")


class Names:
    """Gives each level of each variant its name.

    Args:
        pattern: such as `{asset}_{seed}_lod{level}`; fields are `NAME_FIELDS`.
        scene: the scene's name.
    """

    def __init__(self, pattern: str, scene: str) -> None:
        self._pattern = pattern
        self._scene = scene

    def of(self, variant: Variant, detail: int) -> str:
        """The name of a level, `LONGEST` letters at most; what no file's name can hold becomes a hyphen."""
        told = {
            "scene": self._scene,
            "asset": variant.asset,
            "name": variant.name,
            "kind": variant.kind,
            "seed": variant.called,
            "level": str(detail),
        }
        assert set(told) == set(NAME_FIELDS)
        name = _FIELD.sub(lambda field: told[field[1]], self._pattern)
        return _UNSAFE.sub("-", name).strip("-.")[:LONGEST] or "unnamed"

    def all(self, variants: Iterable[Variant], levels: Callable[[Variant], int]) -> Iterator[str]:
        """The names of all levels of `variants`.

        Raises:
            ParameterError: two would have the same one, or ones that differ only by capitals.
        """
        known: dict[str, tuple[str, int]] = {}
        for v in variants:
            for d in range(levels(v)):
                name = self.of(v, d)
                other = known.setdefault(name.casefold(), (v.label, d))
                if other != (v.label, d):
                    raise ParameterError(
                        "names",
                        f"{name!r} would be the name of {other[0]}, level {other[1]}, and of {v.label}, level {d};"
                        " let {asset}, {seed} and {level} tell them apart",
                        value=self._pattern,
                    )
                yield name
