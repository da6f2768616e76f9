"""a recording's note; the file's line of what was not understood"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("recording", sa.Column("note", sa.Text(), server_default="", nullable=False))
    op.add_column("odd_line", sa.Column("line", sa.BigInteger(), nullable=True))
