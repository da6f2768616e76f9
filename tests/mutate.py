"""How sharp the tests are: single wrong changes are put into a copy of the back end, one at a time, and the tests outside the
browser must notice each.

    ./tick-stone test --mutate 40 --seed 7

A change is an operator turned round, a number one off, a condition negated. It is tried on the tests that mirror its file
first, then on all outside the browser. Changes that alter nothing that can be seen are not told from missing tests: read them.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SOURCE = Path("src") / "tickstone"
ROOMS = ("core", "calculations", "formats", "link", "standin", "firmware", "store", "actions", "api")
LONGEST_S = 1800.0
SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.And: ast.Or, ast.Or: ast.And,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip


@dataclass(frozen=True)
class Place:
    """Where a change can be made: the file, the line, the number of the node in it, and which of its parts."""

    path: Path
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
    """Every place of a file where one thing can be made wrong; words and annotations are left alone."""
    quiet: set[int] = set()
    for node in ast.walk(tree):
        for annotation in (getattr(node, "annotation", None), getattr(node, "returns", None)):
            quiet |= {id(one) for one in ast.walk(annotation)} if isinstance(annotation, ast.AST) else set()
    for number, node in enumerate(ast.walk(tree)):
        if id(node) not in quiet:
            yield from (Place(path, getattr(node, "lineno", 0), number, part) for part in parts_of(node))


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
        value = node.value
        node.value = (
            not value if isinstance(value, bool) else value + 1 if isinstance(value, int) else value * 1.5 + 0.1
        )
    return f"{before[:70]} → {ast.unparse(node.test if isinstance(node, ast.If | ast.IfExp) else node)[:70]}"


def draw(count: int, seed: int) -> list[Place]:
    """So many places, spread over the rooms of the back end as its code is."""
    found = [
        place
        for room in ROOMS
        for path in sorted((ROOT / SOURCE / room).rglob("*.py"))
        if "migrations" not in path.parts
        for place in places_in(path.relative_to(ROOT), ast.parse(path.read_text()))
    ]
    return random.Random(seed).sample(found, min(count, len(found)))


def mirrors(path: Path) -> list[str]:
    """The tests that mirror a file: its own examples, and the nearest folder of tests that bears its room's name."""
    inner = path.relative_to(SOURCE).parent
    while not (ROOT / "tests" / inner).is_dir():
        inner = inner.parent
    return [str(path), str(Path("tests") / inner)]


def noticed(folder: Path, tests: list[str]) -> bool:
    """Whether any of these tests fails in the changed copy. One that never ends has noticed it too."""
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-n", str(os.cpu_count() or 1), "-p", "no:cacheprovider",
               "-m", "not browser", *tests]  # fmt: skip
    environment = {**os.environ, "PYTHONPATH": str(folder / "src")}
    try:
        done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, timeout=LONGEST_S)
    except subprocess.TimeoutExpired:
        return True
    return done.returncode not in (0, 5)


def main() -> int:
    """Draw, change, run, and say what stayed unnoticed."""
    ask = argparse.ArgumentParser(description="How many single wrong changes do the tests outside the browser notice?")
    ask.add_argument("count", type=int)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument(
        "--mirror-only", action="store_true", help="only the tests that mirror each file: quick, and too harsh"
    )
    said = ask.parse_args()
    unnoticed = []
    with tempfile.TemporaryDirectory(prefix="tick-stone-mutate-") as name:
        folder = Path(name)
        for part in ("src", "tests", "benchmarks", "web/dist", "web/src", "docs"):
            if (ROOT / part).exists():
                shutil.copytree(ROOT / part, folder / part, ignore=shutil.ignore_patterns("__pycache__"))
        for part in ("pyproject.toml", "README.md", "tick-stone"):
            shutil.copy(ROOT / part, folder / part)
        for number, place in enumerate(draw(said.count, said.seed), 1):
            plain = (ROOT / place.path).read_text()
            tree = ast.parse(plain)
            what = changed(tree, place)
            (folder / place.path).write_text(ast.unparse(tree))
            seen = noticed(folder, mirrors(place.path))
            if not seen and not said.mirror_only:
                seen = noticed(folder, ["src", "tests"])
            (folder / place.path).write_text(plain)
            print(f"{number:4} {'noticed  ' if seen else 'UNNOTICED'} {place.path}:{place.line}  {what}", flush=True)
            if not seen:
                unnoticed.append(place)
    share = 100 * (said.count - len(unnoticed)) / max(said.count, 1)
    print(f"{said.count - len(unnoticed)} of {said.count} noticed ({share:.0f} %)")
    return 0


if __name__ == "__main__":
    sys.exit(main())
