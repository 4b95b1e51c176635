"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "folio",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("created_at", sa.Float, nullable=False),
        sa.Column("changed_at", sa.Float, nullable=False),
        sa.Column("demo", sa.Boolean, nullable=False),
    )
    op.create_table(
        "entity",
        sa.Column("folio_id", sa.String(32), sa.ForeignKey("folio.id"), primary_key=True),
        sa.Column("kind", sa.String(16), primary_key=True),
        sa.Column("parent", sa.String(64), primary_key=True),
        sa.Column("id", sa.String(96), primary_key=True),
        sa.Column("body", sa.JSON, nullable=False),
    )
    op.create_table(
        "change",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("folio_id", sa.String(32), sa.ForeignKey("folio.id"), nullable=False),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("at", sa.Float, nullable=False),
        sa.Column("undone", sa.Boolean, nullable=False),
        sa.Column("deltas", sa.JSON, nullable=False),
    )
    op.create_index("change_of_folio", "change", ["folio_id", "undone", "id"])
    op.create_table(
        "recording",
        sa.Column("content", sa.String(64), primary_key=True),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("facts", sa.JSON, nullable=False),
    )
    op.create_table(
        "reading",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("folio_id", sa.String(32), sa.ForeignKey("folio.id"), nullable=False),
        sa.Column("take_id", sa.String(32), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("at", sa.Float, nullable=False),
        sa.Column("engine", sa.String(40), nullable=False),
        sa.Column("settings", sa.JSON, nullable=False),
        sa.Column("summary", sa.JSON, nullable=False),
        sa.Column("arrays", sa.String(64), nullable=False),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("folio_id", sa.String(32), nullable=False),
        sa.Column("kind", sa.String(24), nullable=False),
        sa.Column("title", sa.String(300), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("at", sa.Float, nullable=False),
        sa.Column("order", sa.Integer, nullable=False),
        sa.Column("arguments", sa.JSON, nullable=False),
        sa.Column("result", sa.JSON, nullable=False),
    )
    op.create_table(
        "hand_on",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("folio_id", sa.String(32), sa.ForeignKey("folio.id"), nullable=False),
        sa.Column("at", sa.Float, nullable=False),
        sa.Column("name", sa.String(300), nullable=False),
        sa.Column("content", sa.String(64), nullable=False),
        sa.Column("settings", sa.JSON, nullable=False),
        sa.Column("proof", sa.JSON, nullable=False),
    )
    op.create_table(
        "preference",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("value", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    for table in ("preference", "hand_on", "job", "reading", "recording", "change", "entity", "folio"):
        op.drop_table(table)
