"""Finding a camera in the window: who answers, what it offers, its picture, and what the form is filled with."""

import pytest
from PySide6.QtWidgets import QDialog

from north_hush.demo.standins.camera import CameraStandIn
from north_hush.demo.standins.onvif_device import DeviceStandIn
from north_hush.desk.app import wait_until
from north_hush.desk.watch import adding
from north_hush.desk.watch.finding import FindCamera
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def cameras(tmp_path):
    """A device with a large stream that is there and a small one that is not."""
    recording = write_video(tmp_path / "slip.mkv", moving_square(60))
    with CameraStandIn(recording) as large, DeviceStandIn(password="lantern") as device:
        device.streams = (large.url, "http://127.0.0.1:9/stream")
        yield device, large.url


@pytest.fixture
def dialog(qtbot):
    made = FindCamera()
    qtbot.addWidget(made)
    made.show()
    assert wait_until(lambda: not made.looking.running, 30)
    yield made
    made.done(QDialog.DialogCode.Rejected)


def asked(dialog, device, password="lantern"):
    dialog.host.setText(device.url)
    dialog.user.setText("operator")
    dialog.secret.setText(password)
    dialog.ask.click()
    assert wait_until(lambda: not dialog.asking.running, 60)


def test_streams_of_a_camera_are_shown_with_their_picture_and_chosen(dialog, cameras):
    device, large = cameras
    assert not dialog.buttons.button(dialog.buttons.StandardButton.Ok).isEnabled()
    asked(dialog, device)
    assert [dialog.streams.item(row).text() for row in range(2)] == [
        "main stream: 1920 × 1080, 25 frames/s, H264",
        "small stream: 640 × 360, 10 frames/s, H264",
    ]
    assert not dialog.picture.pixmap().isNull()
    assert dialog.analyse.currentData() == "http://127.0.0.1:9/stream" and dialog.record.currentData() == large
    dialog.streams.setCurrentRow(1)
    assert dialog.picture.text() == "no picture" and "cannot be opened" in dialog.streams.item(1).toolTip()
    dialog.analyse.setCurrentIndex(0)  # one stream for both
    dialog._take()
    assert dialog.address == large.replace("://", "://operator@") and dialog.password == "lantern"


def test_a_camera_that_does_not_let_in_says_so(dialog, cameras):
    asked(dialog, cameras[0], "torch")
    assert "user or the password" in dialog.said.text() and dialog.streams.count() == 0
    dialog.host.clear()
    dialog.ask.click()
    assert "type its address" in dialog.said.text()


def test_what_is_found_fills_the_form(window, monkeypatch):
    class Chosen:
        address, password, name = "rtsp://op@cam/small rtsp://op@cam/large", "lantern", "Quay head"

        def __init__(self, _):
            pass

        def exec(self):
            return QDialog.DialogCode.Accepted

    monkeypatch.setattr(adding, "FindCamera", Chosen)
    window.show_stage("watch")
    form = window.findChild(adding.CameraForm)
    form.finder.click()
    assert (form.name.text(), form.address.text(), form.password.text()) == (
        Chosen.name,
        Chosen.address,
        Chosen.password,
    )
    form.add.click()
    camera = next(view.camera for view in window.session.site.views if view.name == "Quay head")
    assert [(held.address, held.user, held.use) for held in camera.streams] == [
        ("rtsp://cam/small", "op", "analyse"),
        ("rtsp://cam/large", "op", "record"),
    ]
