"""All tables."""

from __future__ import annotations

from datetime import datetime
from typing import Any, ClassVar

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map: ClassVar[dict[Any, Any]] = {
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        datetime: TIMESTAMP(timezone=True),
    }


class Account(Base):
    """Somebody who can sign in."""

    __tablename__ = "account"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(40), unique=True)
    password_hash: Mapped[str]
    created: Mapped[datetime] = mapped_column(server_default=func.now())


class Session(Base):
    """A signed-in browser; only the hash of its token is kept."""

    __tablename__ = "session"
    token_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    account_id: Mapped[int] = mapped_column(
        ForeignKey("account.id", ondelete="CASCADE"), index=True
    )
    expires: Mapped[datetime]


class Scene(Base):
    """A scene, apart from its layers and assets."""

    __tablename__ = "scene"
    id: Mapped[str] = mapped_column(String(24), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    settings: Mapped[dict[str, Any]]
    version: Mapped[int] = mapped_column(default=1)
    edits: Mapped[int] = mapped_column(default=0)  # number of the last edit
    releases: Mapped[int] = mapped_column(default=0)  # number of the last release
    picture: Mapped[bytes | None] = mapped_column(LargeBinary)
    created: Mapped[datetime] = mapped_column(server_default=func.now())
    updated: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())


class Member(Base):
    """Who may do what in a scene: owner, editor or viewer."""

    __tablename__ = "member"
    scene_id: Mapped[str] = mapped_column(
        ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True
    )
    account_id: Mapped[int] = mapped_column(
        ForeignKey("account.id", ondelete="CASCADE"), primary_key=True, index=True
    )
    role: Mapped[str] = mapped_column(String(10))


class Layer(Base):
    """A layer of a scene; `position` orders them."""

    __tablename__ = "layer"
    scene_id: Mapped[str] = mapped_column(
        ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True
    )
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(80))
    hidden: Mapped[bool] = mapped_column(default=False)
    locked: Mapped[bool] = mapped_column(default=False)
    shadow: Mapped[str] = mapped_column(String(8), default="casts")
    position: Mapped[float]
    parameters: Mapped[dict[str, Any]]
    notes: Mapped[dict[str, Any]] = mapped_column(default=dict)
    game: Mapped[dict[str, Any]] = mapped_column(default=dict)
    version: Mapped[int] = mapped_column(default=1)


class Asset(Base):
    """An asset of a scene."""

    __tablename__ = "asset"
    scene_id: Mapped[str] = mapped_column(
        ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True
    )
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(80))
    parameters: Mapped[dict[str, Any]]
    seeds: Mapped[list[Any]]
    tags: Mapped[list[Any]] = mapped_column(default=list)
    images: Mapped[dict[str, Any]] = mapped_column(default=dict)
    notes: Mapped[dict[str, Any]] = mapped_column(default=dict)
    version: Mapped[int] = mapped_column(default=1)


class Picture(Base):
    """An image that somebody brought along, for assets to wear."""

    __tablename__ = "picture"
    hash: Mapped[str] = mapped_column(String(40), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    width: Mapped[int]
    height: Mapped[int]
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class Model(Base):
    """A mesh or a height map that somebody brought along, as it was read."""

    __tablename__ = "model"
    hash: Mapped[str] = mapped_column(String(40), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))  # of the file
    bytes: Mapped[int]
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class ModelPiece(Base):
    """A run of a mesh's bytes, of at most a few megabytes."""

    __tablename__ = "model_piece"
    hash: Mapped[str] = mapped_column(
        ForeignKey("model.hash", ondelete="CASCADE"), primary_key=True
    )
    ordinal: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Origin(Base):
    """From which asset library a file came that a scene uses, and on what terms."""

    __tablename__ = "origin"
    scene_id: Mapped[str] = mapped_column(
        ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True
    )
    file: Mapped[str] = mapped_column(String(40), primary_key=True)
    library: Mapped[str] = mapped_column(String(120))
    item: Mapped[str] = mapped_column(String(64))
    title: Mapped[str] = mapped_column(String(120))
    version: Mapped[str] = mapped_column(String(40))
    by: Mapped[str] = mapped_column(String(120))
    licence: Mapped[str] = mapped_column(String(120))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class Revision(Base):
    """A version of an asset that somebody kept."""

    __tablename__ = "revision"
    scene_id: Mapped[str] = mapped_column(
        ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True
    )
    asset_id: Mapped[str] = mapped_column(String(64), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    note: Mapped[str] = mapped_column(String(120), default="")
    parameters: Mapped[dict[str, Any]]
    seeds: Mapped[list[Any]]
    images: Mapped[dict[str, Any]] = mapped_column(default=dict)
    picture: Mapped[bytes] = mapped_column(LargeBinary)


class Edit(Base):
    """One change of a scene: `forward` and `inverse` map dotted fields to values; null creates or removes."""

    __tablename__ = "edit"
    scene_id: Mapped[str] = mapped_column(
        ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True
    )
    number: Mapped[int] = mapped_column(primary_key=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    kind: Mapped[str] = mapped_column(String(4))  # edit, undo, redo
    of: Mapped[int | None]  # the edit that an undo or redo is about
    title: Mapped[str] = mapped_column(String(200))
    target: Mapped[str] = mapped_column(String(8))  # scene, layer, asset
    target_id: Mapped[str] = mapped_column(String(64))
    forward: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    inverse: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    key: Mapped[str | None] = mapped_column(String(64))  # given by who made it: made once
    joined: Mapped[bool] = mapped_column(default=False)  # undone together with the one before it
    __table_args__ = (
        Index("edit_by_account", "scene_id", "account_id", "number"),
        UniqueConstraint("scene_id", "key", name="edit_key"),
    )


class Release(Base):
    """A bake: waiting, running, or finished and kept."""

    __tablename__ = "release"
    id: Mapped[int] = mapped_column(primary_key=True)
    scene_id: Mapped[str] = mapped_column(ForeignKey("scene.id", ondelete="CASCADE"))
    number: Mapped[int]
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"))
    state: Mapped[str] = mapped_column(
        String(10)
    )  # queued, running, stopping, done, failed, cancelled
    done: Mapped[int] = mapped_column(default=0)
    known: Mapped[int] = mapped_column(default=0)
    part: Mapped[str] = mapped_column(String(120), default="")
    document: Mapped[dict[str, Any]]
    manifest: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    error: Mapped[str] = mapped_column(String(1000), default="")
    created: Mapped[datetime] = mapped_column(server_default=func.now())
    finished: Mapped[datetime | None]
    notes: Mapped[str] = mapped_column(String(4000), default="")
    pinned: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (UniqueConstraint("scene_id", "number"),)


class Blob(Base):
    """Bytes by their hash."""

    __tablename__ = "blob"
    hash: Mapped[str] = mapped_column(String(40), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    at: Mapped[datetime] = mapped_column(server_default=func.now())  # last written


class ReleaseFile(Base):
    """A file of a release, in pieces of at most a few megabytes."""

    __tablename__ = "release_file"
    release_id: Mapped[int] = mapped_column(
        ForeignKey("release.id", ondelete="CASCADE"), primary_key=True
    )
    path: Mapped[str] = mapped_column(String(200), primary_key=True)
    ordinal: Mapped[int]
    bytes: Mapped[int] = mapped_column(BigInteger)
    pieces: Mapped[list[Any]]


class ReleaseStill(Base):
    """What a viewpoint showed when a release was baked."""

    __tablename__ = "release_still"
    release_id: Mapped[int] = mapped_column(
        ForeignKey("release.id", ondelete="CASCADE"), primary_key=True
    )
    viewpoint: Mapped[str] = mapped_column(String(64), primary_key=True)
    hash: Mapped[str] = mapped_column(String(40))
    picture: Mapped[bytes] = mapped_column(LargeBinary)


class Result(Base):
    """A computed result kept across restarts: blobs by name under a content key."""

    __tablename__ = "result"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    blobs: Mapped[dict[str, Any]]
    used: Mapped[datetime] = mapped_column(server_default=func.now())


class Piece(Base):
    """A piece of a bake, kept across restarts: what it says, and the blobs of its files."""

    __tablename__ = "piece"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    told: Mapped[bytes] = mapped_column(LargeBinary)
    blobs: Mapped[list[str]] = mapped_column(JSONB)
    used: Mapped[datetime] = mapped_column(server_default=func.now())


class ReleasePart(Base):
    """One part of a bake: whether it is there, how long it took and who made it."""

    __tablename__ = "release_part"
    release_id: Mapped[int] = mapped_column(
        ForeignKey("release.id", ondelete="CASCADE"), primary_key=True
    )
    ordinal: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(300))
    state: Mapped[str] = mapped_column(String(10))  # waiting, made; there, when it was before
    seconds: Mapped[float] = mapped_column(default=0.0)
    place: Mapped[str] = mapped_column(String(80), default="")


__all__ = [
    "Account",
    "Asset",
    "Base",
    "Blob",
    "Edit",
    "Layer",
    "Member",
    "Model",
    "ModelPiece",
    "Origin",
    "Picture",
    "Piece",
    "Release",
    "ReleaseFile",
    "ReleasePart",
    "ReleaseStill",
    "Result",
    "Revision",
    "Scene",
    "Session",
]
