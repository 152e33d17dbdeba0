"""The first schema: accounts, scenes, edits, releases, blobs, and the job queue."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql as pg

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

NOW = sa.text("now()")


def _time(name: str, nullable: bool = False) -> sa.Column[Any]:
    return sa.Column(
        name,
        pg.TIMESTAMP(timezone=True),
        nullable=nullable,
        server_default=None if nullable else NOW,
    )


def _scene(primary: bool = True) -> sa.Column[Any]:
    return sa.Column(
        "scene_id",
        sa.String(24),
        sa.ForeignKey("scene.id", ondelete="CASCADE"),
        primary_key=primary,
        nullable=False,
    )


def upgrade() -> None:
    op.create_table(
        "account",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(40), nullable=False, unique=True),
        sa.Column("password_hash", sa.String, nullable=False),
        _time("created"),
    )
    op.create_table(
        "session",
        sa.Column("token_hash", sa.String(64), primary_key=True),
        sa.Column(
            "account_id",
            sa.Integer,
            sa.ForeignKey("account.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column("expires", pg.TIMESTAMP(timezone=True), nullable=False),
    )
    op.create_table(
        "scene",
        sa.Column("id", sa.String(24), primary_key=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("settings", pg.JSONB, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("edits", sa.Integer, nullable=False),
        sa.Column("picture", sa.LargeBinary),
        _time("created"),
        _time("updated"),
    )
    op.create_table(
        "member",
        _scene(),
        sa.Column(
            "account_id",
            sa.Integer,
            sa.ForeignKey("account.id", ondelete="CASCADE"),
            primary_key=True,
            index=True,
        ),
        sa.Column("role", sa.String(10), nullable=False),
    )
    for name in ("layer", "asset"):
        op.create_table(
            name,
            _scene(),
            sa.Column("id", sa.String(64), primary_key=True),
            sa.Column("kind", sa.String(40), nullable=False),
            sa.Column("name", sa.String(80), nullable=False),
            *(
                [
                    sa.Column("hidden", sa.Boolean, nullable=False),
                    sa.Column("position", sa.Float, nullable=False),
                ]
                if name == "layer"
                else []
            ),
            sa.Column("parameters", pg.JSONB, nullable=False),
            *([sa.Column("seeds", pg.JSONB, nullable=False)] if name == "asset" else []),
            sa.Column("version", sa.Integer, nullable=False),
        )
    op.create_table(
        "edit",
        _scene(),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id"), nullable=False),
        _time("at"),
        sa.Column("kind", sa.String(4), nullable=False),
        sa.Column("of", sa.Integer),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("target", sa.String(8), nullable=False),
        sa.Column("target_id", sa.String(64), nullable=False),
        sa.Column("forward", pg.JSONB),
        sa.Column("inverse", pg.JSONB),
    )
    op.create_index("edit_by_account", "edit", ["scene_id", "account_id", "number"])
    op.create_table(
        "release",
        sa.Column("id", sa.Integer, primary_key=True),
        _scene(primary=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id"), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("known", sa.Integer, nullable=False),
        sa.Column("part", sa.String(120), nullable=False),
        sa.Column("document", pg.JSONB, nullable=False),
        sa.Column("manifest", pg.JSONB),
        sa.Column("bytes", sa.BigInteger, nullable=False),
        sa.Column("error", sa.String(1000), nullable=False),
        _time("created"),
        _time("finished", nullable=True),
        sa.UniqueConstraint("scene_id", "number"),
    )
    op.create_table(
        "blob",
        sa.Column("hash", sa.String(40), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.execute(
        "ALTER TABLE blob ALTER COLUMN data SET STORAGE EXTERNAL"
    )  # already compressed, or soon zipped
    op.create_table(
        "release_file",
        sa.Column(
            "release_id",
            sa.Integer,
            sa.ForeignKey("release.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("path", sa.String(200), primary_key=True),
        sa.Column("ordinal", sa.Integer, nullable=False),
        sa.Column("bytes", sa.BigInteger, nullable=False),
        sa.Column("pieces", pg.JSONB, nullable=False),
    )
    op.create_table(
        "result",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("blobs", pg.JSONB, nullable=False),
        _time("used"),
    )
    op.get_bind().exec_driver_sql(SchemaManager.get_schema().replace("%", "%%"))


def downgrade() -> None:
    raise NotImplementedError("the first schema is not taken back; drop the database instead")
