"""The Qt binding itself: a release that mishandles None crashes the window after some minutes of drawing."""

import sys

import pytest
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainterPath


@pytest.mark.skipif(sys.version_info >= (3, 12), reason="None is never freed there")
def test_calls_that_return_nothing_leave_none_alone():
    path = QPainterPath(QPointF(0, 0))
    before = sys.getrefcount(None)
    for _ in range(500):
        path.lineTo(QPointF(1, 1))
    assert abs(sys.getrefcount(None) - before) < 100
