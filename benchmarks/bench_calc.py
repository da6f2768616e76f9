"""The command line's calculations: how long one takes to start, and ten thousand lines in one go."""

from __future__ import annotations

import json
import subprocess
import time

from tests.calculations.contract import CONTRACT

from benchmarks.common import reference_loop_s
from tickstone.launch.folders import ROOT

LINES = 10_000


def timed(*arguments: str, given: str = "") -> tuple[float, str]:
    begun = time.perf_counter()
    done = subprocess.run(
        [str(ROOT / "tick-stone"), *arguments], input=given, capture_output=True, text=True, check=True
    )
    return time.perf_counter() - begun, done.stdout


def main() -> None:
    print(f"reference loop {reference_loop_s():.2f} s")
    starts = sorted(timed("calc", "echo-distance", "echo_us=1457")[0] for _ in range(7))
    print(f"one calculation: {starts[3]:.2f} s median, {starts[0]:.2f} to {starts[-1]:.2f} (wanted: under 1)")
    names = list(CONTRACT)
    mixed = [
        json.dumps({"calc": names[i % len(names)], "inputs": CONTRACT[names[i % len(names)]][0]})
        for i in range(LINES)
    ]
    echoes = [json.dumps({"calc": "echo-distance", "inputs": {"echo_us": 500 + i}}) for i in range(LINES)]
    for name, lines in (("echo-distance", echoes), ("all calculations in turn", mixed)):
        seconds, answer = timed("calc", "--batch", given="\n".join(lines))
        assert len(answer.splitlines()) == LINES
        print(f"{LINES} lines of {name}: {seconds:.2f} s (wanted: under 5)")


if __name__ == "__main__":
    main()
