"""Both themes. In a file of its own that comes early: a theme dresses every window of the process, closed ones that are kept too."""

from north_hush.desk.look.roles import DAY_FOG, NIGHT_WATCH


def test_both_themes_and_a_small_window(qtbot, window):
    window.header.theme_wanted.emit()
    assert window.theme is DAY_FOG
    window.resize(1100, 700)
    window.grab()
    window.header.theme_wanted.emit()
    assert window.theme is NIGHT_WATCH
