"""Variants: one seed of one asset, with the key of all that it is made from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from plough.core.hashing import key_of
from plough.core.kinds import get_kind
from plough.core.parameters import build


@dataclass(frozen=True, slots=True)
class Variant:
    """One seed of one asset."""

    asset: str
    name: str
    kind: str
    parameters: dict[str, Any]
    seed: int
    key: str  #: of kinds, versions, parameters, images and seed
    images: tuple[tuple[str, str], ...] = ()  #: (slot.map, hash) of images of one's own
    mirror_of: Variant | None = None

    @property
    def called(self) -> str:
        """Which of its asset's variants it is."""
        return f"{self.seed}-mirrored" if self.mirror_of else f"{self.seed}"

    @property
    def label(self) -> str:
        """A name for nodes and files, unique in a scene."""
        return f"{self.asset}-{self.called}"

    def mirrored(self) -> Variant:
        """What it looks like in a mirror that stands from back to front."""
        return replace(self, key=key_of("mirrored", self.key), mirror_of=self)


def variant_of(
    asset: str,
    name: str,
    kind_name: str,
    parameters: Mapping[str, Any],
    seed: int,
    images: Mapping[str, str],
) -> Variant:
    """A variant of `parameters` that need nothing lent any more; parameters left out take their defaults.

    Raises:
        ParameterError: a field is unknown or out of its limits.
    """
    kind = get_kind(kind_name)
    whole = build(kind.parameters, parameters, "parameters").model_dump(mode="json")
    own = tuple(sorted(images.items()))
    key = key_of(kind.name, kind.version, whole, seed, own)
    return Variant(asset, name, kind.name, whole, seed, key, own)
