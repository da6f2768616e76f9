"""worlds, and runs that were kept"""

from datetime import datetime

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def _at(name: str) -> sa.Column[datetime]:
    return sa.Column(name, sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False)


def upgrade() -> None:
    op.create_table(
        "world",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("document", JSONB(), nullable=False),
        _at("changed_at"),
        sa.PrimaryKeyConstraint("id", name="pk_world"),
        sa.UniqueConstraint("name", name="uq_world_name"),
    )
    op.create_table(
        "trial",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("rig_revision_id", sa.BigInteger(), nullable=False),
        _at("at"),
        sa.Column("note", sa.Text(), server_default="", nullable=False),
        sa.Column("behaviour", sa.Text(), nullable=False),
        sa.Column("world", JSONB(), nullable=False),
        sa.Column("asked", JSONB(), nullable=False),
        sa.Column("constants", JSONB(), nullable=False),
        sa.Column("score", JSONB(), nullable=False),
        sa.Column("verdict", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("archived_at", sa.DateTime(timezone=True)),
        sa.PrimaryKeyConstraint("id", name="pk_trial"),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name="fk_trial_rig_id"),
        sa.ForeignKeyConstraint(["rig_revision_id"], ["rig_revision.id"], name="fk_trial_rig_revision_id"),
        sa.UniqueConstraint("rig_id", "number", name="uq_trial_rig_id"),
    )
