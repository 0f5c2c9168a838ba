"""Why a plan is as hard as it is, one click away from where that is read."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from deft_reach.core.analysis.explained import MOSTLY
from tests.app.conftest import click


def press_caption(window):
    """Press the line under the level; the menu that opens."""
    ease = window.header.ease
    click(ease, QPointF(ease.caption.geometry().center()))
    return opened()


def opened():
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def rows(menu):
    return [action.text() for action in menu.actions() if "%" in action.text()]


def choose_row(menu, row):
    menu.setActiveAction([action for action in menu.actions() if "%" in action.text()][row])
    QTest.keyClick(menu, Qt.Key.Key_Return)
    QApplication.processEvents()


def test_the_header_says_what_it_mostly_is(window):
    for plan in ("gangway", "storm", "engine", "parade"):
        window.session.show_plan(plan)
        greatest = window.session.report.demands[0]
        assert window.header.ease.caption.text().endswith(MOSTLY[greatest.kind])


def test_the_demands_are_listed_and_shown_on_the_weave(window):
    session = window.session
    session.show_plan("storm")
    demands = session.report.demands
    menu = press_caption(window)
    assert rows(menu)[0] == f"{demands[0].share * 100:.0f} %  {demands[0].words}".replace("&", "&&")
    assert not menu.actions()[0].isEnabled() and "demands" in menu.actions()[0].text()
    weave = window.reach_station.weave
    window.go("reach")
    menu.close()
    QApplication.processEvents()
    before = weave.grab().toImage()
    choose_row(press_caption(window), 0)
    assert window.station == "reach" and session.demand == demands[0] and session.stroke == demands[0].strokes[0]
    assert window.reach_station.weave_panel.note.text().startswith(f"marked: {demands[0].words}")
    assert weave.grab().toImage() != before
    # Anything else that is selected takes its place.
    QTest.keyClick(weave, Qt.Key.Key_Right)
    assert session.demand is None and "which hand is where" in window.reach_station.weave_panel.note.text()


def test_a_plan_that_does_not_warn_explains_itself_wherever_it_is_pressed(window):
    window.session.show_plan("moonlit")
    ease = window.header.ease
    click(ease, QPointF(ease.value.geometry().center()))
    menu = opened()
    assert menu.actions()[0].text() == "What there is to do" and rows(menu)
    assert not any(action.text().startswith("Go to") for action in menu.actions())


def test_the_red_figure_leads_to_what_happens_and_the_menu_does_too(window):
    session = window.session
    session.show_plan("storm")
    ease = window.header.ease
    click(ease, QPointF(ease.value.geometry().center()))
    assert QApplication.activePopupWidget() is None and session.finding.severity.serious
    session.select_stroke(0)
    menu = press_caption(window)
    menu.setActiveAction(menu.actions()[-1])
    QTest.keyClick(menu, Qt.Key.Key_Return)
    assert session.finding is not None and session.finding.severity.serious


def test_by_key(window):
    window.session.show_plan("engine")
    QTest.keyClick(window, Qt.Key.Key_F7)
    menu = opened()
    choose_row(menu, len(rows(menu)) - 1)
    assert window.session.demand in window.session.report.demands


def test_a_demand_goes_with_its_plan(window):
    session = window.session
    session.show_plan("storm")
    session.select_demand(session.report.demands[0])
    session.show_plan("engine")
    assert session.demand is None


def test_the_list_of_hands_says_what_each_is_mostly(window):
    session = window.session
    session.show_plan("storm")
    window.go("reach")
    hands = window.reach_station.hands
    assert len(hands.rows) > 2
    for k, row in enumerate(hands.rows):
        said = hands.list.item(k).data(Qt.ItemDataRole.AccessibleTextRole)
        assert f"mostly {MOSTLY[row.report.demands[0].kind]}" in said
