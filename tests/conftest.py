"""Shared by all tests: no real state folder is ever touched, and no screen is needed."""

from __future__ import annotations

import os

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


@pytest.fixture(autouse=True)
def own_folders(tmp_path, monkeypatch):
    """Every test has its own XDG folders."""
    for name in ("STATE", "DATA", "CONFIG", "CACHE"):
        folder = tmp_path / f"xdg-{name.lower()}"
        folder.mkdir()
        monkeypatch.setenv(f"XDG_{name}_HOME", str(folder))
