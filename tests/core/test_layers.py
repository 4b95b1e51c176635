"""Imports point one way: core knows nothing of ours, store no signals, the web no rules."""

import ast
import json
import re
import tomllib
from pathlib import Path

import pytest

from honest_stave import __version__

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src" / "honest_stave"
ALLOWED = {
    "core": {"core"},
    "store": {"store", "core.errors"},
    "service": {"service", "store", "core"},
    "api": {"api", "service", "core"},
    "demo": {"demo", "service", "core"},
    "cli": {"api", "service", "core", "demo"},
}


def imports_of(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("honest_stave."):
            inner = node.module.removeprefix("honest_stave.")
            # `from honest_stave.store import history` names a module by its alias.
            names = {f"{inner}.{alias.name}" for alias in node.names} if "." not in inner else {inner}
            found |= names
    return found


@pytest.mark.parametrize("layer", ALLOWED)
def test_arrows_point_one_way(layer: str) -> None:
    files = [SOURCE / "cli.py"] if layer == "cli" else sorted((SOURCE / layer).rglob("*.py"))
    assert files
    for path in files:
        for name in imports_of(path):
            allowed = any(name == a or name.startswith(a + ".") for a in ALLOWED[layer])
            assert allowed, f"{path.relative_to(SOURCE)} imports {name}"


def test_no_file_imports_itself_by_way_of_others() -> None:
    files = {
        path.relative_to(SOURCE).with_suffix("").as_posix().replace("/", "."): path
        for path in SOURCE.rglob("*.py")
        if path.name != "__init__.py"
    }
    arrows = {
        name: {target if target in files else target.rpartition(".")[0] for target in imports_of(path)}
        for name, path in files.items()
    }
    # What imports nothing that is left is taken away, until only circles are left.
    left = {name: targets & files.keys() for name, targets in arrows.items()}
    while done := {name for name, targets in left.items() if not targets & left.keys()}:
        left = {name: targets for name, targets in left.items() if name not in done}
    assert not left, sorted(left)


def test_core_opens_no_file_and_prints_nothing() -> None:
    for path in sorted((SOURCE / "core").rglob("*.py")):
        calls = [
            node.func.id
            for node in ast.walk(ast.parse(path.read_text()))
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
        ]
        assert not {"open", "print", "input"} & set(calls), path


def test_files_can_be_held_in_the_head() -> None:
    for path in SOURCE.rglob("*.py"):
        assert len(path.read_text().splitlines()) <= 500, path


def test_the_version_is_the_newest_that_the_changelog_tells() -> None:
    newest = re.search(r"^## (\S+)$", (ROOT / "CHANGELOG.md").read_text(), re.MULTILINE)
    assert newest
    told = {
        tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"],
        json.loads((ROOT / "web" / "package.json").read_text())["version"],
        __version__,
    }
    assert told == {newest.group(1)}
