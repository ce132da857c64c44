"""The proposed mask on the restlessness map: what it is, and taking or rejecting it."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.explain.restless import Region
from north_hush.core.words import tr
from north_hush.desk.look.panel import wrapped
from north_hush.desk.picture.board import PROPOSE, Board
from north_hush.desk.picture.pane import PicturePane


def described(region: Region) -> str:
    """What a restless place is, in a sentence."""
    what = {"clock": tr("Burnt-in clock"), "periodic": tr("Keeps a rhythm"), "restless": tr("Restless place")}[
        region.why
    ]
    said = tr(
        "{what}: {cells} cells, changing in {share:.0f} % of the frames",
        what=what,
        cells=region.cells,
        share=100 * region.share,
    )
    return tr("{said}, every {period_s:.1f} s.", said=said, period_s=region.period_s) if region.period_s else f"{said}."


class ProposalBox(QWidget):
    """Shown while the restlessness map is."""

    def __init__(self, board: Board, picture: PicturePane) -> None:
        super().__init__()
        self._board = board
        self.said = wrapped(QLabel(""))
        self.take = QPushButton(tr("Take as mask"), toolTip=tr("Make the proposed outline a mask  (Enter)"))
        self.take.clicked.connect(board.take_proposal)
        self.reject = QPushButton(tr("Reject"), toolTip=tr("Leave the place as it is  (Esc)"))
        self.reject.clicked.connect(lambda: board.propose(None))
        self.in_view = QCheckBox(
            tr("Only the stretch in view"), toolTip=tr("Measure over what the trace shows, not the whole recording")
        )
        self.in_view.toggled.connect(lambda _: picture.measure_restlessness())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.in_view)
        column.addWidget(self.said)
        row = QHBoxLayout()
        row.addWidget(self.take)
        row.addWidget(self.reject)
        row.addStretch(1)
        column.addLayout(row)
        board.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the board's proposal."""
        region = self._board.proposal
        self.setVisible(self._board.mode == PROPOSE)
        for widget in (self.said, self.take, self.reject):
            widget.setVisible(region is not None)
        self.said.setText(described(region) + tr(" Drag its corners to change it.") if region else "")
