"""a choice keeps the warning it was made against, in stones too; and it can be taken back"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("constant_value", sa.Column("warning", sa.Text(), server_default="", nullable=False))
    op.add_column(
        "constant_value", sa.Column("withdrawn", sa.Boolean(), server_default=sa.false(), nullable=False)
    )
    op.add_column(
        "constant_value", sa.Column("restores_id", sa.BigInteger(), sa.ForeignKey("constant_value.id"))
    )
    op.add_column("stone_line", sa.Column("warning", sa.Text(), server_default="", nullable=False))
