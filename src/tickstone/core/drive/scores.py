"""The numbers of a score: what each is called, and its unit."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class ScoreSpec:
    """A number of a score; ``unit`` is empty for a count or a share."""

    name: str
    label: str
    unit: str = ""
    digits: int = 0


SCORES: dict[str, ScoreSpec] = {
    spec.name: spec
    for spec in (
        ScoreSpec("finished", "reached the end"),
        ScoreSpec("laps", "laps"),
        ScoreSpec("lap_s", "a lap takes", "s", 2),
        ScoreSpec("offset_mean_mm", "beside the line, mean", "mm", 1),
        ScoreSpec("offset_p95_mm", "beside it, 95 % of the time within", "mm", 1),
        ScoreSpec("offset_worst_mm", "beside it, at most", "mm", 1),
        ScoreSpec("lost", "left the line, times"),
        ScoreSpec("lost_s", "off the line for", "s", 2),
        ScoreSpec("reversals_per_s", "steers to and fro", "/s", 2),
        ScoreSpec("effort_pct", "steers with, mean", "%", 1),
        ScoreSpec("hits", "drove into something, times"),
        ScoreSpec("nearest_mm", "nearest to anything", "mm", 0),
        ScoreSpec("late_stops", "stopped too late, times"),
        ScoreSpec("false_stops", "stopped for nothing, times"),
        ScoreSpec("way_m", "distance driven", "m", 2),
        ScoreSpec("falls", "fell, times"),
        ScoreSpec("worst_overhang_mm", "over the edge, at most", "mm", 1),
        ScoreSpec("switches", "switched, times"),
        ScoreSpec("chatter", "more often than it had to"),
        ScoreSpec("late_ms", "behind what moves", "ms", 1),
        ScoreSpec("rms_mm", "off by, root mean square", "mm", 2),
        ScoreSpec("overshoot_pct", "overshoots by", "%", 1),
        ScoreSpec("settling_s", "settles after", "s", 2),
        ScoreSpec("steady_mm", "stays off by", "mm", 2),
        ScoreSpec("clamped_share", "share of the time at an end stop", "", 3),
        ScoreSpec("slewed_share", "share of the time as fast as it may", "", 3),
    )
}
