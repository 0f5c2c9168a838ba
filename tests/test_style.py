"""The size of rooms: files and functions stay small, or say why they do not."""

import ast
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
FILES = sorted((ROOT / "deft_reach").rglob("*.py"))
FILE_LINES, FUNCTION_LINES = 410, 60
REASON = re.compile(r"^ *# Long: \w.{9,}\.$", re.M)


def long_functions(text: str) -> list[str]:
    """The functions that are longer than they should be and do not say why."""
    lines = text.splitlines()
    found = []
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            own = "\n".join(lines[node.lineno - 1 : node.end_lineno])
            if own.count("\n") >= FUNCTION_LINES and not REASON.search(own):
                found.append(node.name)
    return found


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(ROOT)))
def test_files_and_functions_are_small_or_say_why(path):
    text = path.read_text(encoding="utf-8")
    assert text.count("\n") <= FILE_LINES or REASON.search(text.partition("\nfrom __future__")[0] + "\n")
    assert long_functions(text) == []


def test_what_is_long_without_a_reason_is_found():
    body = "\n".join(f"    x{k} = {k}" for k in range(60))
    assert long_functions(f"def f():\n{body}\n") == ["f"]
    assert long_functions(f"def f():\n    # Long: one case after the other.\n{body}\n") == []


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(ROOT)))
def test_modules_say_what_they_are(path):
    text = path.read_text(encoding="utf-8")
    assert not text.strip() or ast.get_docstring(ast.parse(text)), "a module begins with a docstring"


def test_packages_of_the_core_are_described_where_they_are_explained():
    page = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
    rooms = {path.parent.name for path in (ROOT / "deft_reach" / "core").glob("*/__init__.py")}
    assert rooms and all(f"`core.{room}`" in page for room in rooms)
