"""Play, pause, speed and single frames, with where we are in the recording."""

from __future__ import annotations

from datetime import timedelta

from PySide6.QtCore import QSignalBlocker, QSize, Qt
from PySide6.QtWidgets import QApplication, QComboBox, QHBoxLayout, QLabel, QSlider, QToolButton, QWidget

from north_hush.core.footage.stamps import clock_text
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon

SPEEDS = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0)


class Transport(QWidget):
    """A row of controls under the picture."""

    def __init__(self, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self._deck = deck
        self._theme = theme
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(4)
        self.back = self._button("caret-left", tr("Frame back  (,)"), lambda: deck.playhead.step(-1), repeats=True)
        self.play = self._button("play", tr("Play or pause  (space)"), self.toggle)
        self.forward = self._button(
            "caret-right", tr("Frame forward  (.)"), lambda: deck.playhead.step(1), repeats=True
        )
        self.speed = QComboBox(
            toolTip=tr("Playing speed, as a multiple of real time"), accessibleName=tr("Playing speed")
        )
        for speed in SPEEDS:
            self.speed.addItem(f"{speed:g}×", speed)
        self.speed.setCurrentIndex(SPEEDS.index(1.0))
        self.speed.currentIndexChanged.connect(lambda _: deck.playhead.set_speed(self.speed.currentData()))
        self.slider = QSlider(
            Qt.Orientation.Horizontal, toolTip=tr("Where in the recording"), accessibleName=tr("Position")
        )
        self.slider.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.slider.valueChanged.connect(deck.playhead.seek)
        self.place = QLabel("", accessibleName=tr("Time and frame"))
        self.place.setMinimumWidth(300)
        self.place.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.sound = self._button(
            "speaker-simple-slash", tr("A sound when something passes a start level while playing"), self._on_sound
        )
        self.sound.setCheckable(True)
        self._over: set[str] = set()
        for widget in (self.back, self.play, self.forward, self.speed, self.sound):
            row.addWidget(widget)
        row.addWidget(self.slider, 1)
        row.addWidget(self.place)
        deck.opened.connect(self._on_opened)
        deck.recording_changed.connect(self._on_opened)
        deck.frame_changed.connect(self._on_frame)
        deck.playhead.playing_changed.connect(lambda _: self.dress(self._theme))

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.back.setIcon(icon("caret-left", theme))
        self.play.setIcon(icon("pause" if self._deck.playhead.playing else "play", theme))
        self.forward.setIcon(icon("caret-right", theme))
        self.sound.setIcon(icon("speaker-simple-high" if self.sound.isChecked() else "speaker-simple-slash", theme))

    def _on_sound(self) -> None:
        self._over = self._passing()
        self.dress(self._theme)

    def _passing(self) -> set[str]:
        """Items whose level passes the start level in the shown frame."""
        row = self._deck.row
        if row is None:
            return set()
        lanes = (lane for lane in self._deck.lanes if row < len(lane.areas))
        return {lane.zone_id for lane in lanes if lane.percent(int(lane.areas[row])) >= lane.settings.start_percent}

    def _listen(self) -> None:
        """Sound once for each item that begins to pass its limit while playing."""
        passing = self._passing()
        if passing - self._over and self._deck.playhead.playing:
            QApplication.beep()
        self._over = passing

    def toggle(self) -> None:
        """Play, or pause."""
        if self._deck.playhead.playing:
            self._deck.playhead.pause()
        else:
            self._deck.playhead.play()

    def _button(self, name: str, tip: str, act: object, *, repeats: bool = False) -> QToolButton:
        button = QToolButton(toolTip=tip, accessibleName=tip.split("  ", maxsplit=1)[0])
        button.setIcon(icon(name, self._theme))
        button.setIconSize(QSize(16, 16))
        button.setAutoRepeat(repeats)
        button.setAutoRepeatInterval(60)
        button.clicked.connect(act)
        return button

    def _on_opened(self) -> None:
        index = self._deck.index
        with QSignalBlocker(self.slider):
            self.slider.setRange(0, max(0, index.frames - 1) if index else 0)
            self.slider.setValue(0)
        self._on_frame(self._deck.frame)

    def _on_frame(self, frame: int) -> None:
        if self.sound.isChecked():
            self._listen()
        index, recording = self._deck.index, self._deck.recording
        if index is None or recording is None:
            self.place.setText("")
            return
        with QSignalBlocker(self.slider):
            self.slider.setValue(frame)
        time_us = int(index.time_us[frame])
        zone = self._deck.zone
        began = recording.began(index, zone)
        taken = (
            tr("{at:%d %b %H:%M:%S}   ", at=(began + timedelta(microseconds=time_us)).astimezone(zone)) if began else ""
        )
        self.place.setText(
            tr(
                "{taken}{clock_text}   frame {frame:,} of {frames:,}",
                taken=taken,
                clock_text=clock_text(time_us),
                frame=frame,
                frames=index.frames,
            )
        )
