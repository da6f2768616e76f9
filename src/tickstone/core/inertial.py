"""Accelerometers and gyros: calibration, tilt, stillness, fusion. Axes: x forward, y left, z up; flat reads
+1 g on z.

Pitch is right-handed about y: positive is nose down. Roll is right-handed about x: positive is left side up.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from tickstone.core import adc, loops
from tickstone.core.checks import check_between, check_length, check_not_negative, check_positive
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

AXES = ("x", "y", "z")
POSES = ("+x", "-x", "+y", "-y", "+z", "-z")
NORM_SLACK_G = 0.1  # within this of 1 g the reading is gravity alone, near enough
POSE_PURE = 0.99  # a pose whose gravity lies this much along one axis counts as that axis's


def check_rate(rate_hz: float) -> float:
    """Return a sample rate, Hz, or raise BadInput for ``rate_hz`` unless it is above zero."""
    return check_positive(rate_hz, "rate_hz")


def acceleration_g(
    counts: npt.ArrayLike, bits: int, reference_v: float, zero_g_v: float, v_per_g: float
) -> Array:
    """Counts of an analogue accelerometer to g: ``(V − V₀)/S``. Any shape; NaN = missing.

    >>> float(acceleration_g(614, 10, 3.3, 1.65, 0.33).round(3))
    0.996
    """
    if v_per_g == 0:
        raise BadInput("v_per_g must not be zero.", "v_per_g")
    return (adc.volts(counts, bits, reference_v) - zero_g_v) / v_per_g


@dataclass(frozen=True)
class SixPose:
    """Offset (counts) and sensitivity (counts per g, signed) of each axis."""

    offset: Array
    counts_per_g: Array


def six_pose(poses: Mapping[str, float]) -> SixPose:
    """Offset and sensitivity per axis from six poses: half the sum, half the difference.

    Parameters: poses, by "+x" (x arrow up, true +1 g) … "-z", each that axis's own mean, counts.
    Raises: BadInput for ``poses`` when one is missing or both ends of an axis read the same. Source: common
    practice.

    >>> six_pose({p: 411 if p[0] == "+" else 277 for p in POSES}).counts_per_g.tolist()
    [67.0, 67.0, 67.0]
    """
    missing = [pose for pose in POSES if pose not in poses]
    if missing or len(poses) != len(POSES):
        unknown = [pose for pose in poses if pose not in POSES]
        text = f"misses {', '.join(missing)}" if missing else f"has {', '.join(unknown)}"
        raise BadInput(f"poses must hold {', '.join(POSES)}, but {text}.", "poses")
    up = np.array([poses[f"+{axis}"] for axis in AXES], dtype=np.float64)
    down = np.array([poses[f"-{axis}"] for axis in AXES], dtype=np.float64)
    same = np.flatnonzero(up == down)
    if same.size:
        raise BadInput(
            f"poses +{AXES[same[0]]} and -{AXES[same[0]]} read the same: was the part turned over?", "poses"
        )
    return SixPose((up + down) / 2, (up - down) / 2)


@dataclass(frozen=True)
class SixPoseFit:
    """``matrix`` is counts per g (rows: raw axes), ``matrix_offset`` counts; ``residual_sd`` the root mean
    square of all residuals, counts; ``simple`` the per-axis answer, None
    without all six pure poses."""

    matrix: Array
    matrix_offset: Array
    residual_sd: float
    simple: SixPose | None

    def apply(self, counts: npt.ArrayLike) -> Array:
        """Counts, shape (…, 3), to g by the full matrix."""
        return np.asarray(
            np.linalg.solve(self.matrix, (np.asarray(counts, np.float64) - self.matrix_offset).T).T,
            np.float64,
        )


def fit_six_pose(true_g: npt.ArrayLike, counts: npt.ArrayLike) -> SixPoseFit:
    """Full least squares of counts on true gravity, with cross-axis terms: ``counts = M·g + b``.

    Parameters: true_g, counts: shape (n, 3), n ≥ 4 in directions that span all three axes.
    Returns: SixPoseFit. Raises: BadInput for ``rows``. Source: least squares; IEEE Std 1293 multi-position
    test.
    """
    g, raw = np.asarray(true_g, dtype=np.float64), np.asarray(counts, dtype=np.float64)
    design = np.column_stack([g, np.ones(len(g))])
    if len(g) < 4 or np.linalg.matrix_rank(design) < 4:
        raise BadInput(
            "rows must hold at least four poses that point all three axes in more than one direction.", "rows"
        )
    solved, *_ = np.linalg.lstsq(design, raw, rcond=None)
    matrix, offset = np.asarray(solved[:3].T, np.float64), np.asarray(solved[3], np.float64)
    if np.linalg.matrix_rank(matrix) < 3:
        raise BadInput("rows: an axis does not answer to gravity.", "rows")
    residual = raw - design @ solved
    return SixPoseFit(matrix, offset, float(np.sqrt((residual**2).mean())), _simple(g, raw))


def _simple(g: Array, raw: Array) -> SixPose | None:
    norm = np.linalg.norm(g, axis=1)
    offset, scale = np.empty(3), np.empty(3)
    for axis in range(3):
        up, down = g[:, axis] > POSE_PURE * norm, g[:, axis] < -POSE_PURE * norm
        if not (up.any() and down.any()):
            return None
        high, low = raw[up, axis].mean(), raw[down, axis].mean()
        offset[axis], scale[axis] = (high + low) / 2, (high - low) / 2
    return SixPose(offset, scale)


@dataclass(frozen=True)
class Tilt:
    """The axes in g, level reading +1 on z, and the norm, g, arrays of one shape; ``valid`` where it is near
    1 g. Each angle, in degrees, is worked out when it is first asked for."""

    x_g: Array
    y_g: Array
    z_g: Array
    norm_g: Array

    @cached_property
    def roll_deg(self) -> Array:
        """Roll, above −180 to 180."""
        # + 0.0: an atan2 of (−0, negative) must be +180
        roll = np.degrees(np.arctan2(self.y_g, self.z_g + 0.0))
        return np.where(roll <= -180.0, 180.0, roll)

    @cached_property
    def pitch_deg(self) -> Array:
        """Pitch, −90 to 90, positive nose down."""
        return np.asarray(np.degrees(np.arctan2(-self.x_g, np.hypot(self.y_g, self.z_g))) + 0.0)

    @cached_property
    def tilt_deg(self) -> Array:
        """Total tilt, 0 to 180."""
        return np.asarray(np.degrees(np.arctan2(np.hypot(self.x_g, self.y_g), self.z_g)))

    @property
    def valid(self) -> npt.NDArray[np.bool_]:
        """True where gravity alone is felt, near enough."""
        return np.asarray(np.abs(self.norm_g - 1.0) <= NORM_SLACK_G)


def tilt(ax_g: npt.ArrayLike, ay_g: npt.ArrayLike, az_g: npt.ArrayLike, flat_reads: str = "plus") -> Tilt:
    """Roll, pitch and total tilt from an accelerometer.

    Parameters: ax_g, ay_g, az_g, g, of one shape, NaN = missing; flat_reads, plus (level reads +1 g on z) or
    minus. Returns: Tilt; roll −180 to 180 (above −180), pitch −90 to 90, positive nose down, tilt 0 to 180.
    Raises: BadInput for ``ax_g`` when a vector is zero. Source: aerospace rotation order; trigonometry.

    >>> float(tilt(0.5, 0.0, 0.8660254).pitch_deg.round(3))
    -30.0
    """
    if flat_reads not in ("plus", "minus"):
        raise BadInput(f"flat_reads must be plus or minus, not {flat_reads}.", "flat_reads")
    sign = 1.0 if flat_reads == "plus" else -1.0
    x, y, z = (sign * np.asarray(axis, dtype=np.float64) for axis in (ax_g, ay_g, az_g))
    if bool(((x == 0) & (y == 0) & (z == 0)).any()):
        raise BadInput(
            "ax_g, ay_g and az_g are all zero: a sensor that feels nothing tells no direction.", "ax_g"
        )
    return Tilt(x, y, z, np.sqrt(x * x + y * y + z * z))


LEVEL_DEG = 0.05  # less than this is not worth a word


def tilt_words(roll_deg: float, pitch_deg: float) -> str:
    """Roll and pitch in plain words: pitch is positive nose down, roll positive left side up.

    >>> tilt_words(2.0, -5.0)
    'nose up 5.0°, left side up 2.0°'
    """
    sentences = []
    if abs(pitch_deg) >= LEVEL_DEG:
        sentences.append(f"nose {'down' if pitch_deg > 0 else 'up'} {abs(pitch_deg):.1f}°")
    if abs(roll_deg) >= LEVEL_DEG:
        sentences.append(f"{'left' if roll_deg > 0 else 'right'} side up {abs(roll_deg):.1f}°")
    return ", ".join(sentences) or "level"


def tilt_one_axis_deg(a_g: npt.ArrayLike) -> Array:
    """Tilt of one axis by the arcsine, degrees; NaN beyond ±1 g. Blind near 90°, where the sine hardly moves.

    >>> float(tilt_one_axis_deg(0.5).round(6))
    30.0
    """
    with np.errstate(invalid="ignore"):
        return np.degrees(np.arcsin(np.asarray(a_g, dtype=np.float64)))


def gravity_at(roll_deg: float, pitch_deg: float) -> Array:
    """What a still accelerometer reads, g, shape (3,), at a roll and pitch: the inverse of ``tilt``.

    >>> gravity_at(0, -30).round(3).tolist()
    [0.5, 0.0, 0.866]
    """
    roll, pitch = np.radians(roll_deg), np.radians(pitch_deg)
    return np.array([-np.sin(pitch), np.sin(roll) * np.cos(pitch), np.cos(roll) * np.cos(pitch)])


@dataclass(frozen=True)
class Rest:
    """Mean (bias) and sd of each gyro axis over a window, and whether the unit stood still in it."""

    bias: Array
    sd: Array
    still: bool


def at_rest(samples: npt.ArrayLike, limit: float) -> Rest:
    """Is a gyro at rest, and what is its bias?

    Parameters: samples, shape (n, 3), n ≥ 2, any unit; limit, the largest sd of an axis that counts as still,
    and the largest drift between the halves' means. Returns: Rest. Raises: BadInput for ``samples`` or
    ``limit``.
    """
    x = np.asarray(samples, dtype=np.float64)
    check_length(x, 2, "samples")
    check_positive(limit, "limit")
    half = len(x) // 2
    drift = np.abs(x[half:].mean(axis=0) - x[:half].mean(axis=0))
    sd = x.std(axis=0, ddof=1)
    return Rest(x.mean(axis=0), sd, bool((sd <= limit).all() and (drift <= limit).all()))


def _complementary_loop(rate: Array, reference: Array, alpha: float, dt: float) -> Array:
    out = np.empty_like(reference)
    angle = reference[0]
    out[0] = angle
    for i in range(1, reference.size):
        angle += rate[i] * dt
        off = reference[i] - angle
        if not -180.0 <= off < 180.0:
            off = (off + 180.0) % 360.0 - 180.0
        angle += (1.0 - alpha) * off
        if not -180.0 <= angle < 180.0:
            angle = (angle + 180.0) % 360.0 - 180.0
        out[i] = angle
    return out


def complementary(
    rate_dps: npt.ArrayLike, reference_deg: npt.ArrayLike, alpha: float, rate_hz: float
) -> Array:
    """Complementary filter of one axis: ``θ = α(θ + ω·dt) + (1 − α)·θ_acc``, starting at the reference angle.

    Parameters: rate_dps, reference_deg: shape (n,), °/s and °; alpha, weight of the gyro path, 0 to 1;
    rate_hz. Returns: degrees, shape (n,), within −180…180. A steady gyro bias b leaves an error of α·dt·b/(1
    − α). Source: Higgins, IEEE Trans. AES-11 (1975) 321.

    >>> complementary([0.0, 10.0], [0.0, 0.0], 0.98, 100.0).round(4).tolist()
    [0.0, 0.098]
    """
    rate, reference = np.asarray(rate_dps, np.float64), np.asarray(reference_deg, np.float64)
    check_between(alpha, 0.0, 1.0, "alpha")
    check_positive(rate_hz, "rate_hz")
    if reference.size == 0:
        return reference.copy()
    run = loops.run(_complementary_loop, reference.size, rate, reference, float(alpha), 1.0 / rate_hz)
    return np.asarray(run)


def _angle_bias_loop(
    rate: Array, reference: Array, dt: float, q_angle: float, q_bias: float, r_angle: float
) -> tuple[Array, Array]:
    angles, biases = np.empty_like(reference), np.empty_like(reference)
    angle, bias = reference[0], 0.0
    p00, p01, p11, k0, k1, settled = r_angle, 0.0, q_bias, 0.0, 0.0, False
    for i in range(reference.size):
        if i > 0:
            angle += (rate[i] - bias) * dt
        if not settled:  # the gains do not depend on the readings: once they stand they need not be computed
            if i > 0:
                p00 += dt * (dt * p11 - 2.0 * p01) + q_angle
                p01 -= dt * p11
                p11 += q_bias
            spread = p00 + r_angle
            fresh0, fresh1 = p00 / spread, p01 / spread
            settled = abs(fresh0 - k0) <= 1e-15 * abs(k0) and abs(fresh1 - k1) <= 1e-15 * abs(k1)
            k0, k1 = fresh0, fresh1
            p11 -= k1 * p01
            p01 *= 1.0 - k0
            p00 *= 1.0 - k0
        innovation = reference[i] - angle
        if not -180.0 <= innovation < 180.0:
            innovation = (innovation + 180.0) % 360.0 - 180.0
        angle += k0 * innovation
        bias += k1 * innovation
        if not -180.0 <= angle < 180.0:
            angle = (angle + 180.0) % 360.0 - 180.0
        angles[i] = angle
        biases[i] = bias
    return angles, biases


def angle_and_bias(
    rate_dps: npt.ArrayLike,
    reference_deg: npt.ArrayLike,
    rate_hz: float,
    *,
    q_angle: float,
    q_bias: float,
    r_angle: float,
) -> tuple[Array, Array]:
    """Two-state Kalman filter of one axis: angle and gyro bias from a rate and a reference angle.

    Parameters: rate_dps, reference_deg: shape (n,), °/s and °; q_angle, q_bias, variances that a step adds to
    angle (°²) and bias ((°/s)²); r_angle, variance of the reference, °².
    Returns: angle, ° within −180…180, and bias, °/s, each shape (n,). The first bias is 0 with variance
    q_bias. Source: the linear Kalman filter with F = [[1, −dt], [0, 1]], H = [1, 0].
    """
    rate, reference = np.asarray(rate_dps, np.float64), np.asarray(reference_deg, np.float64)
    check_positive(rate_hz, "rate_hz")
    check_not_negative(q_angle, "q_angle")
    check_not_negative(q_bias, "q_bias")
    check_positive(r_angle, "r_angle")
    if reference.size == 0:
        return reference.copy(), reference.copy()
    settings = (1.0 / rate_hz, float(q_angle), float(q_bias), float(r_angle))
    angles, biases = loops.run(_angle_bias_loop, reference.size, rate, reference, *settings)
    return np.asarray(angles), np.asarray(biases)


def allan_deviations(values: npt.ArrayLike, factor: int) -> tuple[float, float]:
    """Overlapping and plain Allan deviation of a rate at one averaging factor, in its own unit.

    Parameters: values, shape (n,), evenly spaced; factor m, whole, 2·m ≤ n. Returns: (overlapping, plain).
    Raises: BadInput for ``averaging``. Source: NIST SP 1065 (2008), sections 5.2.3 and 5.2.4.

    >>> [round(d, 4) for d in allan_deviations([892, 809, 823, 798, 671, 644, 883, 903, 677], 2)]
    [85.9529, 115.8082]
    """
    y = np.asarray(values, dtype=np.float64)
    if not 1 <= factor <= y.size // 2:
        raise BadInput(
            f"averaging must lie between 1 and {y.size // 2} (half the values), but is {factor}.", "averaging"
        )
    phase = np.concatenate([[0.0], np.cumsum(y - y[0])])
    steps = (phase[2 * factor :] - 2 * phase[factor:-factor] + phase[: -2 * factor]) / factor
    whole = y.size // factor
    means = y[: whole * factor].reshape(whole, factor).mean(axis=1)
    return float(np.sqrt((steps**2).mean() / 2)), float(np.sqrt((np.diff(means) ** 2).mean() / 2))
