"""Running every test and check, and renewing what is generated."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from tickstone.launch import frontend, machine
from tickstone.launch.folders import ROOT, WEB

PYTHON_CODE = ["src", "tests", "benchmarks", "tick-stone"]
API_TYPES = WEB / "src" / "api" / "schema.d.ts"


# Tests run side by side, each given out alone; one more of them than processors, for they wait at times.
SIDE_BY_SIDE = ["-n", str((os.cpu_count() or 1) + 1), "--dist", "load", "--maxschedchunk", "1"]
COMPILE = "from tickstone.actions.driving import warm; warm()"
FAST, MUTATE = "--fast", "--mutate"


def run_all(arguments: list[str]) -> int:
    """Linters and type checkers of both languages, unit tests of the front end, then pytest; with arguments,
    pytest alone. ``--fast`` leaves out what needs a browser, a server or a database; ``--mutate N`` asks how
    sharp the tests are. Returns the first exit code that is not 0."""
    if arguments[:1] == [MUTATE]:
        script = [sys.executable, str(ROOT / "tests" / "mutate.py"), *arguments[1:]]
        return subprocess.run(script, cwd=ROOT, env=_environment()).returncode
    if arguments[:1] == [FAST]:
        return _run_fast(arguments[1:])
    return _run_whole(arguments)


def _run_fast(pytest_arguments: list[str]) -> int:
    """The inner loop: what can be told in the time of a breath at the bench."""
    lint = subprocess.run([sys.executable, "-m", "ruff", "check", *PYTHON_CODE], cwd=ROOT).returncode
    chosen = [*SIDE_BY_SIDE, "-m", "not browser and not server and not slow", *pytest_arguments]
    return (
        lint
        or subprocess.run([sys.executable, "-m", "pytest", *chosen], cwd=ROOT, env=_environment()).returncode
    )


def _run_whole(pytest_arguments: list[str]) -> int:
    machine.postgres_tools()
    machine.chromium()
    frontend.ensure_packages()
    frontend.ensure_built()
    if not pytest_arguments:
        # beside what follows, once for all processes of the tests, which would each do it else
        compiling = subprocess.Popen([sys.executable, "-c", COMPILE], cwd=ROOT, env=_environment())
        steps = [
            ("ruff check", [sys.executable, "-m", "ruff", "check", *PYTHON_CODE], ROOT),
            ("ruff format", [sys.executable, "-m", "ruff", "format", "--check", *PYTHON_CODE], ROOT),
            ("mypy", [sys.executable, "-m", "mypy"], ROOT),
            ("biome", ["npm", "run", "--silent", "lint"], WEB),
            ("tsc", ["npm", "run", "--silent", "types"], WEB),
            ("vitest", ["npm", "run", "--silent", "unit"], WEB),
        ]
        for name, command, folder in steps:
            print(f"── {name}", flush=True)
            code = subprocess.run(command, cwd=folder, env=_environment()).returncode
            if code:
                print(f"{name} found something (exit {code}).", flush=True)
                compiling.kill()
                return code
        compiling.wait()
    print("── pytest", flush=True)
    wanted = pytest_arguments or SIDE_BY_SIDE
    return subprocess.run([sys.executable, "-m", "pytest", *wanted], cwd=ROOT, env=_environment()).returncode


def _environment() -> dict[str, str]:
    compiled_once = {"PYTHONDONTWRITEBYTECODE": ""}  # and not by every process anew
    return {**os.environ, "PYTHONPATH": str(ROOT / "src"), **compiled_once}


def api_types(schema: dict[str, object]) -> str:
    """TypeScript types of an OpenAPI schema."""
    made = subprocess.run(
        ["node_modules/.bin/openapi-typescript", "/dev/stdin"],
        cwd=WEB,
        input=json.dumps(schema),
        text=True,
        capture_output=True,
        check=True,
    )
    return made.stdout


def schema_of_app() -> dict[str, object]:
    """The OpenAPI schema; needs no database."""
    from tickstone.actions.workshop import Workshop
    from tickstone.api.app import make_app
    from tickstone.store.database import Database

    return make_app(Workshop(Database("postgresql://nobody@127.0.0.1:1/none"))).openapi()


def renew_api_types() -> int:
    """Write the types of the API for the front end."""
    frontend.ensure_packages()
    API_TYPES.parent.mkdir(parents=True, exist_ok=True)
    API_TYPES.write_text(api_types(schema_of_app()))
    print(f"Written: {API_TYPES.relative_to(ROOT)}")
    return 0


def renew_screenshots() -> int:
    """Walk the demo and keep a picture of each main view."""
    machine.chromium()
    frontend.ensure_built()
    script = Path("tests/browser/screenshots.py")
    return subprocess.run([sys.executable, str(script)], cwd=ROOT, env=_environment()).returncode


def run_benchmarks(names: list[str]) -> int:
    """Run the benchmarks named, or all of them."""
    results = sorted(path.stem for path in (ROOT / "benchmarks").glob("bench_*.py"))
    for name in names or [stem.removeprefix("bench_") for stem in results]:
        print(f"── {name}", flush=True)
        module = f"benchmarks.bench_{name}"
        code = subprocess.run([sys.executable, "-m", module], cwd=ROOT, env=_environment()).returncode
        if code:
            return code
    return 0
