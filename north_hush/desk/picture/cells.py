"""The cells of the frame that is shown, under the settings and masks of the item that is selected."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

from north_hush.core.detect.levels import cell_limits
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.follow.patches import plane_limits
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.scene.outline import Point
from north_hush.core.scene.weights import FULLY_WATCHED, plane_weights
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.picture.legend import Sign, cell_signs
from north_hush.desk.picture.overlays import Tones, cells_image
from north_hush.desk.session import Session


class ShownCells:
    """What the Cells view shows, and what it says at a place."""

    def __init__(self, session: Session, deck: Deck) -> None:
        self._session, self._deck = session, deck

    @property
    def settings(self) -> ZoneSettings:
        """The dials that the cells are shown under."""
        return self._session.view.tuning.of(self._item_id())

    def _item_id(self) -> str:
        """The item whose channel and limit the cells are shown under: the selected one, else the first."""
        lanes = [lane.zone_id for lane in self._deck.lanes]
        return self._session.item_id if self._session.item_id in lanes else (lanes[0] if lanes else "")

    def values(self) -> NDArray[np.uint8] | None:
        """Values of all cells in the shown frame, (cells,) in quarters of a grey level; None until they are read, which it asks."""
        evidence, row = self._deck.evidence, self._deck.row
        if evidence is None or row is None or row >= len(evidence.frames):
            return None
        channel = self.settings.stored_channel
        values = evidence.held_at(channel, row)
        if values is None:
            self._deck.inflate(channel, row)
        return values

    def _weights(self) -> NDArray[np.uint8]:
        """Weight under masks of every cell for the item whose cells are shown, (cells,)."""
        assert self._deck.evidence is not None
        return plane_weights(self._item_id(), self._session.view.plan, self._deck.evidence.grid)

    def image(self, tones: Tones) -> tuple[QImage, tuple[float, float], tuple[Sign, ...]] | None:
        """The cells as a picture, which part of the frame it covers, and what its marks mean."""
        values, evidence = self.values(), self._deck.evidence
        if values is None or evidence is None:
            return None
        grid, settings, weights = evidence.grid, self.settings, self._weights()
        limits, masked = plane_limits(weights, settings.change_limit_quarters), weights == 0
        signs = cell_signs(
            settings.change_limit_grey,
            weakened=bool(((weights > 0) & (weights < FULLY_WATCHED)).any()),
            masked=bool(masked.any()),
        )
        return cells_image(values, grid.columns, grid.rows, limits, masked, tones), grid.cells_extent, signs

    def text(self, at: Point) -> str:
        """What is said of the cell at a place, and whether it counts."""
        evidence, values = self._deck.evidence, self.values()
        cell = evidence.grid.cell_at(*at) if evidence is not None else None
        if cell is None or values is None:
            return ""
        settings = self.settings
        grey, limit = values[cell] / CELL_SCALE, settings.change_limit_grey
        weight = int(self._weights()[cell])
        if weight == 0:
            return tr("{grey:.2f} grey levels, masked", grey=grey)
        if weight < FULLY_WATCHED:
            least = cell_limits(np.array([weight], np.uint8), settings.change_limit_quarters)[0] / CELL_SCALE
            verdict = tr("counts") if grey >= least else tr("does not count")
            return tr(
                "{grey:.2f} grey levels, weakened by a mask: {verdict} (needs {least:.2f})",
                grey=grey,
                verdict=verdict,
                least=least,
            )
        return tr(
            "{grey:.2f} grey levels, {value} ({limit:g})",
            grey=grey,
            value=tr("counts") if grey >= limit else tr("below the limit"),
            limit=limit,
        )
