"""Shared by all tests: no real state folder is ever touched, and no screen is needed."""

from __future__ import annotations

import os

# As in the command: on matrices this small, threads only wait for each other. Read when NumPy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import pytest
from hypothesis import settings

# On a shared machine the same examples every time; at home new ones, to find what nobody thought of.
settings.register_profile("ci", derandomize=True, deadline=None)
settings.register_profile("home", deadline=None)
settings.load_profile("ci" if os.environ.get("CI") else "home")

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


@pytest.fixture(autouse=True)
def own_folders(tmp_path, monkeypatch):
    """Every test has its own XDG folders."""
    for name in ("STATE", "DATA", "CONFIG", "CACHE"):
        folder = tmp_path / f"xdg-{name.lower()}"
        folder.mkdir()
        monkeypatch.setenv(f"XDG_{name}_HOME", str(folder))
