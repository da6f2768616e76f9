"""what the labels on a rig's line mean"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "line_label",
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("meaning", JSONB(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_line_label_rig_id")),
        sa.PrimaryKeyConstraint("rig_id", "label", name=op.f("pk_line_label")),
    )
