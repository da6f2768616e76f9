"""ticks of the checklist before power"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "checklist_tick",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("by", sa.Text(), server_default="", nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("taken_back_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_checklist_tick_rig_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_checklist_tick")),
    )
    op.create_index(op.f("ix_checklist_tick_rig_id"), "checklist_tick", ["rig_id"])
