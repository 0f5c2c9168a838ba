"""The built package as users install it: in an environment of its own, away from the source tree."""

import os
import subprocess
import sys
import sysconfig
import tarfile
import venv
import zipfile
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]


def built(kind, folder):
    """Build the package's wheel or source archive from a clean copy; skipped where the build tools cannot be had."""
    source = folder / "source"
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, check=True).stdout.decode()
    for name in filter(None, listed.split("\0")):
        file = ROOT / name
        if file.is_symlink() or not file.is_file():
            continue
        target = source / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(file.read_bytes())
    command = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "--wheel-dir", str(folder), str(source)]
    if kind == "sdist":
        tools = folder / "tools"
        install = [sys.executable, "-m", "pip", "install", "--quiet", "--target", str(tools), "setuptools==80.9.0"]
        if subprocess.run(install, capture_output=True).returncode:
            pytest.skip("the build tools cannot be fetched here")
        command = [
            sys.executable, "-c",
            f"import sys; sys.path.insert(0, {str(tools)!r}); import os; os.chdir({str(source)!r}); "
            f"from setuptools.build_meta import build_sdist; print(build_sdist({str(folder)!r}))",
        ]  # fmt: skip
    done = subprocess.run(command, capture_output=True, text=True)
    if done.returncode and ("No matching distribution" in done.stderr or "Could not find" in done.stderr):
        pytest.skip("the build tools cannot be fetched here")
    assert done.returncode == 0, done.stderr
    return next(folder.glob("*.whl" if kind == "wheel" else "*.tar.gz"))


@pytest.fixture(scope="module")
def wheel(tmp_path_factory):
    return built("wheel", tmp_path_factory.mktemp("wheel"))


@pytest.fixture(scope="module")
def installed(wheel, tmp_path_factory):
    """A fresh environment with the wheel in it; what it depends on is taken from this one."""
    folder = tmp_path_factory.mktemp("installed")
    venv.create(folder / "env", with_pip=True)
    python = folder / "env" / "bin" / "python"
    asked = [str(python), "-c", "import sysconfig; print(sysconfig.get_paths()['purelib'])"]
    site = Path(subprocess.run(asked, capture_output=True, text=True, check=True).stdout.strip())
    # A path file names the packages' folder; path files in there, such as the source tree's, do not count.
    (site / "dependencies.pth").write_text(sysconfig.get_paths()["purelib"] + "\n")
    command = [str(python), "-m", "pip", "install", "--quiet", "--no-deps", "--no-index", str(wheel)]
    subprocess.run(command, check=True, capture_output=True)
    return folder


def run(installed, *args):
    env = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "HOME": str(installed),
        "XDG_STATE_HOME": str(installed / "s"),
    }
    env.pop("PYTHONPATH", None)
    command = [str(installed / "env" / "bin" / "deft-reach"), *args]
    return subprocess.run(command, cwd=installed, env=env, capture_output=True, text=True, timeout=120)


def test_the_wheel_has_everything_the_app_needs(wheel):
    names = set(zipfile.ZipFile(wheel).namelist())
    for name in (
        "demo/lantern-ferry.reach", "demo/practice.csv", "demo/takes.json", "py.typed", "app/icons/down-light.svg",
    ):  # fmt: skip
        assert f"deft_reach/{name}" in names
    assert "deft_reach/manual/4-reach.md" in names and "deft_reach/desktop/deft-reach.desktop" in names
    assert any(name.endswith("share/deft-reach/pictures/reach.png") for name in names)
    assert any(
        name.startswith("deft_reach/app/fonts/") and name.endswith((".ttf", ".otf", ".woff")) for name in names
    )
    assert not any(name.startswith(("tests/", "benchmarks/")) for name in names)


def test_the_source_archive_has_tests_and_documents(tmp_path):
    archive = built("sdist", tmp_path)
    with tarfile.open(archive) as opened:
        names = {name.partition("/")[2] for name in opened.getnames()}
    assert {"tests/test_packaging.py", "README.md", "CHANGELOG.md", "LICENSE", "test.sh"} <= names
    assert any(name.startswith("docs/") for name in names)


def test_the_installed_package_is_used_and_judges_the_demo(installed):
    python = installed / "env" / "bin" / "python"
    code = "import deft_reach, deft_reach.store.places as p; print(deft_reach.__file__, p.demo_file())"
    done = subprocess.run([str(python), "-c", code], cwd=installed, capture_output=True, text=True, check=True)
    found = done.stdout.split()
    assert all(path.startswith(str(installed)) for path in found), found
    verdict = run(installed, "analyse", found[1], "--plan", "Storm at the breakwater", "--json")
    assert verdict.returncode in (0, 1) and '"tempo_limit"' in verdict.stdout, verdict.stderr


def test_the_installed_window_opens_the_demo_and_takes_a_picture(installed):
    done = run(installed, "shot", "--view", "reach", "--out", str(installed / "reach.png"))
    assert done.returncode == 0, done.stderr
    assert (installed / "reach.png").read_bytes().startswith(b"\x89PNG")
