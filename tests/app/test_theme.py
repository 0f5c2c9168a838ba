"""Colours that everybody can tell apart: contrast, and the common colour-vision deficiencies."""

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor

from deft_reach.app import theme

#: Full-strength dichromacy as linear-RGB matrices: Machado, Oliveira & Fernandes (2009), *IEEE Transactions on
#: Visualization and Computer Graphics* 15. Values from memory.
DEFICIENCIES = {
    "protan": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "deutan": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "tritan": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
}


def linear(colour: str) -> np.ndarray:
    rgb = np.array(QColor(colour).getRgbF()[:3])
    return np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)


def luminance(colour: str) -> float:
    return float(linear(colour) @ [0.2126, 0.7152, 0.0722])


def contrast(a: str, b: str) -> float:
    """WCAG 2 contrast ratio."""
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def lab(rgb: np.ndarray) -> np.ndarray:
    """CIE L*a*b* (D65) of linear RGB."""
    matrix = [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
    xyz = np.array(matrix) @ np.clip(rgb, 0, 1) / [0.9505, 1.0, 1.089]
    f = np.where(xyz > 0.008856, np.cbrt(xyz), 7.787 * xyz + 16 / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


@pytest.mark.parametrize("c", [theme.LIGHT, theme.DARK], ids=lambda c: c.name)
def test_text_can_be_read_on_every_ground(c):
    for text in (c.ink, c.muted, c.right, c.left, c.feet, c.stop, c.caution, c.note, c.good):
        for ground in (c.sheet, c.paper, c.rail, c.selection, c.band):
            assert contrast(text, ground) >= 4.5, (text, ground)
    assert all(contrast(c.edge, ground) >= 3 for ground in (c.sheet, c.paper, c.rail, c.selection, c.band))
    assert contrast(c.accent_text, c.accent) >= 7
    assert contrast(c.ink, c.selection) >= 7 and contrast(c.muted, c.selection) >= 4.5
    assert contrast(c.muted, c.rail) >= 4.5 and contrast(c.ink, c.band) >= 7


@pytest.mark.parametrize("c", [theme.LIGHT, theme.DARK], ids=lambda c: c.name)
@pytest.mark.parametrize("kind", DEFICIENCIES)
def test_hands_stay_apart_for_every_kind_of_colour_vision(c, kind):
    seen = [lab(np.array(DEFICIENCIES[kind]) @ linear(colour)) for colour in (c.right, c.left)]
    assert np.linalg.norm(seen[0] - seen[1]) > 25


def test_nothing_rests_on_colour_alone(qapp):
    """Hands, feet and severities have shapes of their own."""
    at = QPointF(0, 0)
    marks = [theme.mark_path(limb, at, 10) for limb in ("R", "L", "K", "?")]
    severities = [theme.severity_path(severity, at, 10) for severity in ("note", "caution", "stop")]
    for shapes in (marks, severities):
        for a, b in itertools.combinations(shapes, 2):
            assert a != b and a.elementCount() != 0
