"""first tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "rig",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("slug", sa.Text(), nullable=False),
        sa.Column("current_revision_id", sa.BigInteger(), nullable=True),
        sa.Column("archived_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rig")),
        sa.UniqueConstraint("slug", name=op.f("uq_rig_slug")),
    )
    op.create_table(
        "entry",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("reference", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column(
            "search",
            postgresql.TSVECTOR(),
            sa.Computed("to_tsvector('simple', text)", persisted=True),
            nullable=False,
        ),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_entry_rig_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_entry")),
    )
    op.create_index(op.f("ix_entry_rig_id"), "entry", ["rig_id"], unique=False)
    op.create_index("ix_entry_search", "entry", ["search"], unique=False, postgresql_using="gin")
    op.create_table(
        "rig_revision",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("parent_id", sa.BigInteger(), nullable=True),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("schema_version", sa.Integer(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["parent_id"], ["rig_revision.id"], name=op.f("fk_rig_revision_parent_id")),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_rig_revision_rig_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rig_revision")),
        sa.UniqueConstraint("rig_id", "number", name=op.f("uq_rig_revision_rig_id")),
    )
    op.create_table(
        "sensor",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("archived_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_sensor_rig_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sensor")),
        sa.UniqueConstraint("rig_id", "key", name=op.f("uq_sensor_rig_id")),
    )
    op.create_table(
        "calibration",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("sensor_id", sa.BigInteger(), nullable=False),
        sa.Column("procedure", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("steps", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("result", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["sensor_id"], ["sensor.id"], name=op.f("fk_calibration_sensor_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration")),
    )
    op.create_index(op.f("ix_calibration_sensor_id"), "calibration", ["sensor_id"], unique=False)
    op.create_table(
        "recording",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("rig_revision_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("origin", sa.Text(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("status", sa.Text(), nullable=False),
        sa.Column("ended_why", sa.Text(), server_default="", nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("clock", sa.Text(), nullable=False),
        sa.Column("last_batch", sa.BigInteger(), server_default="0", nullable=False),
        sa.Column("made_from", postgresql.JSONB(astext_type=sa.Text()), server_default="[]", nullable=False),
        sa.Column("archived_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_recording_rig_id")),
        sa.ForeignKeyConstraint(
            ["rig_revision_id"], ["rig_revision.id"], name=op.f("fk_recording_rig_revision_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_recording")),
    )
    op.create_index(op.f("ix_recording_rig_id"), "recording", ["rig_id"], unique=False)
    op.create_table(
        "stone",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("rig_revision_id", sa.BigInteger(), nullable=False),
        sa.Column("cut_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_stone_rig_id")),
        sa.ForeignKeyConstraint(
            ["rig_revision_id"], ["rig_revision.id"], name=op.f("fk_stone_rig_revision_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stone")),
        sa.UniqueConstraint("rig_id", "number", name=op.f("uq_stone_rig_id")),
    )
    op.create_table(
        "constant_value",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=False),
        sa.Column("sensor_id", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("condition", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False),
        sa.Column("value", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("unit", sa.Text(), nullable=False),
        sa.Column("sd", sa.DOUBLE_PRECISION(), nullable=True),
        sa.Column("provenance", sa.Text(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("calibration_id", sa.BigInteger(), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["calibration_id"], ["calibration.id"], name=op.f("fk_constant_value_calibration_id")
        ),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"], name=op.f("fk_constant_value_rig_id")),
        sa.ForeignKeyConstraint(["sensor_id"], ["sensor.id"], name=op.f("fk_constant_value_sensor_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_constant_value")),
    )
    op.create_index("ix_constant_value_latest", "constant_value", ["sensor_id", "name", "id"], unique=False)
    op.create_table(
        "mark",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("recording_id", sa.BigInteger(), nullable=False),
        sa.Column("t0", sa.BigInteger(), nullable=False),
        sa.Column("t1", sa.BigInteger(), nullable=True),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("sensor_id", sa.BigInteger(), nullable=True),
        sa.Column("truth", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
        sa.Column("conditions", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False),
        sa.Column("archived_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_mark_recording_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["sensor_id"], ["sensor.id"], name=op.f("fk_mark_sensor_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mark")),
    )
    op.create_index(op.f("ix_mark_recording_id"), "mark", ["recording_id"], unique=False)
    op.create_table(
        "odd_line",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("recording_id", sa.BigInteger(), nullable=False),
        sa.Column("t", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_odd_line_recording_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_odd_line")),
    )
    op.create_index(op.f("ix_odd_line_recording_id"), "odd_line", ["recording_id"], unique=False)
    op.create_table(
        "stream",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("recording_id", sa.BigInteger(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_stream_recording_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stream")),
        sa.UniqueConstraint("recording_id", "key", name=op.f("uq_stream_recording_id")),
    )
    op.create_table(
        "chunk",
        sa.Column("stream_id", sa.BigInteger(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("segment", sa.Integer(), nullable=False),
        sa.Column("n", sa.Integer(), nullable=False),
        sa.Column("t0", sa.BigInteger(), nullable=False),
        sa.Column("t1", sa.BigInteger(), nullable=False),
        sa.Column("times", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["stream_id"], ["stream.id"], name=op.f("fk_chunk_stream_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("stream_id", "seq", name=op.f("pk_chunk")),
    )
    op.create_table(
        "chunk_column",
        sa.Column("stream_id", sa.BigInteger(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("n_missing", sa.Integer(), nullable=False),
        sa.Column("min", sa.DOUBLE_PRECISION(), nullable=True),
        sa.Column("max", sa.DOUBLE_PRECISION(), nullable=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["stream_id"], ["stream.id"], name=op.f("fk_chunk_column_stream_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("stream_id", "seq", "position", name=op.f("pk_chunk_column")),
    )
    op.create_table(
        "stone_line",
        sa.Column("stone_id", sa.BigInteger(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("sensor_key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("value", sa.DOUBLE_PRECISION(), nullable=False),
        sa.Column("unit", sa.Text(), nullable=False),
        sa.Column("sd", sa.DOUBLE_PRECISION(), nullable=True),
        sa.Column("provenance", sa.Text(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("condition", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False),
        sa.Column("stale", sa.Text(), server_default="", nullable=False),
        sa.Column("value_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["stone_id"], ["stone.id"], name=op.f("fk_stone_line_stone_id")),
        sa.ForeignKeyConstraint(["value_id"], ["constant_value.id"], name=op.f("fk_stone_line_value_id")),
        sa.PrimaryKeyConstraint("stone_id", "position", name=op.f("pk_stone_line")),
    )
    op.create_table(
        "stream_column",
        sa.Column("stream_id", sa.BigInteger(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("sensor_id", sa.BigInteger(), nullable=True),
        sa.Column("channel", sa.Text(), nullable=False),
        sa.Column("form", sa.Text(), nullable=False),
        sa.Column("type", sa.Text(), nullable=False),
        sa.Column("unit", sa.Text(), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["sensor_id"], ["sensor.id"], name=op.f("fk_stream_column_sensor_id")),
        sa.ForeignKeyConstraint(
            ["stream_id"], ["stream.id"], name=op.f("fk_stream_column_stream_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("stream_id", "position", name=op.f("pk_stream_column")),
    )
    op.create_table(
        "tail",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("stream_id", sa.BigInteger(), nullable=False),
        sa.Column("segment", sa.Integer(), nullable=False),
        sa.Column("n", sa.Integer(), nullable=False),
        sa.Column("rows", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["stream_id"], ["stream.id"], name=op.f("fk_tail_stream_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_tail")),
    )
    op.create_index(op.f("ix_tail_stream_id"), "tail", ["stream_id"], unique=False)
    op.create_table(
        "value_input",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("value_id", sa.BigInteger(), nullable=False),
        sa.Column("input_value_id", sa.BigInteger(), nullable=True),
        sa.Column("recording_id", sa.BigInteger(), nullable=True),
        sa.Column("mark_id", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.Text(), nullable=True),
        sa.Column("seen", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
        sa.ForeignKeyConstraint(
            ["input_value_id"], ["constant_value.id"], name=op.f("fk_value_input_input_value_id")
        ),
        sa.ForeignKeyConstraint(["mark_id"], ["mark.id"], name=op.f("fk_value_input_mark_id")),
        sa.ForeignKeyConstraint(["recording_id"], ["recording.id"], name=op.f("fk_value_input_recording_id")),
        sa.ForeignKeyConstraint(["value_id"], ["constant_value.id"], name=op.f("fk_value_input_value_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_value_input")),
    )
    op.create_index(op.f("ix_value_input_value_id"), "value_input", ["value_id"], unique=False)
    op.create_foreign_key(
        "fk_rig_current_revision_id", "rig", "rig_revision", ["current_revision_id"], ["id"], deferrable=True
    )
    for table, column in (("chunk", "times"), ("chunk_column", "data"), ("tail", "rows")):
        op.execute(f"ALTER TABLE {table} ALTER COLUMN {column} SET STORAGE EXTERNAL")  # compressed already


def downgrade() -> None:
    op.drop_constraint("fk_rig_current_revision_id", "rig")
    op.drop_index(op.f("ix_value_input_value_id"), table_name="value_input")
    op.drop_table("value_input")
    op.drop_index(op.f("ix_tail_stream_id"), table_name="tail")
    op.drop_table("tail")
    op.drop_table("stream_column")
    op.drop_table("stone_line")
    op.drop_table("chunk_column")
    op.drop_table("chunk")
    op.drop_table("stream")
    op.drop_index(op.f("ix_odd_line_recording_id"), table_name="odd_line")
    op.drop_table("odd_line")
    op.drop_index(op.f("ix_mark_recording_id"), table_name="mark")
    op.drop_table("mark")
    op.drop_index("ix_constant_value_latest", table_name="constant_value")
    op.drop_table("constant_value")
    op.drop_table("stone")
    op.drop_index(op.f("ix_recording_rig_id"), table_name="recording")
    op.drop_table("recording")
    op.drop_index(op.f("ix_calibration_sensor_id"), table_name="calibration")
    op.drop_table("calibration")
    op.drop_table("sensor")
    op.drop_table("rig_revision")
    op.drop_index("ix_entry_search", table_name="entry", postgresql_using="gin")
    op.drop_index(op.f("ix_entry_rig_id"), table_name="entry")
    op.drop_table("entry")
    op.drop_table("rig")
