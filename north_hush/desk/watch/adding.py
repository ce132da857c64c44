"""Add a camera: its name, its address, and a password that goes into the keyring."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from north_hush.core.errors import HushError
from north_hush.core.outcome.passwords import keep_password
from north_hush.core.site import edits
from north_hush.core.site.cameras import camera_of
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.look.panel import Saying, form_row
from north_hush.desk.session import Session
from north_hush.desk.watch.finding import FindCamera


class CameraForm(QWidget):
    """Adds cameras to the site, each as a view."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.watching = False
        """Whether a service runs, which takes a new camera up at its next start."""
        self.name = QLineEdit(placeholderText=tr("Slipway"), accessibleName=tr("Name of the camera"))
        self.address = QLineEdit(
            placeholderText=tr("rtsp://user@host/path"), accessibleName=tr("Address of the camera"),
            toolTip=tr(
                "rtsp://, http:// (MJPEG), /dev/video0, or a recording that is played as if it were live. "
                "A second address behind a blank is recorded, the first one analysed"
            ),
        )  # fmt: skip
        self.password = QLineEdit(echoMode=QLineEdit.EchoMode.Password, accessibleName=tr("Password of the camera"))
        self.add = QPushButton(
            tr("Add camera"), toolTip=tr("Add it as a view; its picture is drawn and tuned on like any other")
        )
        self.add.clicked.connect(self._on_add)
        self.finder = QPushButton(
            tr("Find…"), toolTip=tr("Cameras in the network, their streams, and a picture of each")
        )
        self.finder.clicked.connect(self._find)
        self.said = Saying()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        for label, field in ((tr("Name"), self.name), (tr("Address"), self.address), (tr("Password"), self.password)):
            column.addLayout(form_row(label, field))
        row = QHBoxLayout()
        row.addWidget(self.add, 1)
        row.addWidget(self.finder)
        column.addLayout(row)
        column.addWidget(self.said)

    def _find(self) -> None:
        """Fill in what is found; it is looked at before it is added."""
        dialog = FindCamera(self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.address.setText(dialog.address)
            self.password.setText(dialog.password)
            self.name.setText(self.name.text() or dialog.name)

    def _on_add(self) -> None:
        """Add a camera as a view; an empty first view takes it."""
        try:
            name, camera, password = camera_of(f"{self.name.text().strip()}={self.address.text().strip()}")
            password = self.password.text() or password
            kept = self._keep_password(name, password) if password else ""
        except HushError as error:
            self.said.tell(f"{error.subject.removeprefix('--camera ')} {error.what} {error.remedy}".strip(), wrong=True)
            return
        views = self._session.site.views
        bare = next((held for held in views if held.camera is None and not held.recordings and not held.items), None)

        def add(site: Site) -> Site:
            site = edits.rename_view(site, bare.id, name) if bare is not None else edits.add_view(site, name)
            return edits.set_camera(site, bare.id if bare is not None else site.views[-1].id, camera)

        if self._session.do(tr("Add camera {name}", name=name), add):
            for field in (self.name, self.address, self.password):
                field.clear()
            again = tr(" It is watched from the next start on.") if self.watching else ""
            self.said.tell(tr("Added.{kept}{again}", kept=kept, again=again))

    def _keep_password(self, name: str, password: str) -> str:
        """Keep it in the keyring; where there is none, in a file of one's own, and say so.

        Raises
        ------
        HushError : neither can be written.
        """
        try:
            keep_password(self._session.site.name, name, password)
        except HushError:
            where = keep_password(self._session.site.name, name, password, in_file=True)
            return tr(" This machine has no keyring: the password is kept {where}, for you alone.", where=where)
        return ""
