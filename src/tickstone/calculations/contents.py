"""The table of contents: which module holds which calculation, so that one of them is found without loading
all."""

SUBJECTS: dict[str, tuple[str, ...]] = {
    "control": ("pid-rule", "lag-rule", "relay", "servo-map", "step-metrics"),
    "counts": ("adc-volts", "counts-to-units", "reflectance", "line-position"),
    "deciding": ("stop-distance",),
    "electrical": ("divider", "divider-design", "led-resistor", "pull-up", "rc", "i2c-pull-up"),
    "filters": ("kalman-gain", "filter-tradeoff", "filter-run"),
    "inertial": (
        "analogue-acceleration",
        "six-pose",
        "six-pose-fit",
        "tilt",
        "stillness",
        "complementary",
        "allan",
    ),
    "motion": ("tip-over", "grade", "arc-step"),
    "motor_halls": (
        "motor-hall-spacings",
        "motor-hall-check",
        "motor-hall-layout",
        "motor-hall-rpm",
        "motor-hall-decode",
    ),
    "opinion": ("second-opinion",),
    "pulses": ("rpm", "timer-range", "timer-plan", "gate-count", "pass-time", "edges", "ticks-elapsed"),
    "ranging": (
        "speed-of-sound",
        "echo-distance",
        "echo-time",
        "ping-plan",
        "beam-footprint",
        "sound-calibration",
    ),
    "resistors": ("nearest-value", "resistor-code", "resistor-decode"),
    "thresholds": ("otsu", "line-threshold", "two-population-threshold", "score-threshold"),
    "triangulation": ("ranger-fit", "ranger-distance"),
    "wheels": ("wheel-speed", "roll-out", "roller", "video-rpm", "motor-constant-rpm"),
}

PLACES = {name: subject for subject, names in SUBJECTS.items() for name in names}
