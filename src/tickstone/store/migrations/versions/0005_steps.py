"""steps of a calibration in one shape for every procedure"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    bind = op.get_bind()
    for row_id, steps in bind.execute(
        sa.text("select id, steps from calibration where procedure = 'ruler'")
    ).all():
        fresh = [_step(one) for one in steps if "echo_us" in one]
        bind.execute(
            sa.text("update calibration set steps = cast(:steps as jsonb) where id = :id"),
            {"steps": json.dumps(fresh), "id": row_id},
        )


def _step(old: dict[str, Any]) -> dict[str, Any]:
    n = old["n"]
    return {
        "key": f"{old['true_mm']:g}",
        "label": f"{old['true_mm']:g} mm",
        "truth": {"true_mm": old["true_mm"]},
        "numbers": {"mean": old["echo_us"], "sd": old["sd_us"], "mean_sd": old["sd_us"] / n**0.5, "n": n},
        "n": n,
        "held_s": old["held_s"],
        "air_c": old["air_c"],
        "supply_v": None,
        "mark_id": old["mark_id"],
        "recording_id": old["recording_id"],
        "at": old["at"],
        "by": old["by"],
    }
