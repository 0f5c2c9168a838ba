"""What the app is, and whose work it stands on, with their licences."""

from __future__ import annotations

from importlib import metadata
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPlainTextEdit, QVBoxLayout, QWidget

from deft_reach import __version__
from deft_reach.app import theme
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled

#: Libraries it uses, by their names in the package index, and their licences (SPDX identifiers).
LIBRARIES: Final = {
    "PySide6-Essentials": "LGPL-3.0-only",
    "shiboken6": "LGPL-3.0-only",
    "defusedxml": "PSF-2.0",
    "fastjsonschema": "BSD-3-Clause",
    "mido": "MIT",
    "miniaudio": "MIT",
    "numpy": "BSD-3-Clause",
    "platformdirs": "MIT",
    "python-rtmidi": "MIT",
    "scipy": "BSD-3-Clause",
    "verovio": "LGPL-3.0-only",
}


def licences() -> str:
    """Every library with its version and licence, and the fonts' licences in full."""
    rows = []
    for name, licence in LIBRARIES.items():
        try:
            version = metadata.version(name)
        except metadata.PackageNotFoundError:
            version = "not installed"
        rows.append(f"{name} {version}: {licence}")
    fonts = (theme.FONTS / "LICENCES.txt").read_text(encoding="utf-8")
    return "\n".join(["Libraries", *rows, "", "Fonts", fonts])


class AboutDialog(QDialog):
    """Name and version, care, and the licences of others."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("About Deft Reach")
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 16, 22, 16)
        column.setSpacing(10)
        title = PlainLabel(f"Deft Reach {__version__}")
        set_font(title, theme.ui_font, 16, bold=True)
        words = PlainLabel(
            "Plan whether a sticking can be played, on this kit, by this player, at that tempo. It uses published "
            "figures for how fast people move; your hands have the last word. Stop at pain or numbness, and ask a "
            "clinician.\n\nMIT licence. What it is made with:"
        )
        words.setWordWrap(True)
        self.licences = QPlainTextEdit(licences())
        self.licences.setReadOnly(True)
        self.licences.setAccessibleName("Licences of libraries and fonts")
        self.licences.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        for widget in (title, words, self.licences, buttons):
            column.addWidget(widget)
        set_scaled(self, QWidget.setMinimumWidth, 560)
        set_scaled(self, QWidget.setMinimumHeight, 440)
