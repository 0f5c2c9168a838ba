"""The installer: it looks at what it needs before it makes anything, and takes away whatever it made."""

import os
import subprocess
from pathlib import Path

import pytest

INSTALL = Path(__file__).parents[1] / "install.sh"
#: A Python that says what it is told and does what it must to get further.
PYTHON = """#!/bin/sh
case "$*" in
  --version) echo "Python {version}" ;;
  *version_info*) exit {old} ;;
  *ensurepip*) exit {no_venv} ;;
  "-m venv "*) mkdir -p "$3/bin"; cp "$0" "$3/bin/python" ;;
  *"-m pip"*) exit {pip} ;;
esac
"""


@pytest.fixture
def machine(tmp_path):
    """A machine with a Python, a linker cache and a home of its own."""
    tools = tmp_path / "tools"
    tools.mkdir()

    def make(version="3.11.2", libraries=True, venv=True, pip=0):
        old = int(version < "3.11")
        python = PYTHON.format(version=version, old=old, no_venv=int(not venv), pip=pip)
        cache = "#!/bin/sh\n" + ("exec /sbin/ldconfig -p\n" if libraries else "echo 'libEGL.so.1 => there'\n")
        for name, text in (("python3.11", python), ("python3", python), ("ldconfig", cache)):
            (tools / name).write_text(text)
            (tools / name).chmod(0o755)
        return {**os.environ, "PATH": f"{tools}:{os.environ['PATH']}", "HOME": str(tmp_path / "home")}

    return make


def install(env, *args):
    return subprocess.run(["bash", str(INSTALL), *args], env=env, capture_output=True, text=True, timeout=60)


@pytest.mark.parametrize(
    ("has", "words"),
    [
        ({"version": "3.10.4"}, "Python 3.11 or newer is needed; "),
        ({"libraries": False}, "sudo apt-get install libgl1 "),
        ({"venv": False}, "python3-venv"),
    ],
)
def test_what_is_missing_is_said_before_anything_is_made(machine, tmp_path, has, words):
    env = machine(**has)
    done = install(env)
    assert done.returncode == 1 and words in done.stderr and "Traceback" not in done.stderr
    assert not (tmp_path / "home").exists()


def test_a_half_made_installation_says_so_and_is_taken_away(machine, tmp_path):
    env = machine(pip=1)
    done = install(env, "--prefix", str(tmp_path / "there"))
    assert done.returncode != 0 and "--uninstall takes away what was made" in done.stderr
    assert (tmp_path / "there" / "lib" / "deft-reach" / "env").is_dir()
    done = install(env, "--prefix", str(tmp_path / "there"), "--uninstall")
    assert done.returncode == 0, done.stderr
    assert [path for path in (tmp_path / "there").rglob("*") if not path.is_dir()] == []
    assert not (tmp_path / "there" / "lib" / "deft-reach").exists()
    assert install(env, "--prefix", str(tmp_path / "there"), "--uninstall").returncode == 1, (
        "there is nothing any more"
    )


def test_what_was_put_in_place_before_it_failed_is_taken_away_too(machine, tmp_path):
    """The environment was made, and then there was no command in it to link to and to ask for pages."""
    env = machine()
    done = install(env, "--prefix", str(tmp_path / "there"))
    placed = [path for path in (tmp_path / "there").rglob("*") if path.is_file() or path.is_symlink()]
    assert any(path.suffix == ".desktop" for path in placed) or done.returncode != 0
    assert install(env, "--prefix", str(tmp_path / "there"), "--uninstall").returncode == 0
    # The desktop's own indexes are for all programs.
    assert [path for path in (tmp_path / "there").rglob("*") if "deft-reach" in path.name] == []
