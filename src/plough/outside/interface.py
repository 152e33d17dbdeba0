"""What an asset library is asked, and what it answers: JSON over HTTP, files by their hash.

``GET /`` tells its name; ``GET /items?search=&kind=&page=`` a page of items; ``GET /items/ID`` one item as it is now;
``GET /items/ID/picture`` a picture; ``GET /items/ID/VERSION/NAME`` a file; ``GET /versions?of=ID&of=ID`` the present versions.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

ItemKind = Literal["mesh", "leaf", "texture", "heights"]
Part = Literal["mesh", "beside", "albedo", "normal", "surface", "heights"]
ItemId = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,64}$")]
Version = Annotated[str, Field(pattern=r"^[A-Za-z0-9._-]{1,40}$")]
Line = Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^\x00-\x1f]+$")]

MOST_FILES, A_PAGE = 40, 12
MOST_FILE = 100_000_000  #: bytes of one file, and of all files of an item


class _Told(BaseModel):
    model_config = ConfigDict(extra="ignore", frozen=True)


class ItemFile(_Told):
    """One file of an item."""

    name: str = Field(pattern=r"^[A-Za-z0-9_-][A-Za-z0-9._ -]{0,99}$")
    part: Part = Field(
        description="What it is of the item: a map, a mesh, what lies beside a mesh."
    )
    type: str = Field(max_length=60, description="Its media type.")
    bytes: int = Field(ge=1, le=MOST_FILE)
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")


class Item(_Told):
    """What a library offers, in its present version."""

    id: ItemId
    version: Version
    kind: ItemKind
    title: Line
    text: str = Field("", max_length=1000)
    by: Line
    licence: Line = Field(description="Its name, such as an SPDX identifier.")
    files: tuple[ItemFile, ...] = Field(min_length=1, max_length=MOST_FILES)

    @property
    def bytes(self) -> int:
        """Of all files."""
        return sum(f.bytes for f in self.files)


class ItemPage(_Told):
    """Items that fit a search."""

    total: int = Field(ge=0)
    page: int = Field(ge=1)
    pages: int = Field(ge=0)
    items: tuple[Item, ...] = Field(max_length=100)


class About(_Told):
    """Who answers."""

    name: Line
