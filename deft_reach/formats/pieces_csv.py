"""The pieces of a kit as CSV: one line a piece, millimetres and degrees."""

from __future__ import annotations

import csv
import io

from deft_reach.core.kit import Kit

COLUMNS = ("code", "name", "kind", "x_mm", "y_mm", "z_mm", "diameter_mm", "width_mm", "tilt_deg", "depth_mm")


def dump_pieces(kit: Kit) -> bytes:
    """A heading and one line a piece."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for p in kit:
        numbers = (p.x, p.y, p.z, p.diameter, p.width, p.tilt, p.depth)
        writer.writerow([p.code, _safe(p.name), p.kind, *(f"{value:g}" for value in numbers)])
    return out.getvalue().encode("utf-8", "replace")


def _safe(text: str) -> str:
    """A name that a spreadsheet does not take for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
