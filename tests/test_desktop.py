"""What a desktop needs: entry, icon, types, manual page and completion; accepted by the desktop's own validators."""

import configparser
import re
import shutil
import subprocess
from pathlib import Path
from xml.etree import ElementTree

import pytest

from deft_reach import __version__
from deft_reach.app.desktop.desktop_icons import SIZES, write_icons
from deft_reach.cli.main import VERBS
from deft_reach.cli.manual import bash_completion, fish_completion, man_page, zsh_completion

DESKTOP = Path(__file__).resolve().parents[1] / "deft_reach" / "desktop"


def checked_by(tool, *args):
    """Run a validator, or skip where the machine has none."""
    if shutil.which(tool) is None:
        pytest.skip(f"{tool} is not installed here")
    return subprocess.run([tool, *args], capture_output=True, text=True)


def test_the_desktop_entry():
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(DESKTOP / "deft-reach.desktop")
    row = entry["Desktop Entry"]
    assert row["Exec"] == "deft-reach %f" and row["Icon"] == "deft-reach" and row["Type"] == "Application"
    types = ElementTree.parse(DESKTOP / "deft-reach-mime.xml").getroot()
    kind = types.find("{http://www.freedesktop.org/standards/shared-mime-info}mime-type")
    assert row["MimeType"] == f"{kind.get('type')};"
    assert kind.find("{http://www.freedesktop.org/standards/shared-mime-info}glob").get("pattern") == "*.reach"


def test_the_entry_is_valid():
    done = checked_by("desktop-file-validate", str(DESKTOP / "deft-reach.desktop"))
    assert done.returncode == 0, done.stdout + done.stderr


def test_the_metainfo_is_valid_and_of_this_version():
    info = ElementTree.parse(DESKTOP / "deft-reach.metainfo.xml").getroot()
    assert info.find("releases/release").get("version") == __version__
    done = checked_by("appstreamcli", "validate", "--no-net", str(DESKTOP / "deft-reach.metainfo.xml"))
    assert "E:" not in done.stdout, done.stdout


def test_the_icon_in_every_size(qapp, tmp_path):
    from PySide6.QtGui import QImage

    paths = write_icons(tmp_path)
    assert [QImage(str(path)).width() for path in paths] == list(SIZES)
    for path in paths:
        picture = QImage(str(path))
        colours = {picture.pixel(x, y) for x in range(picture.width()) for y in range(picture.height())}
        assert len(colours) > 8, "something is drawn in it"


def test_the_manual_page_has_every_verb_and_its_options(tmp_path):
    page = man_page()
    for verb in VERBS:
        assert f".SH VERB {verb.upper()}" in page
    assert "\\-\\-tempo" in page and "\\fB\\-\\-json\\fR" in page
    file = tmp_path / "deft-reach.1"
    file.write_text(page)
    done = checked_by("man", "--warnings", "-l", "-Tutf8", str(file))
    assert done.returncode == 0 and "warning" not in done.stderr, done.stderr[:400]
    # Bold is struck over with backspaces.
    assert "overspeed" in re.sub(".\x08", "", done.stdout)


def test_completion_offers_verbs_and_options():
    script = bash_completion()
    command = f"{script}\nCOMP_WORDS=(deft-reach an); COMP_CWORD=1; _deft_reach; echo ${{COMPREPLY[@]}}"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["analyse"]
    command = f"{script}\nCOMP_WORDS=(deft-reach plan --be); COMP_CWORD=2; _deft_reach; echo ${{COMPREPLY[@]}}"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=True)
    assert "--best" in done.stdout


def test_fish_offers_verbs_and_options_with_what_they_do(tmp_path):
    script = fish_completion()
    assert "-l tempo -d 'quarter notes a minute (default 100)'" in script
    for verb in VERBS:
        assert f"-a {verb} -d '" in script and f"__fish_seen_subcommand_from {verb}'" in script
    file = tmp_path / "deft-reach.fish"
    file.write_text(script)
    done = checked_by("fish", "-c", f"source {file}; complete -C 'deft-reach an'; complete -C 'deft-reach plan --be'")
    offered = [line.partition("\t")[0] for line in done.stdout.splitlines()]
    assert done.returncode == 0 and "analyse" in offered and "--best" in offered, done.stderr


def test_zsh_completion_has_every_verb_with_what_it_does(tmp_path):
    script = zsh_completion()
    assert script.startswith("#compdef deft-reach\n")
    for verb in VERBS:
        assert re.search(rf"'{verb}:[^']+'", script) and re.search(rf"^ +{verb}\) found=\('", script, re.M)
    file = tmp_path / "_deft-reach"
    file.write_text(script)
    stub = f"""
_describe() {{ print -l -- "${{(P@)2}}" }}
_files() {{ }}
CURRENT=$1; shift; words=("$@")
source {file}
"""
    (tmp_path / "run.zsh").write_text(stub)
    first = checked_by("zsh", str(tmp_path / "run.zsh"), "2", "deft-reach", "an")
    assert first.returncode == 0 and "analyse:what the hands" in first.stdout, first.stderr
    later = checked_by("zsh", str(tmp_path / "run.zsh"), "3", "deft-reach", "plan", "--be")
    assert "--best:" in later.stdout and "analyse:" not in later.stdout, later.stderr
