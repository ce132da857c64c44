"""The dialog for a way to tell people."""

from __future__ import annotations

from pydantic import ValidationError
from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QDialogButtonBox, QLabel, QLineEdit, QVBoxLayout, QWidget

from north_hush.core.errors import HushError
from north_hush.core.outcome.passwords import keep_password, passwords_path
from north_hush.core.outcome.rules import Way, WayKind
from north_hush.core.outcome.ways import ASKS_A_USER, LEAVES_THE_HOUSE
from north_hush.core.site.file import describe_invalid
from north_hush.core.words import tr
from north_hush.desk.look.panel import form_row, muted, wrapped

_KINDS: dict[WayKind, tuple[str, str, str, str]] = {
    "mail": (tr("Mail"), tr("Server"), "smtp.skerry.example:587", tr("To")),
    "http": (tr("Web request"), tr("Address"), "https://skerry.example/alarm", tr("Method")),
    "mqtt": (tr("MQTT message"), tr("Broker"), "broker.skerry.example:1883", tr("Topic")),
    "desktop": (tr("Notice on this desktop"), "", "", ""),
    "sound": (tr("Sound"), tr("File"), tr("empty: two tones"), ""),
    "preset": (
        tr("Steerable camera turns"),
        tr("Its ONVIF address"),
        "http://10.0.0.9/onvif/device_service",
        tr("Preset"),
    ),
}
"""Word, what the address is, an example of one, what `to` is."""
_FIELDS = ("name", "address", "to", "user", "sender")
_SECURE = (("starttls", "STARTTLS"), ("tls", "TLS"), ("none", "none"))


class WayDialog(QDialog):
    """States one way; the password goes to the keyring, and where there is none, to a file of one's own if that is wanted."""

    def __init__(self, site_name: str, way: Way | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Way to tell"))
        self._site_name = site_name
        self.way: Way | None = None
        self.kind = QComboBox(accessibleName=tr("Kind of way"))
        for kind, (word, *_) in _KINDS.items():
            self.kind.addItem(word, kind)
        self.fields = {name: QLineEdit() for name in _FIELDS}
        self.secure = QComboBox(accessibleName=tr("Encryption"))
        for value, word in _SECURE:
            self.secure.addItem(word, value)
        self.password = QLineEdit(echoMode=QLineEdit.EchoMode.Password, placeholderText=tr("as it is kept already"))
        self.in_file = QCheckBox(tr("Keep the password in a file that nobody but you may read"))
        self.in_file.setToolTip(str(passwords_path()))
        self.in_file.hide()
        self.said = wrapped(muted(""))
        self.wrong = wrapped(QLabel(""))
        self.wrong.setProperty("role", "error")
        self.wrong.hide()
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._save)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        self._rows: dict[str, QWidget] = {}
        self._labels: dict[str, QLabel] = {}
        for key, label, field in (
            ("kind", tr("Kind"), self.kind),
            ("name", tr("Name"), self.fields["name"]),
            ("address", tr("Address"), self.fields["address"]),
            ("to", tr("To"), self.fields["to"]),
            ("sender", tr("From"), self.fields["sender"]),
            ("secure", tr("Encryption"), self.secure),
            ("user", tr("User"), self.fields["user"]),
            ("password", tr("Password"), self.password),
        ):
            field.setAccessibleName(label)
            holder = self._rows[key] = QWidget()
            row = form_row(label, field)
            row.setContentsMargins(0, 0, 0, 0)
            holder.setLayout(row)
            named = holder.findChild(QLabel)
            assert named is not None
            self._labels[key] = named
            column.addWidget(holder)
        for widget in (self.said, self.wrong, self.in_file, buttons):
            column.addWidget(widget)
        self.setMinimumWidth(440)
        if way is not None:
            self._show(way)
        self.kind.currentIndexChanged.connect(lambda _: self._dress())
        self._dress()

    def _show(self, way: Way) -> None:
        self.kind.setCurrentIndex(self.kind.findData(way.kind))
        self.secure.setCurrentIndex(self.secure.findData(way.secure))
        for name, field in self.fields.items():
            field.setText(getattr(way, name))

    def _dress(self) -> None:
        """Show the fields of the kind."""
        kind: WayKind = self.kind.currentData()
        _, address, example, to = _KINDS[kind]
        for key, shown, label in (
            ("address", bool(address), address),
            ("to", bool(to), to),
            ("sender", kind == "mail", tr("From")),
            ("secure", kind in ("mail", "mqtt"), tr("Encryption")),
            ("user", kind in ASKS_A_USER, tr("User")),
            ("password", kind in ASKS_A_USER, tr("Password")),
        ):
            self._rows[key].setVisible(shown)
            self._labels[key].setText(label)
        self.fields["address"].setPlaceholderText(example)
        self.fields["to"].setPlaceholderText(tr("POST") if kind == "http" else "")
        self.said.setText(
            tr("What is sent leaves the house, pictures too; privacy masks hold in them.")
            if kind in LEAVES_THE_HOUSE
            else tr("Nothing leaves the house.")
        )
        self.adjustSize()

    def _save(self) -> None:
        typed = {name: field.text().strip() for name, field in self.fields.items()}
        try:
            way = Way(kind=self.kind.currentData(), secure=self.secure.currentData(), **typed)
            if self.password.text():
                keep_password(self._site_name, way.name, self.password.text(), in_file=self.in_file.isChecked())
        except ValidationError as error:
            self._tell(describe_invalid(error))
            return
        except HushError as error:
            self.in_file.show()  # there is no keyring, or it is locked: offered, and chosen on purpose
            self._tell(f"{error.subject}: {error.what}")
            return
        self.way = way
        self.accept()

    def _tell(self, text: str) -> None:
        self.wrong.setText(text)
        self.wrong.show()
