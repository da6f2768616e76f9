"""what marks, and names and notes of recordings, were before a change"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "earlier",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column(
            "recording_id",
            sa.BigInteger(),
            sa.ForeignKey("recording.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column("mark_id", sa.BigInteger(), sa.ForeignKey("mark.id", ondelete="CASCADE")),
        sa.Column("before", postgresql.JSONB(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
