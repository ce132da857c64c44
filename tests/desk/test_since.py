"""The dialog that says what changed since."""

import pytest
from PySide6.QtWidgets import QDialog

from north_hush.core.site import edits
from north_hush.desk.app import wait_until
from north_hush.desk.footage.since import SinceDialog
from tests.desk.conftest import settle
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def dialog(window, tmp_path):
    later = write_video(tmp_path / "later.mkv", moving_square(60))
    assert not window.stages.panel("footage").since.isVisibleTo(window.stages.panel("footage"))
    window.session.do("Add", lambda site: edits.add_recording(site, "view-1", str(later)))
    settle(window)
    assert window.session.flush() is None
    made = SinceDialog(window.session, window)
    made.show()
    yield made
    made.done(QDialog.DialogCode.Rejected)


def test_two_recordings_stand_side_by_side_with_what_they_were_like(dialog):
    assert wait_until(lambda: not dialog.asking.running and not any(dialog._clients), 60)
    assert all(not picture.pixmap().isNull() for picture in dialog.pictures)
    for labels in dialog.values.values():
        assert all(label.text() for label in labels)
    assert dialog.said.text() and dialog.said.text() != "Comparing…"
    first = [label.text() for label in dialog.values["luma_grey"]]
    dialog.boxes[0].setCurrentIndex(1)
    dialog.boxes[0].activated.emit(1)
    assert wait_until(lambda: not dialog.asking.running and not any(dialog._clients), 60)
    assert dialog.values["luma_grey"][0].text() == first[1] and "Nothing that matters" in dialog.said.text()
    dialog._on_told(False, "", "is not there")
    assert dialog.said.text() == "is not there"
