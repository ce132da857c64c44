"""Numbers typed with a point or a comma, under locales that use either."""

import pytest
from PySide6.QtCore import QLocale
from PySide6.QtTest import QTest

from north_hush.desk.look.number import NumberBox, plain_number
from tests.desk.conftest import settle


@pytest.fixture(params=["C", "de_DE", "en_US", "fr_FR"])
def locale(request):
    before = QLocale()
    QLocale.setDefault(QLocale(request.param))
    yield request.param
    QLocale.setDefault(before)


@pytest.mark.parametrize(
    ("typed", "value"), [("1.5", 1.5), ("1,5", 1.5), ("12", 12.0), (",5", 0.5), ("1.0,5", 1.05), ("1,000", 1.0)]
)
def test_a_point_and_a_comma_are_decimals_and_two_signs_are_refused(qtbot, locale, typed, value):
    box = NumberBox(decimals=2, minimum=0.0, maximum=5000.0, suffix=" %")
    qtbot.addWidget(box)
    box.setValue(7.0)
    box.show()
    box.selectAll()
    QTest.keyClicks(box.lineEdit(), typed)
    box.interpretText()
    assert box.value() == value
    assert plain_number("1,000.5") == ""


def test_what_is_shown_has_a_point_and_no_sign_between_thousands(qtbot, locale):
    box = NumberBox(decimals=1, minimum=0.0, maximum=5000.0)
    qtbot.addWidget(box)
    box.setValue(1234.5)
    assert box.text() == "1234.5"


def test_a_dial_takes_a_comma(qtbot, window):
    before = QLocale()
    QLocale.setDefault(QLocale("de_DE"))
    try:
        number = window.tune.dials["start_percent"].number
        number.selectAll()
        QTest.keyClicks(number.lineEdit(), "1,5")
        number.interpretText()
        settle(window)
    finally:
        QLocale.setDefault(before)
    assert window.session.view.tuning.of("whole-picture").start_percent == 1.5
