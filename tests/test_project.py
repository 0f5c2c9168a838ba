"""The project itself: its commands, its pins, and what no file may hold."""

import re
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]


def tracked() -> list[Path]:
    names = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True).stdout.split("\n")
    return [ROOT / name for name in names if name]


@pytest.mark.parametrize("script", ["setup.sh", "demo.sh", "test.sh", ".ci/run"])
def test_scripts_are_sound_and_can_be_run(script):
    path = ROOT / script
    assert path.stat().st_mode & 0o111
    assert subprocess.run(["bash", "-n", str(path)], capture_output=True).returncode == 0
    assert "set -euo pipefail" in path.read_text()


@pytest.mark.parametrize("name", ["run", "test"])
def test_requirements_are_pinned_and_hashed_and_name_no_registry(name):
    text = (ROOT / "requirements" / f"{name}.txt").read_text()
    entries = [line for line in text.splitlines() if line and not line.startswith((" ", "#"))]
    assert entries and all(
        re.match(r"[a-z0-9._-]+==[\w.]+( ; python_version [<>=]+ \"3\.\d+\")? \\$", line) for line in entries
    )
    assert text.count("--hash=sha256:") >= len(entries)
    assert "://" not in text and "index" not in text


def test_pins_agree_with_what_the_package_asks_for():
    wanted = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    pins = (ROOT / "requirements" / "run.in").read_text().lower()
    for requirement in wanted:
        assert re.split(r"[>=!~<]", requirement)[0].lower() + "==" in pins


def test_the_demo_command_says_what_to_do_without_a_display():
    text = (ROOT / "demo.sh").read_text()
    assert "shot --view reach" in text and "--demo" in text


def test_pictures_are_linked_and_few():
    readme = (ROOT / "README.md").read_text()
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in readme


def test_importing_the_core_never_loads_qt():
    code = "import deft_reach.core, sys; sys.exit(any(m.startswith('PySide6') for m in sys.modules))"
    assert subprocess.run([sys.executable, "-c", code]).returncode == 0


def test_no_file_is_large_and_source_is_plain_text():
    for path in tracked():
        assert path.stat().st_size < 2_000_000, path
        if path.suffix == ".py":
            path.read_text(encoding="utf-8")


def test_benchmarks_give_the_promised_keys():
    """Only that they are measured: how fast is for the benchmark to say."""
    from benchmarks.__main__ import analysis

    found = analysis()
    assert {"analyse_256.p95_ms", "analyse_10000.ms", "analyse_10000.growth"} <= set(found)
    assert found["analyse_256.strokes"] == 256
    assert all(value > 0 for value in found.values())
