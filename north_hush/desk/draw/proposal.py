"""The proposed mask on the restlessness map: what it is, and taking or rejecting it."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.explain.restless import Region
from north_hush.desk.look.panel import wrapped
from north_hush.desk.picture.board import PROPOSE, Board
from north_hush.desk.picture.pane import PicturePane


def described(region: Region) -> str:
    """What a restless place is, in a sentence."""
    what = {"clock": "Burnt-in clock", "periodic": "Keeps a rhythm", "restless": "Restless place"}[region.why]
    said = f"{what}: {region.cells} cells, changing in {100 * region.share:.0f} % of the frames"
    return f"{said}, every {region.period_s:.1f} s." if region.period_s else f"{said}."


class ProposalBox(QWidget):
    """Shown while the restlessness map is."""

    def __init__(self, board: Board, picture: PicturePane) -> None:
        super().__init__()
        self._board = board
        self.said = wrapped(QLabel(""))
        self.take = QPushButton("Take as mask", toolTip="Make the proposed outline a mask  (Enter)")
        self.take.clicked.connect(board.take_proposal)
        self.reject = QPushButton("Reject", toolTip="Leave the place as it is  (Esc)")
        self.reject.clicked.connect(lambda: board.propose(None))
        self.in_view = QCheckBox(
            "Only the stretch in view", toolTip="Measure over what the trace shows, not the whole recording"
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
        self.said.setText(described(region) + " Drag its corners to change it." if region else "")
