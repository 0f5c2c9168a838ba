"""What an attempt at a rung can be."""

from __future__ import annotations

from typing import Final

CLEAN, ROUGH, NOT_YET = "clean", "rough", "not-yet"
VERDICTS: Final = (CLEAN, ROUGH, NOT_YET)
