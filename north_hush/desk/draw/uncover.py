"""Looking under privacy masks: by who knows the passphrase, logged, and covered again by itself."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QLineEdit, QMessageBox, QPushButton, QVBoxLayout, QWidget

from north_hush.core.errors import HushError, SiteError
from north_hush.core.scene.items import Privacy
from north_hush.core.site import edits
from north_hush.core.site.secret import LENGTH_LEAST, Secret, secret_of
from north_hush.core.words import tr
from north_hush.desk.acts import log_act
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

LEFT_ALONE_MS = 60_000
"""Covered again once the window has not had the focus for so long."""


class Uncover(QWidget):
    """Uncovers and covers again; sets and changes the passphrase."""

    def __init__(self, session: Session, deck: Deck) -> None:
        super().__init__()
        self._session, self._deck = session, deck
        self._background = Background(("passphrase",), self)
        self.button = QPushButton(tr("Uncover…"), checkable=True)
        self.button.setToolTip(
            tr("Show what lies below privacy masks, in this window only. It is logged, and nothing shown is kept.")
        )
        self.button.clicked.connect(self.uncover)
        self.passphrase = QPushButton(
            tr("Passphrase…"), toolTip=tr("Set or change what is asked before anybody looks under privacy masks")
        )
        self.passphrase.clicked.connect(self.change)
        self.saying = wrapped(muted(""))
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.button)
        row.addWidget(self.passphrase)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(row)
        column.addWidget(self.saying)
        self._alone = QTimer(self, singleShot=True, interval=LEFT_ALONE_MS)
        self._alone.timeout.connect(self.cover)
        application = QGuiApplication.instance()
        assert isinstance(application, QGuiApplication)
        application.applicationStateChanged.connect(self._on_state)
        session.item_selected.connect(lambda _: self.refresh())
        for signal in (session.changed, session.view_changed, deck.privacy_changed):
            signal.connect(self.refresh)
        self.refresh()

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def refresh(self) -> None:
        """Show what can be done."""
        uncovered, view = self._deck.uncovered, self._session.view
        self.setVisible(bool(view.privacy) and (uncovered or isinstance(view.item(self._session.item_id), Privacy)))
        self.button.setChecked(uncovered)
        self.button.setText(tr("Cover again") if uncovered else tr("Uncover…"))
        none = self._session.site.secret is None
        self.saying.setText(tr("No passphrase is set: whoever opens this site can uncover it.") if none else "")
        self.saying.setVisible(none)

    # --- uncovering -------------------------------------------------------------------------------------------------

    def uncover(self, on: bool) -> None:
        """Ask who may, log it and show what lies below; or cover it again."""
        if not on:
            self.cover()
            return
        self.button.setChecked(False)  # until it is done
        secret = self._session.site.secret
        if secret is not None:
            self._asked(tr("Uncover"), tr("Passphrase of this site:"), secret, self._show)
            return
        answer = QMessageBox.question(
            self,
            tr("Uncover"),
            tr("Show what lies below the privacy masks in this window? No passphrase is set. This is logged."),
        )
        if answer == QMessageBox.StandardButton.Yes:
            self._show()

    def cover(self) -> None:
        """Blank what lies below privacy masks."""
        self._alone.stop()
        if self._deck.uncovered:
            self._deck.uncover(False)
        self.refresh()

    def _show(self) -> None:
        try:
            log_act(tr("privacy masks of view '{name}' uncovered", name=self._session.view.name), self._session.path)
        except HushError as error:
            self._session.failed.emit(error)
            return
        self._deck.uncover(True)

    def _on_state(self, state: Qt.ApplicationState) -> None:
        if state == Qt.ApplicationState.ApplicationActive:
            self._alone.stop()
        elif self._deck.uncovered and not self._alone.isActive():
            self._alone.start()

    # --- the passphrase ---------------------------------------------------------------------------------------------

    def change(self) -> None:
        """Set a passphrase, or another one; the one there is asked first."""
        secret = self._session.site.secret
        if secret is None:
            self._set()
        else:
            self._asked(tr("Change the passphrase"), tr("Present passphrase of this site:"), secret, self._set)

    def _asked(self, title: str, label: str, secret: Secret, then: Callable[[], None]) -> None:
        """Ask for the passphrase and go on when it is the right one; the try takes a moment, in the background."""
        said, taken = QInputDialog.getText(self, title, label, QLineEdit.EchoMode.Password)
        if not taken:
            return

        def told(right: bool) -> None:
            if right:
                then()
                return
            try:
                log_act(tr("wrong passphrase"), self._session.path)
            except HushError as error:
                self._session.failed.emit(error)
            self._session.failed.emit(
                SiteError(title, tr("is not done: the passphrase is another one."), tr("Try again."))
            )

        self._background.order("passphrase", lambda: secret.opens(said), told, self._session.failed.emit)

    def _set(self) -> None:
        first, taken = QInputDialog.getText(
            self,
            tr("Passphrase"),
            tr("New passphrase, {length_least} characters or more:", length_least=LENGTH_LEAST),
            QLineEdit.EchoMode.Password,
        )
        if not taken:
            return
        if len(first) < LENGTH_LEAST:
            self._refuse(
                tr("has {count} characters.", count=len(first)),
                tr("Use {length_least} or more.", length_least=LENGTH_LEAST),
            )
            return
        second, taken = QInputDialog.getText(self, tr("Passphrase"), tr("The same again:"), QLineEdit.EchoMode.Password)
        if not taken:
            return
        if second != first:
            self._refuse(tr("was typed in two ways."), tr("Nothing was changed; type it twice alike."))
            return
        self._background.order("passphrase", lambda: secret_of(first), self._keep, self._session.failed.emit)

    def _refuse(self, what: str, remedy: str) -> None:
        self._session.failed.emit(SiteError(tr("The new passphrase"), what, remedy))

    def _keep(self, secret: Secret) -> None:
        self._session.do(tr("Set the passphrase"), lambda site: edits.set_secret(site, secret), asked=True)
        try:
            log_act(tr("passphrase set"), self._session.path)
        except HushError as error:
            self._session.failed.emit(error)
        self.refresh()
