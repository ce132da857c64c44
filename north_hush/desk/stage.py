"""A stage of the work as one value, and what all stages share. Adding one is a folder with a maker, and a line in `stages`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtWidgets import QWidget

from north_hush.desk.comparison import Comparison
from north_hush.desk.cuttings import Cuttings
from north_hush.desk.deck import Deck
from north_hush.desk.header import Header
from north_hush.desk.intake import Intake
from north_hush.desk.judge.scores import Scores
from north_hush.desk.look.roles import Theme
from north_hush.desk.packing import Packing
from north_hush.desk.picture.pane import PicturePane
from north_hush.desk.session import Session
from north_hush.desk.sight_now import SightNow
from north_hush.desk.trace.pane import TracePane
from north_hush.desk.tune.insight import Insight


@dataclass(frozen=True, eq=False)
class Desk:
    """What stages share: the site, the recording that is on, picture and trace, and what is worked out of them."""

    session: Session
    deck: Deck
    picture: PicturePane
    trace: TracePane
    header: Header
    intake: Intake
    comparison: Comparison
    scores: Scores
    insight: Insight
    cuttings: Cuttings
    packing: Packing
    sight: SightNow
    window: QWidget
    show_stage: Callable[[str], None]


def nothing(*_: object) -> None:
    """For what a stage has no use for."""


@dataclass(frozen=True)
class Binding:
    """Keys, what they do in words, and how, while their stage is shown; `everywhere` in the others too. A held key does it again
    only where it `repeats`. What has a text stands in the menu, also without a key."""

    keys: tuple[str, ...]
    text: str
    act: Callable[[], object]
    everywhere: bool = False
    repeats: bool = False


@dataclass(frozen=True, eq=False)
class Stage:
    """A stage: its button on the rail, its panel at the right, its keys, and what happens when it comes and goes."""

    key: str
    label: str
    icon: str
    shortcut: str
    tip: str
    panel: QWidget
    board: QWidget | None = None
    """What stands where the picture stands while it is shown; None leaves the picture."""
    bindings: tuple[Binding, ...] = ()
    enter: Callable[[], None] = nothing
    leave: Callable[[], None] = nothing
    dress: Callable[[Theme], None] = nothing
    close: Callable[[], None] = nothing
