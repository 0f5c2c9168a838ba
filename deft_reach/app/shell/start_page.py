"""The start page: a short choice when there is nothing to go on with."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.styled import set_font
from deft_reach.core.document import new_document
from deft_reach.core.session import Session


class StartPage(QWidget):
    """Open the demo, make a new plan, open a file, or go back to a recent one."""

    def __init__(
        self,
        demo: Callable[[], None],
        new: Callable[[], None],
        browse: Callable[[], None],
        open_file: Callable[[Path], None],
        recent: list[Path],
        set_up: Callable[[], None],
    ) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__()
        outer = QHBoxLayout(self)
        outer.setContentsMargins(72, 24, 40, 24)
        outer.setSpacing(48)
        words = QWidget()
        words.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        column = QVBoxLayout(words)
        outer.addWidget(words, 5, Qt.AlignmentFlag.AlignVCenter)
        # A small plan on the five-piece, worked out like any other.
        plan = new_document()
        self.session = Session(plan.with_text(plan.plans[0], "R@hh L. R@hh R@hh"))
        self.session.select_stroke(1)
        self.picture = ReachPlan(self.session)
        self.picture.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.picture.setEnabled(False)
        self.picture.setMinimumWidth(360)
        outer.addWidget(self.picture, 6)
        title = PlainLabel("Can these hands play it, on this kit, at that tempo?")
        set_font(title, theme.ui_font, 22, bold=True)
        title.setWordWrap(True)
        lead = PlainLabel(
            "Write a sticking and see both hands on a measured kit: where the arms cross, what is hurried, "
            "and at what tempo it breaks."
        )
        set_font(lead, theme.ui_font, 12)
        lead.setWordWrap(True)
        column.addWidget(title)
        column.addWidget(lead)
        column.addSpacing(22)
        self.demo = QPushButton("Open the demo, a puppet show in eight cues")
        self.new = QPushButton("New plan")
        self.browse = QPushButton("Open a file…")
        self.set_up = QPushButton("Set up in three steps: your kit, you, your figure")
        self.demo.setObjectName("primary")
        for button, action in ((self.demo, demo), (self.set_up, set_up), (self.new, new), (self.browse, browse)):
            button.setMinimumHeight(40)
            button.setMaximumWidth(420)
            button.clicked.connect(lambda _=False, a=action: a())
            column.addWidget(button)
        if recent:
            column.addSpacing(18)
            caption = PlainLabel("Recent")
            caption.setObjectName("caption")
            column.addWidget(caption)
            for path in recent[:5]:
                button = QPushButton(path.stem)
                button.setObjectName("quiet")
                button.setToolTip(plain_tip(str(path)))
                button.setMaximumWidth(420)
                button.clicked.connect(lambda _=False, p=path: open_file(p))
                column.addWidget(button)
        column.addSpacing(26)
        care = PlainLabel(
            "Stop at pain or numbness, keep the grip loose, protect your ears. This app plans movements; it gives no "
            "medical advice. Ask a clinician, and follow the rules where you play."
        )
        care.setObjectName("hint")
        care.setWordWrap(True)
        column.addWidget(care)
