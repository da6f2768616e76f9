"""How sharp the tests are: single wrong changes are put into a copy of the back end, one at a time, and the
tests outside the browser must notice each.

    ./tick-stone test --mutate 40 --seed 7

A change is an operator turned round, a number off, a condition negated, in what a function does: the numbers
of catalogues are data. First every test is run once, to know which lines each of them reaches (``--again``
takes what the run before has learned); then each change is tried on the tests that reach its line, or its
file where the line runs in another process. Changes that alter nothing that can be seen are not told from
missing tests: read them.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from xml.etree import ElementTree

from coverage import CoverageData

from tickstone.launch import frontend

ROOT = Path(__file__).resolve().parents[1]
COPY = ROOT / ".setup" / "changed"
SOURCE = Path("src") / "tickstone"
ROOMS = ("core", "calculations", "formats", "link", "standin", "firmware", "store", "actions", "api")
LONGEST_S, ALL_S = 300.0, 7200.0  # for the tests of one change, and for all of them once
TIMES = "times.xml"
PASSED, FAILED, NOT_COLLECTED = 0, 1, 2  # what pytest comes back with, where it ran
NOT_SET_UP = 3  # where what all tests need, such as the demo, could not be made by the changed code
CANNOT_LOAD = "ImportError while loading conftest"
SOON_S = 20.0  # tests that take no longer are sooner run by one process
SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.GtE,
    ast.LtE: ast.Gt,
    ast.Gt: ast.LtE,
    ast.GtE: ast.Lt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.And: ast.Or,
    ast.Or: ast.And,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
}


@dataclass(frozen=True)
class Place:
    """Where a change can be made: the file, the first line of the statement and the line itself, the number
    of the node in the file, and which of its parts."""

    path: Path
    first: int
    line: int
    node: int
    part: int = 0


def parts_of(node: ast.AST) -> list[int]:
    """Which parts of a node can be made wrong."""
    if isinstance(node, ast.Compare):
        return [part for part, op in enumerate(node.ops) if type(op) in SWAPS]
    if isinstance(node, ast.BinOp | ast.BoolOp):
        return [0] if type(node.op) in SWAPS else []
    if isinstance(node, ast.Constant):
        return [0] if type(node.value) in (int, float, bool) else []
    return [0] if isinstance(node, ast.If | ast.IfExp) else []


def places_in(path: Path, tree: ast.AST) -> Iterator[Place]:
    """Every place of a file's functions where one thing can be made wrong; words and annotations are left
    alone."""
    first: dict[int, int] = {}  # of the innermost statement of a function, by the node within it
    quiet: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.stmt) and (
            isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) or id(node) in first
        ):
            for part in ast.walk(node):
                if part is not node or id(node) in first:
                    first[id(part)] = node.lineno
        for annotation in (getattr(node, "annotation", None), getattr(node, "returns", None)):
            quiet |= {id(part) for part in ast.walk(annotation)} if isinstance(annotation, ast.AST) else set()
        if isinstance(node, ast.keyword) and node.arg == "strict":  # a guard against what is never so
            quiet.add(id(node.value))
    for number, node in enumerate(ast.walk(tree)):
        if id(node) in first and id(node) not in quiet:
            line = getattr(node, "lineno", first[id(node)])
            yield from (Place(path, first[id(node)], line, number, part) for part in parts_of(node))


def changed(tree: ast.AST, place: Place) -> str:
    """Make the change in a tree; returns what was done, in words."""
    node = list(ast.walk(tree))[place.node]
    before = ast.unparse(node.test if isinstance(node, ast.If | ast.IfExp) else node)
    if isinstance(node, ast.Compare):
        node.ops[place.part] = SWAPS[type(node.ops[place.part])]()  # type: ignore[assignment]
    elif isinstance(node, ast.BinOp | ast.BoolOp):
        node.op = SWAPS[type(node.op)]()  # type: ignore[assignment]
    elif isinstance(node, ast.If | ast.IfExp):
        node.test = ast.UnaryOp(ast.Not(), node.test)
    elif isinstance(node, ast.Constant):
        node.value = off(node.value)
    return f"{before[:70]} → {ast.unparse(node.test if isinstance(node, ast.If | ast.IfExp) else node)[:70]}"


def off(value: complex | str | bytes | None) -> bool | int | float:
    """Another number than the right one: the next one of a count, half as much again of an amount."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, int) and abs(value) < 10:
        return value + 1
    assert isinstance(value, int | float)
    return type(value)(value * 1.5 + 0.1)


def draw(count: int, seed: int) -> list[Place]:
    """So many places, spread over the rooms of the back end as its code is."""
    found = [
        place
        for room in ROOMS
        for path in sorted((COPY / SOURCE / room).rglob("*.py"))
        if "migrations" not in path.parts
        for place in places_in(path.relative_to(COPY), ast.parse(path.read_text()))
    ]
    return random.Random(seed).sample(found, min(count, len(found)))


def copy_project() -> None:
    """The copy that is changed: the whole project, its front end built, its packages borrowed."""
    frontend.ensure_built()
    reach = [(name, (COPY / name).read_bytes()) for name in (TIMES, ".coverage") if (COPY / name).exists()]
    shutil.rmtree(COPY, ignore_errors=True)
    left_out = shutil.ignore_patterns(
        ".git", ".venv", ".setup", "node_modules", "__pycache__", ".*_cache", ".hypothesis"
    )
    shutil.copytree(ROOT, COPY, ignore=left_out)
    (COPY / "web" / "node_modules").symlink_to(ROOT / "web" / "node_modules")
    for name, data in reach:
        (COPY / name).write_bytes(data)


def test_of(context: str) -> str:
    """The test of a context: it ends in the phase, after a bar, and a test's name may hold bars, too.

    >>> test_of("tests/link/test_lines.py::test_a_row[1|2]|run")
    'tests/link/test_lines.py::test_a_row[1|2]'
    """
    return context.rpartition("|")[0]


class Reach:
    """Which tests reach which line, of one run of them all in the copy."""

    def __init__(self) -> None:
        self._data = CoverageData(str(COPY / ".coverage"))
        self._times: dict[str, float] = {}

    def read(self) -> None:
        """What the run has left: the lines that each test reached, and how long it took."""
        self._data.read()
        for case in ElementTree.parse(COPY / TIMES).iter("testcase"):
            name = f"{case.attrib['classname'].replace('.', '/')}.py::{case.attrib['name']}"
            self._times[name] = float(case.attrib["time"])

    def measure(self, choice: str) -> None:
        """Run the tests once. ``choice`` says which, by their marks."""
        run_tests(
            [
                "-n",
                str(os.cpu_count() or 1),
                "-m",
                choice,
                "--cov=tickstone",
                "--cov-context=test",
                "--cov-report=",
                f"--junitxml={TIMES}",
                "src",
                "tests",
            ],
            ALL_S,
        )

    def tests_of(self, place: Place) -> list[str]:
        """The tests that reach a place, the quick ones first; where none does, those that reach its file: it
        may run in a process of its own."""
        lines = self._data.contexts_by_lineno(str(COPY / place.path))
        found: set[str] = set()
        for line in range(
            place.line, place.first - 1, -1
        ):  # of a long statement not every line is seen by itself
            found = found or {test_of(context) for context in lines.get(line, ()) if context}
        found = found or {test_of(context) for reached in lines.values() for context in reached if context}
        return sorted(found, key=lambda name: self._times.get(name, 0.0))

    def seconds(self, tests: list[str]) -> float:
        """How long tests took, all together."""
        return sum(self._times.get(name, 0.0) for name in tests)


def run_tests(arguments: list[str], longest_s: float = LONGEST_S) -> bool:
    """Run tests in a copy: whether any has failed; ones that never end have. Raises RuntimeError where they
    did not run at all, which says nothing."""
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *arguments]
    environment = {**os.environ, "PYTHONPATH": str(COPY / "src"), "PYTHONDONTWRITEBYTECODE": ""}
    try:
        ran = subprocess.run(
            command, cwd=COPY, env=environment, capture_output=True, text=True, timeout=longest_s
        )
    except subprocess.TimeoutExpired:
        return True
    words = ran.stdout + ran.stderr
    not_set_up = ran.returncode == NOT_SET_UP and str(COPY / SOURCE) in words
    if ran.returncode in (PASSED, FAILED, NOT_COLLECTED) or CANNOT_LOAD in words or not_set_up:
        return ran.returncode != PASSED
    raise RuntimeError(f"The tests did not run:\n{words[-4000:]}")


def noticed(tests: list[str], choice: str, seconds: float) -> bool:
    """Whether any of these tests, which take so long in all, fails in the changed copy."""
    if not tests:
        return False
    names = COPY / "tests-to-run.txt"
    names.write_text("\n".join(tests))
    workers = ["-n", str(os.cpu_count() or 1)] if seconds > SOON_S else []
    return run_tests(["-x", "-m", choice, *workers, f"@{names}"])


def main() -> int:
    """Draw, change, run, and say what stayed unnoticed."""
    ask = argparse.ArgumentParser(
        description="How many single wrong changes do the tests outside the browser notice?"
    )
    ask.add_argument("count", type=int)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument(
        "--again", action="store_true", help="with what the run before has learned of the tests' reach"
    )
    ask.add_argument(
        "--fast", action="store_true", help="without tests that need a server or a database: too harsh"
    )
    asked = ask.parse_args()
    choice = "not browser and not server and not slow" if asked.fast else "not browser"
    unnoticed = []
    copy_project()
    reach = Reach()
    if not asked.again:
        reach.measure(choice)
    reach.read()
    for number, place in enumerate(draw(asked.count, asked.seed), 1):
        plain = (COPY / place.path).read_text()
        tree = ast.parse(plain)
        what = changed(tree, place)
        (COPY / place.path).write_text(ast.unparse(tree))
        tests = reach.tests_of(place)
        seen = noticed(tests, choice, reach.seconds(tests))
        (COPY / place.path).write_text(plain)
        print(
            f"{number:4} {'noticed  ' if seen else 'UNNOTICED'} {place.path}:{place.line}  {what}", flush=True
        )
        if not seen:
            unnoticed.append(place)
    share = 100 * (asked.count - len(unnoticed)) / max(asked.count, 1)
    print(f"{asked.count - len(unnoticed)} of {asked.count} noticed ({share:.0f} %)")
    return 0


if __name__ == "__main__":
    sys.exit(main())
