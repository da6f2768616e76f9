"""The project's own rules: who may import whom, what must be fresh, what must not stand in the tree."""

from __future__ import annotations

import ast
import gzip
import re
import subprocess
from collections.abc import Iterator
from graphlib import TopologicalSorter
from pathlib import Path

import pytest

from tickstone.launch import checks, frontend
from tickstone.launch.folders import ROOT

SOURCE = ROOT / "src" / "tickstone"

# Each room may import the rooms named here (and itself); launch and cli put everything together.
MAY_IMPORT = {
    "errors": set(),
    "supervised": {"errors"},
    "scratch": set(),
    "core": {"errors"},
    "calculations": {"core", "errors"},
    "link": {"core", "formats", "errors", "supervised"},
    "standin": {"core", "errors", "supervised", "scratch"},
    "firmware": {"core", "errors"},
    "formats": {"core", "errors"},
    "store": {"core", "errors"},
    "actions": {
        "core",
        "errors",
        "calculations",
        "formats",
        "link",
        "firmware",
        "store",
        "supervised",
        "scratch",
    },
    "api": {"core", "errors", "calculations", "formats", "link", "actions", "supervised"},
    "launch": {"core", "errors", "supervised", "actions", "api", "link", "standin", "store", "scratch"},
    "cli": {"errors", "core", "calculations", "formats", "firmware", "launch"},
}
CORE_MAY_IMPORT = {"numpy", "scipy", "numba", "tickstone"}
STANDARD_NOT_IN_CORE = {"os", "socket", "logging", "time", "subprocess", "threading", "random", "pathlib"}


def modules() -> list[Path]:
    return sorted(SOURCE.rglob("*.py"))


def imported(path: Path) -> set[str]:
    names = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            names |= {f"{node.module}.{alias.name}" for alias in node.names}
    return names


@pytest.mark.parametrize("path", modules(), ids=lambda p: str(p.relative_to(SOURCE)))
def test_imports_run_in_one_direction(path: Path) -> None:
    room = path.relative_to(SOURCE).parts[0].removesuffix(".py")
    if room == "__init__":
        return
    for name in imported(path):
        if name.startswith("tickstone."):
            other = name.split(".")[1]
            assert other == room or other in MAY_IMPORT[room], f"{room} must not import {name}"


@pytest.mark.parametrize("path", sorted((SOURCE / "core").rglob("*.py")), ids=lambda p: p.name)
def test_the_core_computes_and_does_nothing_else(path: Path) -> None:
    import sys

    for name in imported(path):
        top = name.split(".")[0]
        assert top in CORE_MAY_IMPORT or top in sys.stdlib_module_names, f"the core must not import {name}"
        assert top not in STANDARD_NOT_IN_CORE, f"the core must not import {name}"
    assert not re.search(r"\.(now|today|utcnow)\(", path.read_text()), "the core does not look at the clock"


def test_no_sql_and_no_arithmetic_library_in_the_api() -> None:
    for path in (SOURCE / "api").glob("*.py"):
        assert not {n for n in imported(path) if n.startswith("sqlalchemy") and "Session" not in n}, path.name


def test_what_is_really_so_on_the_simulated_bench_is_for_tests_alone() -> None:
    for room in ("actions", "api", "calculations", "core", "store"):
        for path in (SOURCE / room).rglob("*.py"):
            assert ".truth(" not in path.read_text(), path.name


@pytest.mark.slow
def test_the_front_ends_types_are_those_of_the_api() -> None:
    assert checks.API_TYPES.read_text() == checks.api_types(checks.schema_of_app()), (
        "run ./tick-stone api-types"
    )


def tracked() -> list[Path]:
    names = subprocess.run(
        ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.split("\n")
    return [ROOT / name for name in names if name and (ROOT / name).is_file()]


def test_no_lock_names_a_host_and_no_file_names_a_machine() -> None:
    text_files = [p for p in tracked() if p.suffix not in (".png", ".woff2")]
    for path in text_files:
        text = path.read_text(errors="replace")
        if path.name in ("package-lock.json",) or path.name.startswith("requirements"):
            assert not re.search(r"https?://\S*(registry|pypi|files\.python)", text), path
        if path.suffix in (".py", ".ts", ".tsx", ".md", ".json", ".toml", ".css") and path != Path(__file__):
            assert not re.search(r"/(root|home/\w+|work)/", text), f"a machine's path stands in {path}"


def styled(sheet: Path) -> set[str]:
    """The classes that a sheet styles, but for those of another one that it names as ``:global``."""
    text = re.sub(r"/\*.*?\*/|:global\([^)]*\)", "", sheet.read_text(), flags=re.S)
    return {
        name
        for rule in re.findall(r"([^{}]+)\{", text)
        for name in re.findall(r"\.([A-Za-z_][\w-]*)", re.sub(r'"[^"]*"', "", rule))
    }


def camel(name: str) -> str:
    first, *rest = name.split("-")
    return first + "".join(word.capitalize() for word in rest)


def test_every_style_has_one_place() -> None:
    """A component's styles are a module beside it; what all share is styled in one sheet of plain classes."""
    plain = [sheet for sheet in FRONT_END.rglob("*.css") if not sheet.name.endswith(".module.css")]
    assert {sheet.parent.name for sheet in plain} == {"theme", "plot"}
    first: dict[str, Path] = {}
    for sheet in plain:
        for name in styled(sheet):
            assert first.setdefault(name, sheet) == sheet, f"{name}: {first[name].name} and {sheet.name}"
    assert sum(len(sheet.read_text().split("\n")) for sheet in plain if sheet.parent.name == "theme") < 500


def test_every_style_of_a_component_is_used_and_every_one_used_is_there() -> None:
    names: dict[Path, set[str]] = {}
    for path in FRONT_END.rglob("*.tsx"):
        text = path.read_text()
        for alias, where in re.findall(r'import (\w+) from "(\S+\.module\.css)";', text):
            sheet = (path.parent / where).resolve()
            names.setdefault(sheet, set()).update(re.findall(rf"(?<!/)\b{alias}\.(\w+)", text))
    for sheet in FRONT_END.rglob("*.module.css"):
        classes = {camel(name) for name in styled(sheet)}
        assert names.get(sheet.resolve(), set()) == classes, sheet.name


def test_letters_have_one_of_eight_sizes() -> None:
    tokens = (FRONT_END / "theme" / "tokens.css").read_text()
    assert len(re.findall(r"--size-\w+: ", tokens)) <= 8
    for sheet in FRONT_END.rglob("*.css"):
        sizes = re.findall(r"(?:font-size|font): (\d[\d.]*(?:px|rem))", sheet.read_text())
        assert not sizes, f"{sheet.name}: {sizes}"


def test_answers_are_asked_for_again_in_one_way() -> None:
    for path in FRONT_END.rglob("*.ts*"):
        if path.name != "renew.ts":
            assert "invalidateQueries" not in path.read_text(), f"{path.name}: use renew"


def test_every_public_function_of_the_core_says_what_it_does() -> None:
    for path in (SOURCE / "core").rglob("*.py"):
        for node in ast.parse(path.read_text()).body:
            if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                assert ast.get_docstring(node), f"{path.name}: {node.name}"


def test_pictures_are_few_and_linked_from_the_readme() -> None:
    readme = (ROOT / "README.md").read_text()
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in readme, picture.name


LOOK_AT_WORDS = ("startswith", "endswith", "find", "partition", "index")


def words_in(node: ast.AST) -> list[str]:
    """Sentences among the constants that something is compared with; a mark's label is what a person
    wrote."""
    texts = [
        part.value
        for part in ast.walk(node)
        if isinstance(part, ast.Constant) and isinstance(part.value, str)
    ]
    return [] if "label" in ast.unparse(node) else [text for text in texts if re.search(r"[a-z] [a-z]", text)]


def test_no_rule_hangs_on_the_wording_of_a_sentence() -> None:
    """Codes decide; words are chosen last."""
    for path in (path for room in ("core", "actions", "api") for path in (SOURCE / room).rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            looks = isinstance(node, ast.Call) and getattr(node.func, "attr", "") in LOOK_AT_WORDS
            if looks or isinstance(node, ast.Compare):
                assert not words_in(node), f"{path.name}:{node.lineno}: {words_in(node)}"


FRONT_END = ROOT / "web" / "src"
FIRST_PAINT_BYTES = 150_000  # of script, gzipped


def files_imported(path: Path) -> Iterator[Path]:
    """The files of the front end that a file needs before it can run."""
    for name in re.findall(r'^(?:import|export)[^;]*?from "(\.[^"]+)";', path.read_text(), flags=re.M):
        for suffix in (".ts", ".tsx", ".d.ts"):
            if (file := (path.parent / f"{name}{suffix}").resolve()).exists():
                yield file


def test_no_two_files_of_the_front_end_need_each_other() -> None:
    files = [path for path in FRONT_END.rglob("*.ts*") if path.suffix in (".ts", ".tsx")]
    # raises CycleError
    list(TopologicalSorter({path: set(files_imported(path)) for path in files}).static_order())


def test_keys_of_answers_are_made_in_one_place() -> None:
    for path in FRONT_END.rglob("*.ts*"):
        if path.name != "keys.ts":
            assert not re.search(r"queryKey: *\[(?!\.\.\.)", path.read_text()), path.name


def test_the_first_paint_needs_little_script() -> None:
    frontend.ensure_built()
    dist = ROOT / "web" / "dist"
    scripts = re.findall(r'(?:src|href)="(/assets/[^"]+\.js)"', (dist / "index.html").read_text())
    assert scripts
    assert sum(len(gzip.compress((dist / name[1:]).read_bytes())) for name in scripts) < FIRST_PAINT_BYTES
