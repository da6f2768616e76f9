"""The public contract: for every calculation the least inputs that make sense, and the fields its result must
have."""

from __future__ import annotations

from typing import Any

POSES = {"+x": 411, "-x": 277, "+y": 410, "-y": 276, "+z": 412, "-z": 278}
ROWS = [
    [1, 0, 0, 717, 516, 500],
    [-1, 0, 0, 307, 508, 501],
    [0, 1, 0, 514, 717, 498],
    [0, -1, 0, 510, 307, 502],
    [0, 0, 1, 513, 511, 705],
    [0, 0, -1, 511, 513, 295],
]
GAINS = {"kp", "ki", "kd", "ti_s", "td_s"}

CONTRACT: dict[str, tuple[dict[str, Any], set[str]]] = {
    "speed-of-sound": ({"temperature_c": 20}, {"speed_m_s", "sensitivity_m_s_per_k"}),
    "echo-distance": (
        {"echo_us": 1457},
        {"distance_mm", "uncertainty_mm", "valid", "reason", "speed_m_s", "shares", "rules"},
    ),
    "echo-time": ({"distance_mm": 250}, {"echo_us"}),
    "ping-plan": ({}, {"timeout_us", "interval_ms", "step_mm", "rate_hz"}),
    "beam-footprint": ({"distance_mm": 500}, {"diameter_mm", "floor_from_mm"}),
    "sound-calibration": (
        {"pairs": [[100, 600], [200, 1180], [300, 1761]]},
        {"speed_m_s", "speed_sd", "offset_mm", "offset_sd", "residual_sd_mm", "equivalent_temperature_c"},
    ),
    "adc-volts": ({"counts": 512}, {"volts", "lsb_mv", "quantisation_mv", "clipped"}),
    "counts-to-units": ({"counts": 16384, "full_scale": 2}, {"value", "step", "clipped"}),
    "rpm": ({"frequency_hz": 94}, {"rpm", "turns_per_s"}),
    "timer-range": (
        {"clock_hz": 8e6, "prescaler": 256},
        {"tick_us", "ticks_per_s", "min_rpm", "max_rpm", "ticks", "rpm_step"},
    ),
    "timer-plan": (
        {"clock_hz": 16e6, "prescalers": [1, 8, 64, 256, 1024], "rpm_min": 60, "rpm_max": 6000},
        {"prescaler", "method", "error_pct_low", "error_pct_high", "crossover_hz", "rejected"},
    ),
    "gate-count": ({"gate_s": 1}, {"rpm", "rpm_step", "crossover_hz"}),
    "pass-time": (
        {"rpm": 1000, "radius_mm": 20, "width_mm": 10, "loop_ms": 5},
        {"pass_ms", "needs_interrupt", "max_rpm_polled"},
    ),
    "wheel-speed": ({"rpm": 60, "circumference_mm": 500}, {"speed_m_s", "speed_km_h", "speed_mph"}),
    "roll-out": (
        {"turns": 10, "distance_mm": 2042},
        {"circumference_mm", "circumference_sd_mm", "equivalent_diameter_mm"},
    ),
    "roller": ({"counts": 30, "steps_per_turn": 30, "diameter_mm": 30}, {"distance_mm", "step_mm"}),
    "video-rpm": ({"fps": 240, "frames": 48}, {"rpm", "rpm_low", "rpm_high"}),
    "motor-constant-rpm": ({"kv_rpm_per_v": 900, "volts": 11.1}, {"rpm"}),
    "second-opinion": (
        {
            "readings": [
                {"label": "a", "value": 300, "uncertainty": 5},
                {"label": "b", "value": 150, "uncertainty": 3},
            ]
        },
        {"consensus", "uncertainty", "members", "outliers"},
    ),
    "divider": (
        {"vin_v": 5, "top_ohm": 1000, "bottom_ohm": 2000},
        {"vout_v", "vout_min_v", "vout_max_v", "current_ma", "source_ohm"},
    ),
    "divider-design": ({"vin_max_v": 5, "limit_v": 3.3, "high_level_v": 2}, {"pairs"}),
    "led-resistor": (
        {"supply_v": 5, "forward_v": 2, "current_ma": 20},
        {"exact_ohm", "resistor_ohm", "actual_ma", "each_ma", "power_mw", "rating_w"},
    ),
    "resistor-code": ({"ohms": 4700}, {"colours"}),
    "resistor-decode": ({"colours": ["red", "red", "brown", "gold"]}, {"ohms", "tolerance_pct", "ppm_per_k"}),
    "pull-up": ({"ohms": 10_000, "capacitance_pf": 100}, {"rise_us", "max_hz", "low_ma"}),
    "ranger-fit": (
        {"pairs": [[100, 2.435], [200, 1.294], [400, 0.686], [800, 0.371]]},
        {"a", "b", "c", "residual_sd_mm", "monotonic_from_mm"},
    ),
    "ranger-distance": (
        {"volts": 1.2, "a": 260, "b": 9, "c": 0.05},
        {"distance_mm", "mm_per_count", "valid", "reason"},
    ),
    "analogue-acceleration": (
        {"counts": 400, "zero_g_v": 1.65, "v_per_g": 0.33},
        {"accel_g", "step_g", "clipped"},
    ),
    "otsu": ({"counts": [10, 12, 11, 200, 210, 205]}, {"threshold", "between_class_variance"}),
    "reflectance": ({"counts": 500, "black": 100, "white": 900}, {"fraction", "percent"}),
    "line-threshold": (
        {"black": [100, 104, 102], "white": [600, 610, 605]},
        {"midpoint", "otsu", "minimum_error", "separation", "hysteresis", "polarity", "verdict"},
    ),
    "line-position": ({"darkness": [0, 0, 1, 1, 0], "pitch_mm": 10}, {"offset_mm", "width_seen", "state"}),
    "six-pose": ({"poses": POSES}, {"offset", "counts_per_g", "warnings"}),
    "tilt": ({"ax_g": 0.1, "ay_g": 0, "az_g": 1}, {"roll_deg", "pitch_deg", "tilt_deg", "norm_g", "valid"}),
    "stillness": ({"samples": [[1, 2, 3], [1, 2, 3]], "rate_hz": 100, "limit": 1}, {"bias", "sd", "still"}),
    "kalman-gain": ({"q": 1, "r": 1}, {"gain", "variance", "equivalent_samples"}),
    "filter-tradeoff": ({"kind": "average", "length": 4, "rate_hz": 20}, {"noise_ratio", "lag_ms", "lag_mm"}),
    "stop-distance": (
        {"speed_m_s": 0.4, "sample_s": 0.05, "reaction_s": 0.05, "deceleration_m_s2": 0.8},
        {"trip_mm", "clear_mm", "parts_mm"},
    ),
    "motor-hall-spacings": ({"pole_pairs": 7}, {"spacings"}),
    "motor-hall-check": (
        {"pole_pairs": 7, "spacing_deg": 60},
        {"electrical_deg", "scheme", "valid", "nearest_valid_deg", "electrical_error_deg"},
    ),
    "motor-hall-rpm": ({"edges_per_s": 700, "pole_pairs": 7}, {"rpm"}),
    "pid-rule": ({"ku": 10, "tu_s": 2, "rule": "zn-pid"}, GAINS),
    "relay": ({"relay_amplitude": 1, "oscillation_amplitude": 0.25}, {"ku", "tu_s"}),
    "servo-map": (
        {"value": 0.5, "in_low": -1, "in_high": 1, "out_low": 80, "out_high": 120},
        {"mapped", "clamped", "saturated"},
    ),
    "tip-over": ({"track_mm": 200, "cog_height_mm": 100}, {"angle_deg", "grade_pct"}),
    "grade": ({"angle_deg": 10}, {"angle_deg", "grade_pct"}),
    "arc-step": ({"left_mm": 90, "right_mm": 110, "track_mm": 150}, {"x_mm", "y_mm", "heading_deg"}),
    "edges": (
        {"edges_us": [0, 20_000, 40_000]},
        {"rpm", "rpm_last", "speed_m_s", "distance_mm", "rejected", "suspected_missed", "suspected_doubled"},
    ),
    "ticks-elapsed": ({"start": 65_000, "stop": 500, "bits": 16}, {"ticks"}),
    "nearest-value": ({"ohms": 230}, {"nearest_ohm", "next_up_ohm", "next_down_ohm"}),
    "rc": ({"ohms": 1000, "farads": 1e-7}, {"tau_s", "rise_s", "cutoff_hz"}),
    "i2c-pull-up": ({"supply_v": 3.3, "bus_pf": 100, "mode": "fast"}, {"min_ohm", "max_ohm"}),
    "two-population-threshold": (
        {"mean_low": 100, "sd_low": 20, "mean_high": 300, "sd_high": 20},
        {"threshold", "misreads_per_1000", "d_prime"},
    ),
    "score-threshold": ({"scores": [1, 2, 3, 4], "labels": [0, 0, 1, 1]}, {"auc", "youden_j", "threshold"}),
    "six-pose-fit": (
        {"rows": ROWS, "apply": [614, 717, 500]},
        {"offset", "counts_per_g", "matrix", "matrix_offset", "residual_sd", "applied_g", "applied_simple_g"},
    ),
    "filter-run": ({"kind": "median", "length": 3, "values": [1, 1, 9, 1]}, {"values"}),
    "complementary": (
        {"rate_hz": 100, "alpha": 0.98, "gyro_dps": [[1, 0, 0]], "accel_g": [[0, 0, 1]]},
        {"roll_deg", "pitch_deg"},
    ),
    "allan": ({"values": [1, 3, 2, 5], "rate_hz": 1, "averaging": [1, 2]}, {"overlapping", "plain"}),
    "motor-hall-layout": ({"pole_pairs": 7, "angles_deg": [0, 120, 240]}, {"scheme", "electrical_deg"}),
    "motor-hall-decode": (
        {"codes": [5, 4, 6, 2, 3, 1, 5]},
        {"net_steps", "invalid_codes", "skipped", "direction"},
    ),
    "step-metrics": (
        {"times_s": [0, 1, 2, 3], "values": [0, 1, 1, 1], "target": 1},
        {"overshoot_pct", "peak_time_s", "rise_s", "settling_s", "steady_error"},
    ),
    "lag-rule": ({"gain": 1, "lag_s": 1, "delay_s": 1, "rule": "simc-pi"}, GAINS),
}
