"""What the bench's routes take and give."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from plough.service.api.models import In, SeedNumber


class PicturesIn(In):
    """Seeds of one recipe to be pictured."""

    model_config = ConfigDict(
        json_schema_extra={
            "examples": [{"kind": "tuft", "parameters": {}, "seeds": [1, 2], "detail": 1}]
        }
    )
    kind: str = Field(max_length=40)
    parameters: dict[str, Any] = Field({})
    seeds: list[SeedNumber] = Field(min_length=1, max_length=24)
    detail: int = Field(0, ge=0, le=2)
    images: dict[str, str] = Field({}, description="Images of one's own: `slot.map` to a hash.")
    scene: str | None = Field(None, max_length=24)


class PictureOut(BaseModel):
    """One seed's picture."""

    seed: int
    picture: str = Field(description="A data address of a JPEG.")
    triangles: int


class CousinsIn(In):
    """A recipe whose cousins are wanted."""

    kind: str = Field(max_length=40)
    parameters: dict[str, Any] = Field({})
    seed: int = Field(1, ge=0, le=2**32 - 1)
    strength: float = Field(0.4, ge=0.02, le=1)
    locked: list[str] = Field([], max_length=400, description="Paths of parameters that stay.")
    walk: int = Field(1, ge=0, le=2**32 - 1, description="Another number gives other cousins.")
    images: dict[str, str] = Field({}, description="Images of one's own: `slot.map` to a hash.")
    scene: str | None = Field(None, max_length=24)


class CousinOut(BaseModel):
    """A recipe near another."""

    parameters: dict[str, Any]
    picture: str


class LevelFacts(BaseModel):
    """One level of detail."""

    triangles: int
    vertices: int
    bytes: int
    switch_distance: float | None = Field(
        description="Metres up to which it is shown; null for the last."
    )
    coverage: float = Field(description="Share of the view's height down to which it is shown.")
    difference: float = Field(
        description="Share of the pixels of eight views in which its silhouette is not that of the nearest level."
    )


class SheetFacts(BaseModel):
    """One level as it is written, with maps of its own, beside the nearest as it was grown."""

    level: int
    texels: int = Field(description="A side.")
    triangles: int
    missed: float = Field(description="Share of its texels for which nothing was met.")
    off: float = Field(description="Metres between the two surfaces, the mean.")
    turned: float = Field(
        description="Degrees between their normals over eight views, the mean, with the map."
    )
    plain: float = Field(description="And without.")


class FitIn(In):
    """A number of triangles to keep within."""

    kind: str = Field(max_length=40)
    parameters: dict[str, Any] = Field({})
    seed: int = Field(1, ge=0, le=2**32 - 1)
    triangles: int = Field(ge=1, le=10_000_000)
    images: dict[str, str] = Field({}, description="Images of one's own: `slot.map` to a hash.")
    scene: str | None = Field(None, max_length=24)


class FitOut(BaseModel):
    """What keeps within it."""

    fullness: float
    triangles: int


class PresetOut(BaseModel):
    """A recipe to begin with."""

    name: str
    title: str
    kind: str
    seed: int
    parameters: dict[str, Any]
    picture: str


class FormOut(BaseModel):
    """A mesh as a body about the vertical."""

    form: list[list[float]]
    height: float
    width: float


class ImageOut(BaseModel):
    """An image that was taken in."""

    hash: str
    width: int
    height: int


class RecipeIn(In):
    """The text of a recipe."""

    text: str = Field(max_length=400_000)


class RecipeOut(BaseModel):
    """A recipe that was read."""

    kind: str
    name: str
    parameters: dict[str, Any]
    seeds: list[int]


class ExportIn(In):
    """A recipe to be written as a file."""

    kind: str = Field(max_length=40)
    name: str = Field(
        "asset",
        pattern=r"^[A-Za-z0-9][A-Za-z0-9 _-]{0,59}$",
        description="Begins the names of all files.",
    )
    parameters: dict[str, Any] = Field({})
    seeds: list[SeedNumber] = Field([1], min_length=1, max_length=24)
    format: str = Field("glb", pattern="^(glb|obj|usd|maps|film|recipe)$")
    textures: bool = True
    steps: int = Field(12, ge=2, le=60, description="Of a film: shapes between sapling and tree.")
    seconds: float = Field(6, ge=0.5, le=120, description="Of a film.")
    images: dict[str, str] = Field({}, description="Images of one's own: `slot.map` to a hash.")
    scene: str | None = Field(None, max_length=24)


class RevisionIn(In):
    """A version to be kept."""

    note: str = Field("", max_length=120)


class RevisionOut(BaseModel):
    """A kept version of an asset."""

    number: int
    author: str
    at: datetime
    note: str
    parameters: dict[str, Any]
    seeds: list[int]
    images: dict[str, str]
    picture: str
